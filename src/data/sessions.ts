import { type Database, rows } from './database.ts'

/** Takes away the sessions that are over. @returns how many there were */
export async function dropExpiredSessions(db: Database): Promise<number> {
  return (await rows(db, 'DELETE FROM sessions WHERE expires_at < now() RETURNING 1 AS gone')).length
}
