import type { Database, Transaction } from './database.ts'
import { insert, isAfter, isBefore, NOW, remove, selectOne, update } from './plain.ts'
import { memberships, type SessionRow, sessions } from './tables/index.ts'

type Whose = Pick<SessionRow, 'personId' | 'siteId'>

/** Notes at which site somebody was last: there they begin the next time. */
const noteBegun = (db: Database, { personId, siteId }: Whose, transaction: Transaction): Promise<unknown> =>
  update(db, memberships, { usedAt: NOW }, { personId, siteId }, transaction)

/** Lets somebody in at a site. @returns the session's id */
export async function insertSession(
  db: Database,
  session: Whose & Pick<SessionRow, 'tokenHash' | 'expiresAt'>,
  transaction: Transaction,
): Promise<string> {
  const { id } = await insert(db, sessions, session, transaction)
  await noteBegun(db, session, transaction)
  return id
}

/** Whose session it is, and at which site; null when there is none of that hash, or it is over. */
export const sessionOf = (db: Database, tokenHash: string): Promise<(Whose & Pick<SessionRow, 'id'>) | null> =>
  selectOne(db, sessions, ['id', 'personId', 'siteId'], { tokenHash, expiresAt: isAfter(NOW) })

/** Has a session act at another site of the same person. */
export async function moveSession(
  db: Database,
  { id, personId, siteId }: Whose & Pick<SessionRow, 'id'>,
  transaction: Transaction,
): Promise<void> {
  await update(db, sessions, { siteId }, { id, personId }, transaction)
  await noteBegun(db, { personId, siteId }, transaction)
}

export async function endSession(db: Database, tokenHash: string): Promise<void> {
  await remove(db, sessions, { tokenHash })
}

/** Takes away the sessions that are over. @returns how many there were */
export const dropExpiredSessions = (db: Database): Promise<number> => remove(db, sessions, { expiresAt: isBefore(NOW) })
