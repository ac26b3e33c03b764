import { createHmac, randomBytes } from 'node:crypto'
import { verify } from '@node-rs/argon2'
import { RateLimiterMemory, RateLimiterRes } from 'rate-limiter-flexible'
import { mayAsk } from '../../contract/operation.ts'
import {
  people as calls,
  type PasswordChange,
  type PersonChange,
  type PersonInvited,
  type PersonList,
  type PersonNew,
  type Person as PersonShown,
  type SiteList,
} from '../../contract/people.ts'
import { PERMISSIONS, type Permission } from '../../contract/permissions.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import { DAY_MS } from '../../core/time.ts'
import type { Transaction } from '../../data/database.ts'
import {
  admitPerson,
  countPeople,
  dropEntryLinks,
  endPerson,
  findMember,
  findPerson,
  isBeyond,
  type ListedPerson,
  listPeople,
  lockPerson,
  type Member,
  otherOwners,
  personOfLink,
  putEntryLink,
  putPassword,
  sitesOf,
  updatePerson,
} from '../../data/people.ts'
import { endSession, insertSession, moveSession, sessionOf } from '../../data/sessions.ts'
import type { Role } from '../../data/tables/index.ts'
import { tell } from '../../words/index.ts'
import { type Actor, type Context, write, writeAudit } from '../context.ts'
import { digest, hashPassword, isSame } from '../secrets.ts'

/** A session ends after a fortnight; somebody who works daily signs in twice a month. */
export const SESSION_MS = 14 * DAY_MS
/** Most people of a site. */
export const PEOPLE_MAX = 500
/** How long somebody who was added has for choosing a password. */
const ENTRY_LINK_MS = 7 * DAY_MS
/** Wrong passwords for one account from one place, and from one place altogether, in ten minutes. */
const TRIES_PER_ACCOUNT = 8
const TRIES_PER_PLACE = 60
const TRIES_WINDOW_SECONDS = 600
/** From browsers that never signed a person in, from wherever: more go one after the other, so many at most, with a pause. */
const TRIES_PER_PERSON = 30
const LANE_MAX = 5
const LANE_PAUSE_MS = 1_000

const READS = PERMISSIONS.filter((permission) => permission.endsWith(':read'))
/** An owner's alone: what the whole site answers on, and who may do what. */
const OWNERS = new Set<Permission>(['hosts:edit', 'people:edit'])
/** What each role may do. Contributors write; marks, addresses and money are for editors. */
export const ROLE_PERMISSIONS: Readonly<Record<Role, ReadonlySet<Permission>>> = {
  owner: new Set(PERMISSIONS),
  editor: new Set(PERMISSIONS.filter((permission) => !OWNERS.has(permission))),
  contributor: new Set([...READS, 'pages:edit']),
}

/** Somebody with the rights of a role, or of a token within it. @param by - the token or session that they come with */
export function actorFor(
  person: Pick<Member, 'id' | 'siteId' | 'name' | 'email' | 'role'>,
  by: { readonly tokenId?: string; readonly sessionId?: string } = {},
  scopes: readonly string[] = ['*'],
): Actor {
  const allowed = ROLE_PERMISSIONS[person.role]
  const isScoped = !scopes.includes('*')
  return {
    personId: person.id,
    siteId: person.siteId,
    name: person.name,
    email: person.email,
    role: person.role,
    tokenId: by.tokenId ?? null,
    sessionId: by.sessionId ?? null,
    can: (permission) => allowed.has(permission) && (!isScoped || scopes.includes(permission)),
  }
}

interface Entered {
  readonly token: string
  readonly actor: Actor
}

/** People, their passwords and their sessions. */
export function peopleService({ db, settings }: Context) {
  const byAccount = new RateLimiterMemory({ points: TRIES_PER_ACCOUNT, duration: TRIES_WINDOW_SECONDS })
  const byPlace = new RateLimiterMemory({ points: TRIES_PER_PLACE, duration: TRIES_WINDOW_SECONDS })
  const byPerson = new RateLimiterMemory({ points: TRIES_PER_PERSON, duration: TRIES_WINDOW_SECONDS })
  const lanes = new Map<string, { waiting: number; last: Promise<void> }>()
  /** What a browser keeps that has signed this person in: nobody else's tries slow it down. */
  const knownSign = (personId: string): string =>
    createHmac('sha256', settings.secret).update(`known browser ${personId}`).digest('base64url')

  /**
   * Where a person's password is tried from everywhere, tries from browsers that never signed in go one after the other, with a pause;
   * too many that wait are sent away for a moment. Whoever knows the password comes in all the same.
   */
  const slowly = async (account: string): Promise<Result<null, 'too-many-tries'>> => {
    if (
      await byPerson.consume(account).then(
        () => true,
        () => false,
      )
    )
      return ok(null)
    const lane = lanes.get(account) ?? { waiting: 0, last: Promise.resolve() }
    if (lane.waiting >= LANE_MAX) return fail('too-many-tries', { retryAfterSeconds: Math.ceil((LANE_MAX * LANE_PAUSE_MS) / 1_000) })
    lane.waiting++
    lanes.set(account, lane)
    lane.last = lane.last.then(() => new Promise((resolve) => setTimeout(resolve, LANE_PAUSE_MS)))
    await lane.last
    if (--lane.waiting === 0) lanes.delete(account)
    return ok(null)
  }
  // Checked when nobody has that address, so that the time taken does not tell.
  const nobody = hashPassword(randomBytes(16).toString('hex'))

  /** Counts a try before the password is looked at: tries that run at the same time count too. */
  const countTry = async (account: string, place: string): Promise<Result<null, 'too-many-tries'>> => {
    const counted = await Promise.allSettled([byAccount.consume(account), byPlace.consume(place)])
    const full = counted.find((each) => each.status === 'rejected')
    if (full === undefined) return ok(null)
    const { reason } = full as { reason: unknown }
    const waitMs = reason instanceof RateLimiterRes ? reason.msBeforeNext : TRIES_WINDOW_SECONDS * 1000
    return fail('too-many-tries', { retryAfterSeconds: Math.ceil(waitMs / 1000) })
  }
  const forgetTry = async (account: string, place: string, person?: string): Promise<void> => {
    await byPlace.reward(place)
    if (person !== undefined) await byPerson.reward(person)
    await byAccount.delete(account)
  }
  const beginSession = async (person: Member, transaction: Transaction): Promise<Entered> => {
    const token = randomBytes(32).toString('base64url')
    const expiresAt = new Date(Date.now() + SESSION_MS)
    const sessionId = await insertSession(
      db,
      { personId: person.id, siteId: person.siteId, tokenHash: digest(token), expiresAt },
      transaction,
    )
    return { token, actor: actorFor(person, { sessionId }) }
  }
  const giveEntryLink = async (actor: Actor, person: ListedPerson, studio: string, transaction: Transaction): Promise<PersonInvited> => {
    const code = randomBytes(32).toString('base64url')
    const endsAt = new Date(Date.now() + ENTRY_LINK_MS)
    await putEntryLink(db, person.id, digest(code), endsAt, transaction)
    return { person: shown(actor, person), entry: { link: `${studio}/enter?code=${code}`, endsAt: endsAt.toISOString() } }
  }

  return {
    /**
     * @param place - the network address the attempt came from; kept in memory only
     * @param known - what the browser kept of an earlier time that this person signed in; "" for nothing
     */
    async signIn(
      email: string,
      password: string,
      place: string,
      known = '',
    ): Promise<Result<Entered & { readonly known: string }, 'wrong-password' | 'too-many-tries'>> {
      const account = `${email.toLowerCase()} ${place}`
      const counted = await countTry(account, place)
      if (!counted.ok) return counted
      const person = await findPerson(db, { email: email.toLowerCase() })
      const sign = knownSign(person?.id ?? 'nobody')
      if (!isSame(known, sign)) {
        const slowed = await slowly(email.toLowerCase())
        if (!slowed.ok) return slowed
      }
      const isRight = await verify(person?.passwordHash ?? (await nobody), password)
      if (person?.passwordHash == null || !isRight) return fail('wrong-password')
      await forgetTry(account, place, email.toLowerCase())
      return write(db, async (transaction) => {
        const entered = await beginSession(person, transaction)
        await writeAudit(db, entered.actor, 'people:sign-in', person.id, {}, transaction)
        return ok({ ...entered, known: sign })
      })
    },

    /** Who a session cookie belongs to; null when it has ended. */
    async resume(token: string): Promise<Actor | null> {
      const session = await sessionOf(db, digest(token))
      if (session === null) return null
      const person = await findMember(db, session.personId, session.siteId)
      return person === null ? null : actorFor(person, { sessionId: session.id })
    },

    /** Somebody with the rights they have now at a site; null when they are gone. */
    async actorOf(personId: string, siteId: string): Promise<Actor | null> {
      const person = await findMember(db, personId, siteId)
      return person === null ? null : actorFor(person)
    },

    async signOut(token: string): Promise<void> {
      await endSession(db, digest(token))
    },

    /** Whom a one-time link lets in; null when it was used, or is over. */
    invited: (code: string) => personOfLink(db, digest(code)),

    /** Uses a one-time link: the password is set, and whoever came with it is signed in. */
    async enter(code: string, password: string): Promise<Result<Entered, 'link-used'>> {
      // Looked at before anything is worked out: whoever guesses costs nothing.
      if ((await personOfLink(db, digest(code))) === null) return fail('link-used')
      const passwordHash = await hashPassword(password)
      return write(db, async (transaction, changes) => {
        const invited = await personOfLink(db, digest(code), transaction)
        const person = invited === null ? null : await findPerson(db, { id: invited.id }, transaction)
        if (person === null) return fail('link-used')
        await putPassword(db, person.id, passwordHash, null, transaction)
        changes.add(person.siteId, 'people', person.id, 'changed')
        const entered = await beginSession(person, transaction)
        await writeAudit(db, entered.actor, 'people:enter', person.id, {}, transaction)
        return ok(entered)
      })
    },

    /** One's own password; every other browser is signed out. A token may not: whoever finds one would keep the account. */
    async changePassword(
      actor: Actor,
      { current, password }: PasswordChange,
    ): Promise<Result<null, 'forbidden' | 'password-not-yours' | 'too-many-tries'>> {
      if (actor.sessionId === null) return fail('forbidden', { why: tell('people.password-by-person') })
      const account = `password of ${actor.personId}`
      const counted = await countTry(account, account)
      if (!counted.ok) return counted
      const person = await findMember(db, actor.personId, actor.siteId)
      if (person?.passwordHash == null || !(await verify(person.passwordHash, current))) return fail('password-not-yours')
      await forgetTry(account, account)
      const passwordHash = await hashPassword(password)
      return write(db, async (transaction) => {
        await putPassword(db, actor.personId, passwordHash, actor.sessionId, transaction)
        await writeAudit(db, actor, 'people:password', actor.personId, {}, transaction)
        return ok(null)
      })
    },

    async list(actor: Actor): Promise<Result<PersonList, 'forbidden'>> {
      if (!mayAsk(actor, calls.list)) return fail('forbidden')
      return ok({ items: (await listPeople(db, actor.siteId)).map((person) => shown(actor, person)) })
    },

    /** The sites that whoever asks belongs to. */
    async sites(actor: Actor): Promise<Result<SiteList, never>> {
      const found = await sitesOf(db, actor.personId)
      return ok({ items: found.map((site) => ({ ...site, isHere: site.id === actor.siteId })) })
    },

    /** Goes on at another of one's sites. A token acts at the one that it was made for. */
    async goTo(actor: Actor, siteId: string): Promise<Result<null, 'forbidden' | 'not-found'>> {
      const { personId, sessionId } = actor
      if (sessionId === null) return fail('forbidden', { why: tell('people.token-of-site') })
      return write(db, async (transaction) => {
        const member = await findMember(db, personId, siteId, transaction)
        if (member === null) return fail('not-found')
        await moveSession(db, { id: sessionId, personId, siteId }, transaction)
        await writeAudit(db, actorFor(member, { sessionId }), 'people:go-to', personId, { from: actor.siteId }, transaction)
        return ok(null)
      })
    },

    /** Adds somebody, who comes in with a one-time link, or with the password that they have at another site. @param studio - origin the link starts with */
    async add(
      actor: Actor,
      wanted: PersonNew,
      studio: string,
    ): Promise<Result<PersonInvited, 'forbidden' | 'email-taken' | 'people-too-many' | 'person-not-in-yet'>> {
      if (!mayAsk(actor, calls.add)) return fail('forbidden')
      return write(db, async (transaction, changes) => {
        if ((await countPeople(db, actor.siteId, transaction)) >= PEOPLE_MAX) return fail('people-too-many', { most: PEOPLE_MAX })
        const person = await admitPerson(db, { ...wanted, siteId: actor.siteId }, transaction)
        if (person === null) return fail('email-taken', { email: wanted.email })
        changes.add(actor.siteId, 'people', person.id, 'made')
        await writeAudit(db, actor, 'people:add', person.id, { role: wanted.role }, transaction)
        if (!person.hasPassword && (await isBeyond(db, person.id, actor.personId, transaction)))
          return fail('person-not-in-yet', { email: wanted.email })
        // Whoever comes in elsewhere does so here as well, and by no link that somebody there still holds.
        if (person.hasPassword) {
          await dropEntryLinks(db, person.id, transaction)
          return ok({ person: shown(actor, person), entry: null })
        }
        return ok(await giveEntryLink(actor, person, studio, transaction))
      })
    },

    /** A new one-time link, for somebody who lost the first, or a password. Until it is used the old password works. */
    async link(actor: Actor, id: string, studio: string): Promise<Result<PersonInvited, 'forbidden' | 'not-found' | 'person-elsewhere'>> {
      if (!mayAsk(actor, calls.link)) return fail('forbidden')
      return write(db, async (transaction, changes) => {
        const person = await lockPerson(db, actor.siteId, id, transaction)
        if (person === null || person.endedAt !== null) return fail('not-found')
        if (await isBeyond(db, id, actor.personId, transaction)) return fail('person-elsewhere', { name: person.name })
        changes.add(actor.siteId, 'people', id, 'changed')
        await writeAudit(db, actor, 'people:link', id, {}, transaction)
        return ok(await giveEntryLink(actor, person, studio, transaction))
      })
    },

    async change(
      actor: Actor,
      id: string,
      change: PersonChange,
    ): Promise<Result<PersonShown, 'forbidden' | 'not-found' | 'moved-on' | 'last-owner' | 'person-elsewhere'>> {
      if (!mayAsk(actor, calls.change)) return fail('forbidden')
      return write(db, async (transaction, changes) => {
        const before = await lockPerson(db, actor.siteId, id, transaction)
        if (before === null || before.endedAt !== null) return fail('not-found')
        const next = {
          id,
          siteId: actor.siteId,
          version: change.version,
          name: change.name ?? before.name,
          role: change.role ?? before.role,
        }
        const isDemotion = before.role === 'owner' && next.role !== 'owner'
        if (isDemotion && (await otherOwners(db, actor.siteId, id, transaction)) === 0) return fail('last-owner')
        if (next.name !== before.name && (await isBeyond(db, id, actor.personId, transaction)))
          return fail('person-elsewhere', { name: before.name })
        const changed = await updatePerson(db, next, transaction)
        if (changed === null) return fail('moved-on', { current: shown(actor, before) })
        changes.add(actor.siteId, 'people', id, 'changed')
        await writeAudit(db, actor, 'people:edit', id, { from: before.role, to: changed.role }, transaction)
        return ok(shown(actor, changed))
      })
    },

    /** Ends somebody: signed out everywhere, tokens revoked. What they wrote, and their name in its history, stay. */
    async end(actor: Actor, id: string): Promise<Result<null, 'forbidden' | 'not-found' | 'last-owner'>> {
      if (!mayAsk(actor, calls.end)) return fail('forbidden')
      return write(db, async (transaction, changes) => {
        const person = await lockPerson(db, actor.siteId, id, transaction)
        if (person === null || person.endedAt !== null) return fail('not-found')
        if (person.role === 'owner' && (await otherOwners(db, actor.siteId, id, transaction)) === 0) return fail('last-owner')
        await endPerson(db, actor.siteId, id, transaction)
        changes.add(actor.siteId, 'people', id, 'removed')
        await writeAudit(db, actor, 'people:end', id, {}, transaction)
        return ok(null)
      })
    },
  }
}

const shown = (actor: Actor, { id, name, email, role, endedAt, hasPassword, version }: ListedPerson): PersonShown => ({
  id,
  name,
  email,
  role,
  state: endedAt !== null ? 'ended' : hasPassword ? 'active' : 'invited',
  isYou: id === actor.personId,
  version,
})
