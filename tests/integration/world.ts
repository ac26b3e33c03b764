import { createHash, randomBytes } from 'node:crypto'
import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import path from 'node:path'
import { after } from 'node:test'
import { zipSync } from 'fflate'
import pg from 'pg'
import pino from 'pino'
import { ImportReport } from '../../src/contract/imports.ts'
import type { Result } from '../../src/core/result.ts'
import { closeDatabase, type Database, inTransaction, migrate, openDatabase, rows, type Transaction } from '../../src/data/database.ts'
import { MIGRATIONS } from '../../src/data/migrations/index.ts'
import { insertPerson } from '../../src/data/people.ts'
import { insert } from '../../src/data/plain.ts'
import { hosts, type Role, sites } from '../../src/data/tables/index.ts'
import { runImport } from '../../src/jobs/imports.ts'
import { type Actor, type Context, createServices, type OwnServices } from '../../src/services/index.ts'
import { actorFor } from '../../src/services/people/index.ts'
import { hashPassword } from '../../src/services/secrets.ts'
import { readSettings, type Settings } from '../../src/settings/index.ts'
import { type InWords, inWords } from '../../src/words/index.ts'

/** A database of its own, with one empty site and one person of each role. */
export interface World {
  readonly db: Database
  readonly settings: Settings
  readonly context: Context
  readonly services: OwnServices
  readonly owner: Actor
  readonly editor: Actor
  readonly contributor: Actor
  readonly folder: string
}

const cleanUps: (() => Promise<void> | void)[] = []
after(async () => {
  for (const cleanUp of cleanUps.reverse()) await cleanUp()
})

export const PASSWORD = 'soup-at-the-quay'
const silent = pino({ level: 'silent' })

/** Does some work as the owner of the tests' cluster. */
async function inCluster<T>(work: (admin: pg.Client, base: string) => Promise<T>): Promise<T> {
  const base = process.env.MAPROPE_TEST_DATABASE_URL
  if (base === undefined) throw new Error('Run the integration tests with: npm test')
  const admin = new pg.Client({ connectionString: base })
  await admin.connect()
  try {
    return await work(admin, base)
  } finally {
    await admin.end()
  }
}
const urlOf = (base: string, name: string): string => base.replace(/\/[^/]*$/, `/${name}`)

/** Makes a database in the tests' cluster, empty or as another one is; it goes when the file's tests are over. */
export async function emptyDatabase(like?: string): Promise<string> {
  const name = `test_${randomBytes(6).toString('hex')}`
  cleanUps.push(() => inCluster((admin) => admin.query(`DROP DATABASE IF EXISTS ${name} WITH (FORCE)`)).then(() => {}))
  return inCluster(async (admin, base) => {
    await admin.query(`CREATE DATABASE ${name}${like === undefined ? '' : ` TEMPLATE ${like}`}`)
    return urlOf(base, name)
  })
}

/** Any fixed number: of several files that begin at once, one makes the database that all copy. */
const MIGRATED_LOCK = 7_062_499

/** The name of a database with all tables and nothing in them. Made once a cluster: to copy it takes a tenth of the time. */
const migratedDatabase = (): Promise<string> =>
  inCluster(async (admin, base) => {
    const sum = createHash('sha256').update(JSON.stringify(MIGRATIONS.map(({ name, up }) => [name, up])))
    const name = `migrated_${sum.digest('hex').slice(0, 12)}`
    await admin.query('SELECT pg_advisory_lock($1)', [MIGRATED_LOCK])
    const { rowCount } = await admin.query('SELECT 1 FROM pg_database WHERE datname = $1', [name])
    if (rowCount === 0) {
      await admin.query(`DROP DATABASE IF EXISTS half_${name} WITH (FORCE)`)
      await admin.query(`CREATE DATABASE half_${name}`)
      const db = openDatabase(urlOf(base, `half_${name}`))
      await migrate(db)
      await closeDatabase(db)
      await admin.query(`ALTER DATABASE half_${name} RENAME TO ${name}`)
    }
    return name
  })

export async function makeWorld(): Promise<World> {
  const url = await emptyDatabase(await migratedDatabase())
  const folder = mkdtempSync(path.join(tmpdir(), 'map-rope-'))
  const settings = readSettings({
    MAPROPE_DATABASE_URL: url,
    MAPROPE_DATA: folder,
    MAPROPE_SECRET: 'a secret for tests only',
    PORT: '4999',
  })
  const db = openDatabase(url)
  const site = await insert(db, sites, { name: 'A site', timeZone: 'UTC' })
  await insert(db, hosts, { siteId: site.id, host: 'site.localhost', kind: 'site', isMain: true })
  await insert(db, hosts, { siteId: site.id, host: 'short.localhost', kind: 'short', prefix: 'go', isMain: true })
  const passwordHash = await hashPassword(PASSWORD)
  const make = async (role: Role): Promise<Actor> =>
    actorOf(db, { siteId: site.id, email: `${role}@site.example`, name: role, role, passwordHash })
  const context: Context = { db, settings, log: silent, enqueue: async () => {} }
  cleanUps.push(async () => {
    await closeDatabase(db)
    rmSync(folder, { recursive: true, force: true })
  })
  return {
    db,
    settings,
    context,
    services: createServices(context),
    owner: await make('owner'),
    editor: await make('editor'),
    contributor: await make('contributor'),
    folder,
  }
}

/** Somebody new of a site, as they act there. */
export async function actorOf(db: Database, person: Parameters<typeof insertPerson>[1]): Promise<Actor> {
  const made = await insertPerson(db, person)
  if (made === null) throw new Error(`${person.email} is somebody's`)
  return actorFor(made)
}

/** The answer in words, as the API has it, or the test fails with the refusal. */
export function must<T>(result: Result<T>): InWords<T> {
  if (!result.ok) throw new Error(`refused: ${result.fault} ${JSON.stringify(result.detail)}`)
  return inWords(result.value)
}

export const text = (content: string): Uint8Array => new TextEncoder().encode(content)

/** Packs files by name. */
export const zipOf = (files: Readonly<Record<string, Uint8Array | string>>): Uint8Array =>
  zipSync(Object.fromEntries(Object.entries(files).map(([name, content]) => [name, typeof content === 'string' ? text(content) : content])))

/** Imports an upload and runs its job to the end. */
export async function bringIn(
  { services, owner, db }: World,
  bytes: Uint8Array,
  options: { dryRun?: boolean; name?: string; leaveOff?: string } = {},
) {
  const job = must(
    await services.imports.start(owner, { name: options.name ?? 'site.zip', bytes }, () => ({
      dryRun: options.dryRun ?? false,
      leaveOff: options.leaveOff ?? '',
    })),
  )
  await runImport(db, services.views, job, silent)
  return { job, ...must(await services.jobs.get(owner, job)) }
}

/** The report of an import that was carried out. */
export function reportOf(job: { state: string; report: unknown; message: string | null }): InWords<ImportReport> {
  if (job.report === null) throw new Error(`${job.state}: ${job.message}`)
  return inWords(ImportReport.parse(job.report))
}

/** The id of the page at a path. */
export async function pageAt({ services, owner }: World, at: string): Promise<string> {
  const [page] = must(await services.pages.list(owner, { path: at, limit: 1 })).items
  if (page === undefined) throw new Error(`no page at ${at}`)
  return page.id
}

/** Puts many redirects into the table at once, as a list does, while the database's statistics know nothing of them: from /many/1 on. */
export const fillRedirects = (db: Database, siteId: string, count: number): Promise<unknown> =>
  rows(
    db,
    `INSERT INTO redirects (site_id, match, source, key, destination, status, query, place)
     SELECT $1, 'exact', '/many/' || n, '/many/' || n, CASE n % 3 WHEN 0 THEN '/hand.html' WHEN 1 THEN 'https://tides.example/' || n ELSE '/many/' || n + 1 END,
       301, 'drop', n FROM generate_series(1, $2::int) n`,
    [siteId, count],
  )

/** How many rows of these tables the database looks at for some work. */
export const rowsLookedAt = (
  db: Database,
  tables: readonly string[],
  work: (transaction: Transaction) => Promise<unknown>,
): Promise<number> =>
  inTransaction(db, async (transaction) => {
    const read = async (): Promise<number> => {
      const [found] = await rows<{ n: number }>(
        db,
        'SELECT sum(seq_tup_read + idx_tup_fetch)::int AS n FROM pg_stat_xact_user_tables WHERE relname = ANY($1::text[])',
        [tables],
        transaction,
      )
      return found?.n ?? 0
    }
    const before = await read()
    await work(transaction)
    return (await read()) - before
  })
