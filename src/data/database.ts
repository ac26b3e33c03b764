import pg from 'pg'
import { QueryTypes, Sequelize, type Transaction } from 'sequelize'
import { Umzug } from 'umzug'
import { MIGRATIONS } from './migrations/index.ts'
import { noteSlow, SLOW_MS } from './slow-queries.ts'
import { defineTables } from './tables/define.ts'

export type { Transaction } from 'sequelize'

/** An open connection pool with the models that live on it: one for each of `tables/`, by its name. */
export interface Database {
  readonly sequelize: Sequelize
  /** For what an ORM does not do: COPY and LISTEN. */
  readonly pool: pg.Pool
  readonly url: string
}

/** Most connections one process holds for queries. PostgreSQL's default is 100 for everybody. */
const POOL_SIZE = 10

/**
 * Opens a pool; connects when first used.
 * @param fillsTables - for connections that put many rows into tables that may still be nearly empty. PostgreSQL keeps the plan by which
 * it checks that a row's page exists: made for three pages, it looks at every page for every link, and to the end of the transaction,
 * whatever is in the table by then (an import of 4,000 pages ran at 12 pages a second instead of over 60).
 * @param answersWithinMs - for connections by which people are answered: a query that takes longer is given up (57014)
 */
export function openDatabase(
  url: string,
  { fillsTables = false, answersWithinMs }: { readonly fillsTables?: boolean; readonly answersWithinMs?: number } = {},
): Database {
  const sequelize = new Sequelize(url, {
    dialect: 'postgres',
    logging: false,
    pool: { max: POOL_SIZE },
    define: { underscored: true, createdAt: false, updatedAt: false },
  })
  sequelize.addHook('afterConnect', (connection) => setUp(connection, { fillsTables, answersWithinMs }))
  const pool = new pg.Pool({ connectionString: url, max: 3 })
  pool.on('error', () => {}) // an idle connection that breaks is replaced at the next use, where an error can be told
  defineTables(sequelize)
  return { sequelize, pool, url }
}

/** Our queries are many and short: compiling the plan of one that looks 3,000 rows up took 250 of its 270 ms. */
const INTERPRETED = 'SET jit = off'
/** Rows are found by an index wherever there is one, and those to be searched by words are filed 40,000 at a time. */
const BY_INDEX = "SET enable_seqscan = off; SET gin_pending_list_limit = '64MB'"

/** @param connection - told by what it can do: bundled, its class is another copy than the one that is imported here */
async function setUp(
  connection: unknown,
  { fillsTables, answersWithinMs }: { readonly fillsTables: boolean; readonly answersWithinMs: number | undefined },
): Promise<void> {
  if (typeof connection !== 'object' || connection === null || !('query' in connection) || typeof connection.query !== 'function')
    throw new TypeError('A connection of the pool takes no queries')
  const most = answersWithinMs === undefined ? [] : [`SET statement_timeout = ${Math.round(answersWithinMs)}`]
  await connection.query([INTERPRETED, ...(fillsTables ? [BY_INDEX] : []), ...most].join('; '))
}

export async function closeDatabase(db: Database): Promise<void> {
  await Promise.allSettled([db.sequelize.close(), db.pool.end()])
}

/** Any fixed number: two processes that start at once migrate one after the other. */
const MIGRATION_LOCK = 7_062_401

/** Brings the tables up to date. */
export async function migrate(db: Database): Promise<void> {
  const client = await db.pool.connect()
  try {
    await client.query('SELECT pg_advisory_lock($1)', [MIGRATION_LOCK])
    await db.sequelize.query('CREATE TABLE IF NOT EXISTS migrations (name text PRIMARY KEY, run_at timestamptz NOT NULL DEFAULT now())')
    const umzug = new Umzug({
      migrations: MIGRATIONS.map((migration) => ({
        name: migration.name,
        up: () =>
          db.sequelize.transaction(async (transaction) => {
            await db.sequelize.query(migration.up, { transaction })
            if ('after' in migration) await migration.after((sql, bind) => rows(db, sql, bind, transaction))
            await db.sequelize.query('INSERT INTO migrations (name) VALUES ($1)', { bind: [migration.name], transaction })
          }),
      })),
      storage: {
        logMigration: async () => {}, // written down in the migration's own transaction: done and noted, or neither
        unlogMigration: async ({ name }) => void (await db.sequelize.query('DELETE FROM migrations WHERE name = $1', { bind: [name] })),
        executed: async () => (await rows<{ name: string }>(db, 'SELECT name FROM migrations ORDER BY name')).map(({ name }) => name),
      },
      logger: undefined,
    })
    await umzug.up()
    await client.query('SELECT pg_advisory_unlock($1)', [MIGRATION_LOCK])
  } finally {
    client.release()
  }
}

/** Runs a query and hands back its rows. Values are bound as $1, $2 …; the row type is the query's promise. */
export async function rows<Row extends object>(
  db: Database,
  sql: string,
  bind: readonly unknown[] = [],
  transaction?: Transaction,
): Promise<Row[]> {
  const given = transaction === undefined ? {} : { transaction }
  return noteTime(db.sequelize.query<Row>(sql, { bind: [...bind], type: QueryTypes.SELECT, ...given }))
}

/** Notes a query that takes long, by who asked. */
export async function noteTime<T>(query: Promise<T>): Promise<T> {
  const startedAt = performance.now()
  const found = await query
  const ms = performance.now() - startedAt
  if (ms > SLOW_MS) noteSlow(ms, new Error('slow').stack ?? '')
  return found
}

/** How many connections for queries are in use, and how many wait for one. */
export function poolState({ sequelize }: Database): { readonly used: number; readonly waiting: number } {
  const { pool } = sequelize.connectionManager as unknown as { pool?: { using?: number; waiting?: number } }
  return { used: pool?.using ?? 0, waiting: pool?.waiting ?? 0 }
}

/** Settles when the database answers. */
export async function isThere(db: Database): Promise<void> {
  await rows(db, 'SELECT 1')
}

/** Everything in `work` happens, or nothing. */
export function inTransaction<T>(db: Database, work: (transaction: Transaction) => Promise<T>): Promise<T> {
  return db.sequelize.transaction(work)
}

/** Asks several things at once; within a transaction, which is one connection, one after the other. @returns the answers in the order of what was asked */
export async function askTogether<Asks extends readonly (() => Promise<unknown>)[]>(
  transaction: Transaction | undefined,
  ...asks: Asks
): Promise<{ readonly [K in keyof Asks]: Awaited<ReturnType<Asks[K]>> }>
export async function askTogether(transaction: Transaction | undefined, ...asks: readonly (() => Promise<unknown>)[]): Promise<unknown> {
  if (transaction === undefined) return Promise.all(asks.map((ask) => ask()))
  const answers: unknown[] = []
  for (const ask of asks) answers.push(await ask())
  return answers
}

/** Text as PostgreSQL can keep it: without NUL and halves of surrogate pairs. */
export const storable = (text: string): string =>
  text.replaceAll('\0', '\uFFFD').replace(/[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/g, '\uFFFD')

/** NUL and halves of surrogate pairs are written as escapes: where there is none, as nearly always, nothing has to be looked at one by one. */
const MAY_NOT_BE_KEPT = /\\u(?:0000|d[89a-f])/

/** A value as JSON that PostgreSQL can keep (jsonb takes no NUL and no half of a surrogate pair). */
export function jsonOf(value: unknown): string {
  const text = JSON.stringify(value)
  if (!MAY_NOT_BE_KEPT.test(text)) return text
  return JSON.stringify(value, (_, each: unknown) => (typeof each === 'string' ? storable(each) : each))
}

/** The same of a value that is written as JSON by somebody else; itself where there is nothing to mend. */
export function storableJson(value: unknown): unknown {
  const text = JSON.stringify(value)
  return text === undefined || !MAY_NOT_BE_KEPT.test(text) ? value : JSON.parse(jsonOf(value))
}

/** An error as it may stand in the log: the database's errors bring the query and its values along, and neither belongs there. */
export function loggable(error: unknown): unknown {
  if (!(error instanceof Error)) return typeof error
  const code =
    'code' in error
      ? String(error.code)
      : 'original' in error && error.original instanceof Error && 'code' in error.original
        ? String(error.original.code)
        : undefined
  const isOfDatabase = 'sql' in error || 'parameters' in error || error.name.startsWith('Sequelize') || 'routine' in error
  // PostgreSQL repeats values in its messages too: "invalid input syntax for type uuid: …".
  const message = isOfDatabase ? error.message.replace(/: ".*"$/s, ': …') : error.message
  return { type: error.name, message, code, stack: error.stack?.replace(error.message, message) }
}
