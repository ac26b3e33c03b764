import { type Database, inTransaction, rows } from './database.ts'

/** A table that has grown by more than a tenth, and by more blocks than these, is looked at anew. */
const GROWN_MIN_BLOCKS = 20
/** No table is begun after so long, and none takes longer: a job that is silent for half a minute counts as lost. */
const REFRESH_MS = 10_000

/**
 * Has the database look at tables that have just been filled, as it would by itself only minutes later: until then it knows nothing of
 * what is in them, and goes through all of a table where a look-up would do. What was to be filed for searching is filed, whether or
 * not its table has grown by much: who wrote next would wait for it.
 */
export async function refreshStatistics(db: Database): Promise<void> {
  const until = Date.now() + REFRESH_MS
  const filed = await rows<{ id: number }>(
    db,
    `SELECT i.indexrelid::int AS id FROM pg_index i JOIN pg_class c ON c.oid = i.indexrelid JOIN pg_am a ON a.oid = c.relam
     WHERE a.amname = 'gin' AND c.relnamespace = 'public'::regnamespace`,
  )
  const filled = await rows<{ name: string }>(
    db,
    `SELECT c.oid::regclass::text AS name FROM pg_class c WHERE c.relkind = 'r' AND c.relnamespace = 'public'::regnamespace
       AND pg_relation_size(c.oid) / current_setting('block_size')::int > greatest(c.relpages, 0) * 1.1 + $1`,
    [GROWN_MIN_BLOCKS],
  )
  const works = [...filed.map(({ id }) => `SELECT gin_clean_pending_list(${id}::regclass)`), ...filled.map(({ name }) => `ANALYZE ${name}`)]
  for (const work of works) {
    if (Date.now() > until) return
    await inTransaction(db, async (transaction) => {
      await rows(db, `SET LOCAL statement_timeout = ${REFRESH_MS}`, [], transaction)
      await rows(db, work, [], transaction)
    })
  }
}
