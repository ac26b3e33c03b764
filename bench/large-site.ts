import pino from 'pino'
import { closeDatabase, inTransaction, migrate, openDatabase, rows } from '../src/data/database.ts'
import { updateDrafts } from '../src/data/drafts.ts'
import { insertPerson } from '../src/data/people.ts'
import { insert } from '../src/data/plain.ts'
import { hosts, sites } from '../src/data/tables/index.ts'
import { type Actor, createServices, type OwnServices, ServiceThreads } from '../src/services/index.ts'
import { newContent } from '../src/services/pages/index.ts'
import { actorFor } from '../src/services/people/index.ts'
import type { WithThreads } from '../src/services/threads.ts'
import { readSettings } from '../src/settings/index.ts'
import { makeOwn } from './own.ts'

type Carried = WithThreads<OwnServices>

/** A site with very many links, and its services as a server has them. */
export interface LargeSite {
  readonly services: Carried
  readonly owner: Actor
  readonly settings: ReturnType<typeof readSettings>
  /** Services as after a start: threads that know nothing yet. */
  restart(): Promise<Carried>
}

const LINKS_A_PAGE = 50
/** Pages stored in one transaction. */
const TOGETHER = 100
const SITES = 3_000
/** Partners' sites among those, and links that lead to them. */
const PARTNERS = 3
const BULK_TAGGED = 1_448

/** Words of a link: some thousand different ones, as sites have. */
const words = (n: number): string =>
  `${['tide', 'boat', 'room', 'map', 'book', 'coat', 'walk', 'soup'][n % 8]} of ${n % 6_007} ${n % 11 === 0 ? 'here' : 'there'}`

function pageOf(page: number, pages: number): string {
  const links = Array.from({ length: LINKS_A_PAGE }, (_, k) => {
    const n = page * LINKS_A_PAGE + k
    const to =
      n % 5 === 0
        ? `/p${(n * 31) % (pages + 200)}.html`
        : n % 37 === 0
          ? `https://partner${n % PARTNERS}.example/things/${n % 4_001}`
          : `https://www.s${(n * 17) % SITES}.example/a/${(n * 13) % 90_001}${n % 7 === 0 ? '?ref=old' : ''}`
    const marks = n % 9 === 0 ? ' rel="nofollow"' : n % 13 === 0 ? ' target="_blank"' : ''
    return `<p><a href="${to}"${marks}${n < BULK_TAGGED ? ' data-tags="bulk"' : ''}>${words(n)}</a> and so on.</p>`
  })
  return `<!DOCTYPE html><html lang="en"><head><title>Page ${page} of ${['Skarrow', 'Tern Holm', 'Hollin'][page % 3]}</title></head><body><main>${links.join('\n')}</main></body></html>`
}

function* inParts<T>(all: Iterable<T>): Generator<T[]> {
  let together: T[] = []
  for (const each of all) {
    together.push(each)
    if (together.length < TOGETHER) continue
    yield together
    together = []
  }
  if (together.length > 0) yield together
}

/** Pages of {@link LINKS_A_PAGE} links each, alike but for their addresses. */
export function* plainPages(links: number): Generator<{ path: string; html: string }> {
  const pages = Math.ceil(links / LINKS_A_PAGE)
  for (let n = 0; n < pages; n++) yield { path: `/p${n}.html`, html: pageOf(n, pages) }
}

/** @param pages - no path twice */
export async function onLargeSite<T>(
  pages: Iterable<{ readonly path: string; readonly html: string }>,
  work: (site: LargeSite) => Promise<T>,
): Promise<T> {
  const { databaseUrl, folder, drop } = await makeOwn()
  const settings = readSettings({
    MAPROPE_DATABASE_URL: databaseUrl,
    MAPROPE_DATA: folder,
    MAPROPE_SECRET: 'only for the benchmark',
    MAPROPE_LOG: 'error',
    PORT: '4999',
  })
  const db = openDatabase(databaseUrl)
  let threads: ServiceThreads | null = null
  const start = async (): Promise<Carried> => {
    await threads?.close()
    threads = new ServiceThreads(settings, { waits: true })
    threads.start()
    return threads.carry(createServices({ db, settings, log: pino({ level: 'error' }), enqueue: async () => {} }))
  }
  try {
    await migrate(db)
    const site = await insert(db, sites, { name: 'A large site', timeZone: 'UTC' })
    await insert(db, hosts, { siteId: site.id, host: 'large.localhost', kind: 'site', isMain: true })
    const person = await insertPerson(db, { siteId: site.id, email: 'o@large.example', name: 'O', role: 'owner', passwordHash: '' })
    if (person === null) throw new Error('the site has an owner already')
    await rows(db, `INSERT INTO blobs (hash, bytes) VALUES ('none', '')`)
    for (const together of inParts(pages)) {
      const made = await rows<{ id: string; path: string }>(
        db,
        `INSERT INTO pages (site_id, path, source_name, title, encoding, draft_hash, version)
         SELECT $1, path, path, 'p', 'utf-8', 'none', 1 FROM unnest($2::text[]) path RETURNING id, path`,
        [site.id, together.map(({ path }) => path)],
      )
      const ids = new Map(made.map(({ id, path }) => [path, id]))
      await inTransaction(db, async (transaction) => {
        const drafts = together.map(({ path, html }) => {
          const notes = { tags: [], writtenFor: null }
          const content = newContent(Buffer.from(html), path, { encoding: 'utf-8', path, notes })
          return { pageId: ids.get(path) ?? '', version: 1, content }
        })
        await updateDrafts(db, drafts, { personId: person.id, madeBy: 'edit' }, transaction)
      })
    }
    await db.pool.query('ANALYZE')
    const services = await start()
    return await work({ services, owner: actorFor(person), settings, restart: start })
  } finally {
    await (threads as ServiceThreads | null)?.close()
    await closeDatabase(db)
    await drop()
  }
}
