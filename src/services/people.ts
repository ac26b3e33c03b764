import { createHash, randomBytes } from 'node:crypto'
import { hash, verify } from '@node-rs/argon2'
import { RateLimiterMemory, RateLimiterRes } from 'rate-limiter-flexible'
import { PERMISSIONS, type Permission, type TokenNew } from '../contract/people.ts'
import { fail, ok, type Result } from '../core/result.ts'
import type { PersonRow, Role } from '../data/models.ts'
import { type Actor, type Context, write, writeAudit } from './context.ts'

const DAY_MS = 24 * 60 * 60 * 1000
/** A session ends after a fortnight; somebody who works daily signs in twice a month. */
export const SESSION_MS = 14 * DAY_MS
/** Wrong passwords for one account from one place, and from one place altogether, in ten minutes. */
const TRIES_PER_ACCOUNT = 8
const TRIES_PER_PLACE = 60
const TRIES_WINDOW_SECONDS = 600

const READS = PERMISSIONS.filter((permission) => permission.endsWith(':read'))
/** What each role may do. Contributors write; marks, addresses and money are for editors. */
export const ROLE_PERMISSIONS: Readonly<Record<Role, ReadonlySet<Permission>>> = {
  owner: new Set(PERMISSIONS),
  editor: new Set(PERMISSIONS.filter((permission) => permission !== 'hosts:edit')),
  contributor: new Set([...READS, 'pages:edit']),
}

export function actorFor(person: Omit<PersonRow, 'passwordHash'>, tokenId: string | null, scopes: readonly string[]): Actor {
  const allowed = ROLE_PERMISSIONS[person.role]
  const isScoped = !scopes.includes('*')
  return {
    personId: person.id,
    siteId: person.siteId,
    name: person.name,
    email: person.email,
    role: person.role,
    tokenId,
    can: (permission) => allowed.has(permission) && (!isScoped || scopes.includes(permission)),
  }
}

const digest = (secret: string): string => createHash('sha256').update(secret).digest('hex')

/** argon2id with the parameters OWASP names first: 19 MiB, two passes. */
export const hashPassword = (password: string): Promise<string> => hash(password, { memoryCost: 19_456, timeCost: 2, parallelism: 1 })

/** People, their sessions and their API tokens. */
export function peopleService({ db }: Context) {
  const { Person, Session, Token } = db.models
  const byAccount = new RateLimiterMemory({ points: TRIES_PER_ACCOUNT, duration: TRIES_WINDOW_SECONDS })
  const byPlace = new RateLimiterMemory({ points: TRIES_PER_PLACE, duration: TRIES_WINDOW_SECONDS })
  // Checked when nobody has that address, so that the time taken does not tell.
  const nobody = hashPassword(randomBytes(16).toString('hex'))

  return {
    /** @param place - the network address the attempt came from; kept in memory only */
    async signIn(
      email: string,
      password: string,
      place: string,
    ): Promise<Result<{ token: string; actor: Actor }, 'wrong-password' | 'too-many-tries'>> {
      const account = `${email.toLowerCase()} ${place}`
      // Counted before the password is looked at: tries that run at the same time count too.
      const counted = await Promise.allSettled([byAccount.consume(account), byPlace.consume(place)])
      const full = counted.find((each) => each.status === 'rejected')
      if (full !== undefined) {
        const { reason } = full as { reason: unknown }
        const waitMs = reason instanceof RateLimiterRes ? reason.msBeforeNext : TRIES_WINDOW_SECONDS * 1000
        return fail('too-many-tries', { retryAfterSeconds: Math.ceil(waitMs / 1000) })
      }
      const person = await Person.findOne({ where: { email: email.toLowerCase() } })
      const isRight = await verify(person?.passwordHash ?? (await nobody), password)
      if (person === null || !isRight) return fail('wrong-password')
      await byPlace.reward(place)
      await byAccount.delete(account)
      const token = randomBytes(32).toString('base64url')
      const actor = actorFor(person, null, ['*'])
      return write(db, async (transaction) => {
        await Session.create(
          { personId: person.id, tokenHash: digest(token), expiresAt: new Date(Date.now() + SESSION_MS) },
          { transaction },
        )
        await writeAudit(db, actor, 'people:sign-in', person.id, {}, transaction)
        return ok({ token, actor })
      })
    },

    /** Who a session cookie belongs to; null when it has ended. */
    async resume(token: string): Promise<Actor | null> {
      const session = await Session.findOne({ where: { tokenHash: digest(token) } })
      if (session === null || session.expiresAt.getTime() < Date.now()) return null
      const person = await Person.findByPk(session.personId)
      return person === null ? null : actorFor(person, null, ['*'])
    },

    /** Somebody with the rights they have now; null when they are gone. */
    async actorOf(personId: string): Promise<Actor | null> {
      const person = await Person.findByPk(personId)
      return person === null ? null : actorFor(person, null, ['*'])
    },

    async signOut(token: string): Promise<void> {
      await Session.destroy({ where: { tokenHash: digest(token) } })
    },

    /** Who a bearer token speaks for; null when it is unknown or was revoked. */
    async bearer(token: string): Promise<Actor | null> {
      const found = await Token.findOne({ where: { tokenHash: digest(token), revokedAt: null } })
      if (found === null) return null
      const person = await Person.findByPk(found.personId)
      return person === null ? null : actorFor(person, found.id, found.scopes)
    },

    async makeToken(
      actor: Actor,
      { name, scopes }: TokenNew,
    ): Promise<Result<{ id: string; name: string; scopes: string[]; createdAt: string; token: string }, 'forbidden'>> {
      if (!actor.can('tokens:edit') || scopes.some((scope) => scope !== '*' && !actor.can(scope))) return fail('forbidden')
      if (scopes.includes('*') && PERMISSIONS.some((permission) => ROLE_PERMISSIONS[actor.role].has(permission) && !actor.can(permission)))
        return fail('forbidden')
      const token = `mr_${randomBytes(32).toString('base64url')}`
      return write(db, async (transaction) => {
        const made = await Token.create({ personId: actor.personId, name, scopes, tokenHash: digest(token) }, { transaction })
        await writeAudit(db, actor, 'tokens:create', made.id, { name, scopes }, transaction)
        return ok({ id: made.id, name, scopes, createdAt: new Date().toISOString(), token })
      })
    },

    async revokeToken(actor: Actor, id: string): Promise<Result<null, 'forbidden' | 'not-found'>> {
      if (!actor.can('tokens:edit')) return fail('forbidden')
      return write(db, async (transaction) => {
        const [count] = await Token.update(
          { revokedAt: new Date() },
          { where: { id, personId: actor.personId, revokedAt: null }, transaction },
        )
        if (count === 0) return fail('not-found')
        await writeAudit(db, actor, 'tokens:revoke', id, {}, transaction)
        return ok(null)
      })
    },
  }
}
