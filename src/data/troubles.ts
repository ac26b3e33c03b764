import { type Database, rows } from './database.ts'

/** Notes that a machine cannot write its log of clicks, or that it can. */
export const noteTrouble = (db: Database, node: string, isWell: boolean): Promise<unknown> =>
  rows(
    db,
    isWell ? 'DELETE FROM delivery_troubles WHERE node = $1' : 'INSERT INTO delivery_troubles (node) VALUES ($1) ON CONFLICT DO NOTHING',
    [node],
  )

/** Machines that cannot write their log of clicks, and since when. */
export const listTroubles = (db: Database): Promise<{ node: string; since: Date }[]> =>
  rows(db, 'SELECT node, since FROM delivery_troubles ORDER BY since')
