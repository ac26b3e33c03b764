import { type Database, rows } from './database.ts'

/** A table that has grown by more than a tenth, and by more blocks than these, is looked at anew. */
const GROWN_MIN_BLOCKS = 20

/**
 * Has the database look at tables that have just been filled, as it would by itself only minutes later: until then it knows nothing of
 * what is in them, and goes through all of a table where a look-up would do. What was to be filed for searching is filed.
 */
export async function refreshStatistics(db: Database): Promise<void> {
  const filled = await rows<{ name: string }>(
    db,
    `SELECT c.oid::regclass::text AS name FROM pg_class c WHERE c.relkind = 'r' AND c.relnamespace = 'public'::regnamespace
       AND pg_relation_size(c.oid) / current_setting('block_size')::int > greatest(c.relpages, 0) * 1.1 + $1`,
    [GROWN_MIN_BLOCKS],
  )
  for (const { name } of filled) {
    await rows(db, `ANALYZE ${name}`)
    await rows(
      db,
      `SELECT gin_clean_pending_list(i.indexrelid) AS pages FROM pg_index i JOIN pg_class c ON c.oid = i.indexrelid JOIN pg_am a ON a.oid = c.relam
       WHERE a.amname = 'gin' AND i.indrelid = $1::regclass`,
      [name],
    )
  }
}
