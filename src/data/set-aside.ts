import { type Database, rows } from './database.ts'

/** Days for which it is known how many lines were set aside. */
const KEPT_DAYS = 90
/** Days of which the Desk tells. */
const TOLD_DAYS = 30

/** Counts lines of a machine's click log that could not be stored. What is older than anybody is told goes. */
export async function noteSetAside(db: Database, node: string, lines: number): Promise<void> {
  await rows(db, `DELETE FROM set_aside_lines WHERE day < now()::date - ${KEPT_DAYS}`)
  await rows(
    db,
    `INSERT INTO set_aside_lines (node, day, lines) VALUES ($1, now()::date, $2)
     ON CONFLICT (node, day) DO UPDATE SET lines = set_aside_lines.lines + excluded.lines`,
    [node, lines],
  )
}

/** How many lines were set aside of late, on all machines. */
export async function setAsideOfLate(db: Database): Promise<number> {
  const [found] = await rows<{ lines: number }>(
    db,
    `SELECT coalesce(sum(lines), 0)::float8 AS lines FROM set_aside_lines WHERE day >= now()::date - ${TOLD_DAYS}`,
  )
  return found?.lines ?? 0
}
