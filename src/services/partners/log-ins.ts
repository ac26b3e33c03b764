import { createCipheriv, createDecipheriv, hkdfSync, randomBytes } from 'node:crypto'
import { LogIn } from '../../contract/partners.ts'
import { type Database, inTransaction } from '../../data/database.ts'
import { listLogIns, resealLogIn } from '../../data/partners.ts'

/** First byte of what is sealed, so that another way can follow. */
const FORM = 1
const IV_BYTES = 12
const TAG_BYTES = 16

const keyOf = (secret: string): Buffer => Buffer.from(hkdfSync('sha256', secret, '', 'map rope partner log-ins', 32))

/**
 * Encrypts a log-in (AES-256-GCM, NIST SP 800-38D). It opens only for whom it was sealed.
 * @param secret - of the installation. @param ownerId - of the partner or network, bound to it
 */
export function sealLogIn(secret: string, ownerId: string, logIn: LogIn): Buffer {
  const iv = randomBytes(IV_BYTES)
  const cipher = createCipheriv('aes-256-gcm', keyOf(secret), iv).setAAD(Buffer.from(ownerId))
  const text = Buffer.concat([cipher.update(JSON.stringify(logIn), 'utf8'), cipher.final()])
  return Buffer.concat([Buffer.from([FORM]), iv, cipher.getAuthTag(), text])
}

/** @returns null where it was sealed with another secret, for somebody else, or is damaged */
export function openLogIn(secret: string, ownerId: string, sealed: Buffer): LogIn | null {
  if (sealed[0] !== FORM) return null
  try {
    const [iv, tag] = [sealed.subarray(1, 1 + IV_BYTES), sealed.subarray(1 + IV_BYTES, 1 + IV_BYTES + TAG_BYTES)]
    const opener = createDecipheriv('aes-256-gcm', keyOf(secret), iv, { authTagLength: TAG_BYTES })
      .setAAD(Buffer.from(ownerId))
      .setAuthTag(tag)
    const text = Buffer.concat([opener.update(sealed.subarray(1 + IV_BYTES + TAG_BYTES)), opener.final()])
    return LogIn.parse(JSON.parse(text.toString('utf8')))
  } catch {
    return null
  }
}

/**
 * Seals every log-in with another secret, in one transaction.
 * @returns how many were, and how many could not be opened with the one before: those are left
 */
export function rekeyLogIns(db: Database, before: string, now: string): Promise<{ sealed: number; left: number }> {
  return inTransaction(db, async (transaction) => {
    const done = { sealed: 0, left: 0 }
    for (const { id, sealed } of await listLogIns(db, transaction)) {
      const logIn = openLogIn(before, id, sealed)
      if (logIn === null) done.left++
      else {
        await resealLogIn(db, id, sealLogIn(now, id, logIn), transaction)
        done.sealed++
      }
    }
    return done
  })
}
