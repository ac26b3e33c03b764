import { type Database, rows } from './database.ts'
import { remove, select } from './plain.ts'
import { deliveryTroubles } from './tables/index.ts'

/** Notes that a machine cannot write its log of clicks, or that it can. */
export const noteTrouble = (db: Database, node: string, isWell: boolean): Promise<unknown> =>
  isWell
    ? remove(db, deliveryTroubles, { node })
    : rows(db, 'INSERT INTO delivery_troubles (node) VALUES ($1) ON CONFLICT DO NOTHING', [node])

/** Machines that cannot write their log of clicks, and since when. */
export const listTroubles = (db: Database): Promise<{ node: string; since: Date }[]> =>
  select(db, deliveryTroubles, ['node', 'since'], {}, { order: [['since', 'ASC']] })
