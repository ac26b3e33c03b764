import { get } from 'node:http'
import { Changes } from '../src/data/changes.ts'
import { inTransaction, rows } from '../src/data/database.ts'
import { type Ground, onGround } from './delivery.ts'
import { median, type Row, sized } from './measure.ts'
import { fillRedirects } from './redirect.ts'
import { fillTable } from './short-link.ts'

const FEW = sized(1_000)
const MANY = sized(1_000_000)
const CHANGES = 30
/** Visitors meanwhile, one every so often; the slowest of them shows the longest pause. */
const VISITOR_MS = 5
const PAUSE_MAX_MS = 50

/** What is changed, and where a visitor asks for it. */
interface Kind {
  readonly name: string
  readonly host: string
  fill(ground: Ground, count: number): Promise<void>
  pathOf(n: number): string
  /** As the studio writes it. */
  change(ground: Ground, n: number, destination: string): Promise<void>
}

const SHORT_LINKS: Kind = {
  name: 'one-change',
  host: 'sferry.example',
  fill: fillTable,
  pathOf: (n) => `/go/s${n}`,
  change: (ground, n, destination) => change(ground, `s${n}`, destination),
}

const REDIRECTS: Kind = {
  name: 'one-redirect',
  host: 'site.example',
  fill: fillRedirects,
  pathOf: (n) => `/old/${n}.html`,
  change: ({ db }, n, destination) =>
    inTransaction(db, async (transaction) => {
      const [row] = await rows<{ id: string; siteId: string }>(
        db,
        `UPDATE redirects SET destination = $2, version = version + 1 WHERE match = 'exact' AND md5(key) = md5($1) AND site_id = (SELECT id FROM sites WHERE name = 'bench')
         AND removed_at IS NULL AND is_on RETURNING id, site_id AS "siteId"`,
        [`/old/${n}.html`, destination],
        transaction,
      )
      const changes = new Changes()
      changes.add(row?.siteId ?? '', 'redirects', row?.id ?? '', 'changed')
      await changes.write(db, transaction)
    }),
}

export const oneChange = (): Promise<Row> => changed(SHORT_LINKS)
export const oneRedirect = (): Promise<Row> => changed(REDIRECTS)

/** One changed among a million: until it is answered, against the same among a thousand; visitors asking all the while. */
async function changed(kind: Kind): Promise<Row> {
  const peer = await onGround((ground) => changesAmong(ground, kind, FEW))
  const ours = await onGround((ground) => changesAmong(ground, kind, MANY))
  return {
    name: kind.name,
    ours: ours.answeredMs,
    peer: peer.answeredMs,
    unit: 'ms',
    goal: ours.pauseMs <= PAUSE_MAX_MS ? 2 : 0,
    isAtMost: true,
    note: `slowest visitor meanwhile ${ours.pauseMs.toFixed(1)} ms (at most ${PAUSE_MAX_MS})`,
  }
}

async function changesAmong(ground: Ground, kind: Kind, count: number): Promise<{ answeredMs: number; pauseMs: number }> {
  await kind.fill(ground, count)
  await rows(ground.db, 'SELECT 1')
  const port = await ground.startDelivery()
  const follow = (n: number): Promise<{ to: string | undefined; ms: number }> => {
    const startedAt = performance.now()
    return new Promise((resolve, reject) => {
      get({ port, path: kind.pathOf(n), headers: { Host: kind.host } }, (answer) => {
        answer.resume()
        answer.on('end', () => resolve({ to: answer.headers.location, ms: performance.now() - startedAt }))
      }).on('error', reject)
    })
  }
  while ((await follow(1)).to === undefined) await new Promise((resolve) => setTimeout(resolve, 200))
  const visits: number[] = []
  const visitors = setInterval(() => void follow(1 + Math.floor(count ** Math.random())).then(({ ms }) => visits.push(ms)), VISITOR_MS)
  const answered: number[] = []
  for (let i = 0; i < CHANGES; i++) {
    const n = 1 + ((i * 7919) % count)
    const destination = `https://changed.example/${i}`
    const startedAt = performance.now()
    await kind.change(ground, n, destination)
    while ((await follow(n)).to !== destination) await new Promise((resolve) => setTimeout(resolve, 1))
    answered.push(performance.now() - startedAt)
  }
  clearInterval(visitors)
  return { answeredMs: median(answered), pauseMs: Math.max(...visits) }
}

/** As the studio writes it. */
export async function change({ db }: Ground, slug: string, destination: string): Promise<void> {
  await inTransaction(db, async (transaction) => {
    const [link] = await rows<{ id: string; siteId: string }>(
      db,
      `UPDATE short_links l SET destination = $2, version = l.version + 1 FROM short_link_slugs s
       WHERE s.host_id = (SELECT id FROM hosts WHERE host = 'sferry.example') AND s.slug = $1 AND l.id = s.short_link_id
       RETURNING l.id, l.site_id AS "siteId"`,
      [slug, destination],
      transaction,
    )
    const changes = new Changes()
    changes.add(link?.siteId ?? '', 'short-links', link?.id ?? '', 'changed')
    await changes.write(db, transaction)
  })
}
