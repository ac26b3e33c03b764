import { createHash, timingSafeEqual } from 'node:crypto'
import { hash } from '@node-rs/argon2'

/** What is kept of a secret that is long and random: sessions, tokens, one-time links and codes. */
export const digest = (secret: string): string => createHash('sha256').update(secret).digest('hex')

/** What is kept of a password. argon2id with the parameters OWASP names first: 19 MiB, two passes. */
export const hashPassword = (password: string): Promise<string> => hash(password, { memoryCost: 19_456, timeCost: 2, parallelism: 1 })

/** Whether two secrets are the same, in a time that does not tell where they differ. */
export function isSame(given: string, right: string): boolean {
  const [one, other] = [Buffer.from(given), Buffer.from(right)]
  return one.length === other.length && timingSafeEqual(one, other)
}
