import { stringify } from 'csv-stringify/sync'
import { z } from 'zod'
import { mayAsk } from '../../contract/operation.ts'
import {
  shortLinks as calls,
  type NamedShortLinks,
  type ShortLink,
  type ShortLinkChange,
  type ShortLinkHistory,
  type ShortLinkNew,
  type ShortLinkQuery,
  ShortLink as ShortLinkShape,
  type ShortLinkTags,
  type ShortLinkUses,
  SORTED_MAX,
  type SuggestAnswer,
} from '../../contract/short-links.ts'
import type { AddressFault } from '../../core/address/index.ts'
import { cellOfText } from '../../core/exchange/index.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import { type ShortLinkCourse as Course, type CourseFault, PLAIN_COURSE } from '../../core/routing/index.ts'
import { decide, factsOf, originOf, relTokens, type SiteGround, strandOf } from '../../core/rules/index.ts'
import { type SlugFault, slugFault } from '../../core/slugs/index.ts'
import { UTM_MAX_CHARS, utmOf } from '../../core/utm/index.ts'
import { logEnds } from '../../data/changes.ts'
import type { Database, Transaction } from '../../data/database.ts'
import { destinationsOf, type KeptSlug, type ShortLinkName, slugsOf } from '../../data/short-link-slugs.ts'
import { countUtmValues } from '../../data/short-link-steps.ts'
import {
  countedSince,
  countShortLinks,
  insertShortLink,
  keepCount,
  keptCount,
  type ListedShortLink,
  listShortLinks,
  pagesLeadingTo,
  returnShortLink,
  shortLinkTags,
  shortLinkVersions,
  sortedShortLinks,
  updateShortLink,
  withdrawShortLink,
} from '../../data/short-links.ts'
import { defined } from '../conditions.ts'
import { type Actor, type Context, cursorOf, readCursor, type SiteViews, write, writeAudit } from '../context.ts'
import { changedCourse, shownCourse } from './course.ts'
import { freeSlugs, mendDestination, shortHost, takeSlugs, wantedSlugs } from './look-up.ts'

/** The link that a page of the list ended with. */
const ListCursor = z.object({ at: z.iso.datetime(), id: z.uuid() })

type ShortLinkFault =
  | AddressFault
  | SlugFault
  | 'forbidden'
  | 'not-found'
  | 'moved-on'
  | 'slug-taken'
  | 'slug-hides-redirect'
  | 'slug-of-two'
  | CourseFault
  | 'no-short-host'
  | 'address-not-outside'

/** Versions of one link that are shown, and tags of a site. */
const VERSIONS_MAX = 100
const TAGS_MAX = 200
/** Rows of a download that are read at once. */
const CSV_ROWS = 2_000
/** The first five are those of a list that comes in. */
const CSV_COLUMNS = ['destination', 'slug', 'host', 'title', 'status', 'note', 'tags', 'clicks', 'clicks by tools']

/** Whether a link answers, and as what. */
function stateOf({ course, isFull, isDown }: { course: Course; isFull: boolean; isDown: boolean }, nowMs: number): ShortLink['state'] {
  if (course.startsAtMs !== null && nowMs < course.startsAtMs) return 'not yet'
  if (isFull || (course.endsAtMs !== null && nowMs >= course.endsAtMs)) return 'over'
  return isDown ? 'down' : 'answers'
}

/** Remembers what a site writes into UTM parameters. */
async function learnUtm(db: Database, siteId: string, destination: string, transaction: Transaction): Promise<void> {
  const values = Object.entries(utmOf(destination)).filter(([, value]) => value.length <= UTM_MAX_CHARS)
  if (values.length > 0) await countUtmValues(db, siteId, values, transaction)
}

/** Pages named that lead to a short link; the rest are counted. */
const USES_NAMED = 20

/** After so many changes a count is kept anew. */
const COUNT_KEPT_AFTER = 500

/** Where a short link is sent unless said otherwise: found, may change later (RFC 9110 §15.4.3). */
const DEFAULT_STATUS = 302

interface Count {
  /** Of the log, up to which it is right. */
  readonly number: number
  readonly total: number
}

/** How many short links sites have: counted once, and from then on told by the log. */
class ShortLinkCounts {
  readonly #db: Database
  readonly #known = new Map<string, Count>()

  constructor(db: Database) {
    this.#db = db
  }

  async of(siteId: string): Promise<number> {
    const known = this.#known.get(siteId) ?? (await keptCount(this.#db, siteId))
    const counted = (known === null ? null : await this.#follow(siteId, known)) ?? (await this.#count(siteId))
    this.#known.set(siteId, counted)
    return counted.total
  }

  /** @returns null where the log does not tell */
  async #follow(siteId: string, { number, total }: Count): Promise<Count | null> {
    const since = await countedSince(this.#db, siteId, number)
    if (since === null) return null
    const now = { number: since.number, total: total + since.difference }
    if (since.number - number > COUNT_KEPT_AFTER) await keepCount(this.#db, siteId, now)
    return now
  }

  async #count(siteId: string): Promise<Count> {
    const number = (await logEnds(this.#db, siteId))[0]?.number ?? 0
    const total = await countShortLinks(this.#db, siteId)
    const isStill = ((await logEnds(this.#db, siteId))[0]?.number ?? 0) === number
    // What changed while it was counted may be in it or not: such a count is not gone on from.
    if (isStill) await keepCount(this.#db, siteId, { number, total })
    return { number: isStill ? number : -1, total }
  }
}

export function shortLinksService({ db, settings }: Context, views: SiteViews) {
  const counts = new ShortLinkCounts(db)
  const stemOf = ({ host, prefix }: { host: string; prefix: string }): string =>
    `${originOf(host, settings.port)}/${prefix === '' ? '' : `${prefix}/`}`
  /** With what a link to it is told of: a partner's short link is as paid as the partner's own address. */
  const shown = (row: ListedShortLink, view: SiteGround, slugs: readonly KeptSlug[]): ShortLink => {
    const address = stemOf(row) + row.slug
    const course = { ...PLAIN_COURSE, ...row.course }
    const facts = factsOf(
      { href: address, rel: null, target: null, byHand: '', tags: null, shows: 'text', baseHref: null, baseTarget: null },
      view.around('/'),
      () => row.destination,
    )
    return ShortLinkShape.parse({
      ...row,
      address,
      slugs: slugs.map((each) => ({ host: each.host, slug: each.slug, address: stemOf(each) + each.slug })),
      course: shownCourse(row.course),
      state: stateOf({ ...row, course }, Date.now()),
      partner: view.setup.partners.find(({ id }) => id === facts.partner)?.name ?? null,
      strand: strandOf(relTokens(decide(view.rules, facts).rel)),
      createdAt: new Date(row.createdAt).toISOString(),
    })
  }
  const one = async (siteId: string, id: string): Promise<ShortLink | null> => {
    const [row] = (await listShortLinks(db, { siteId, id, limit: 1 })).items
    return row === undefined ? null : shown(row, await views.of({ siteId }), await slugsOf(db, [id]))
  }

  return {
    async list(
      actor: Actor,
      query: ShortLinkQuery,
    ): Promise<Result<{ items: ShortLink[]; next: string | null; total: number }, 'forbidden' | 'list-too-long-to-sort'>> {
      if (!mayAsk(actor, calls.list)) return fail('forbidden')
      const view = await views.of(actor)
      const { sort = 'newest', limit, partner } = query
      const filter = {
        siteId: actor.siteId,
        slug: query.slug?.toLowerCase(),
        ...{ search: query.search, tag: query.tag, state: query.state, host: query.host, limit },
        leadsTo: partner === undefined ? undefined : (view.setup.partners.find(({ id }) => id === partner)?.sites ?? []),
      }
      const offset = sort === 'newest' ? 0 : (readCursor(query.cursor, z.int().positive()) ?? 0)
      const found =
        sort === 'newest'
          ? await listShortLinks(db, { ...filter, after: readCursor(query.cursor, ListCursor) })
          : await sortedShortLinks(db, filter, { sort, most: SORTED_MAX, offset })
      if (found === null) return fail('list-too-long-to-sort')
      const last = found.items[found.items.length - 1]
      const isFull = found.items.length === limit && last !== undefined
      const next = !isFull ? null : sort === 'newest' ? cursorOf({ at: last.madeAt, id: last.id }) : cursorOf(offset + limit)
      const slugs = new Map<string, KeptSlug[]>(found.items.map(({ id }) => [id, []]))
      for (const each of await slugsOf(db, [...slugs.keys()])) slugs.get(each.shortLinkId)?.push(each)
      return ok({
        items: found.items.map((row) => shown(row, view, slugs.get(row.id) ?? [])),
        next,
        total: found.total ?? (await counts.of(actor.siteId)),
      })
    },

    async get(actor: Actor, id: string): Promise<Result<ShortLink, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.get)) return fail('forbidden')
      const found = await one(actor.siteId, id)
      return found === null ? fail('not-found') : ok(found)
    },

    /** Where short links lead that are named in addresses: for screens, which judge links by themselves. */
    async named(actor: Actor, links: readonly ShortLinkName[]): Promise<Result<NamedShortLinks, 'forbidden'>> {
      if (!mayAsk(actor, calls.named)) return fail('forbidden')
      const found = await destinationsOf(db, actor.siteId, links)
      return ok({ items: found.map(({ host, slug, destination }) => ({ host, slug, destination })) })
    },

    /** Mends a pasted destination and suggests slugs that are free on the host. */
    async suggest(
      actor: Actor,
      { destination, title, host }: { destination: string; title?: string | undefined; host?: string | undefined },
    ): Promise<Result<SuggestAnswer, ShortLinkFault>> {
      if (!mayAsk(actor, calls.suggest)) return fail('forbidden')
      const view = await views.of(actor)
      const short = shortHost(view, host)
      if (short === null) return fail('no-short-host', { host: host ?? null })
      const mended = mendDestination(view, destination)
      if (!mended.ok) return mended
      const suggestions = await freeSlugs(db, short.id, mended.value.address, title ?? '')
      return ok({
        destination: mended.value.address,
        repairs: [...mended.value.repairs],
        offers: [...mended.value.offers],
        stem: stemOf(short),
        suggestions,
      })
    },

    async create(actor: Actor, wanted: ShortLinkNew): Promise<Result<ShortLink, ShortLinkFault>> {
      if (!mayAsk(actor, calls.create)) return fail('forbidden')
      const view = await views.of(actor)
      const short = shortHost(view, wanted.host)
      if (short === null) return fail('no-short-host', { host: wanted.host ?? null })
      const mended = mendDestination(view, wanted.destination)
      if (!mended.ok) return mended
      const destination = mended.value.address
      const title = wanted.title ?? ''
      const slug = wanted.slug?.trim().toLowerCase() || (await freeSlugs(db, short.id, destination, title))[0]?.slug || ''
      const fault = slugFault(slug)
      if (fault !== null) return fail(fault, { slug })
      const status = wanted.status ?? DEFAULT_STATUS
      const course = changedCourse(view, shownCourse({}), wanted.course ?? {})
      if (!course.ok) return course
      const slugs = wantedSlugs(view, [{ host: short.host, slug }, ...(wanted.further ?? [])])
      if (!slugs.ok) return slugs
      const saved = await write(db, async (transaction, changes) => {
        const { siteId, personId } = actor
        const { note = '', tags = [] } = wanted
        const link = { siteId, hostId: short.id, slug, destination, title, status, note, tags, course: course.value, personId }
        const id = await insertShortLink(db, link, transaction)
        const taken = await takeSlugs(db, actor.siteId, id, slugs.value, transaction)
        if (!taken.ok) return taken
        await learnUtm(db, siteId, destination, transaction)
        changes.add(actor.siteId, 'short-links', id, 'made')
        await writeAudit(db, actor, 'short-links:create', id, { slug, destination }, transaction)
        return ok(id)
      })
      if (!saved.ok) return saved
      const made = await one(actor.siteId, saved.value)
      return made === null ? fail('not-found') : ok(made)
    },

    /** Changes where a short link leads; its slug stays, and the old destination is in its history. */
    async change(actor: Actor, id: string, change: ShortLinkChange): Promise<Result<ShortLink, ShortLinkFault>> {
      if (!mayAsk(actor, calls.change)) return fail('forbidden')
      const view = await views.of(actor)
      const before = await one(actor.siteId, id)
      if (before === null) return fail('not-found')
      const mended = change.destination === undefined ? null : mendDestination(view, change.destination)
      if (mended !== null && !mended.ok) return mended
      const course = changedCourse(view, before.course, change.course ?? {})
      if (!course.ok) return course
      const next = {
        destination: mended?.value.address ?? before.destination,
        ...defined({ title: change.title, status: change.status, note: change.note, tags: change.tags }),
        course: course.value,
      }
      const saved = await write(db, async (transaction, changes) => {
        const { siteId, personId } = actor
        if (!(await updateShortLink(db, { siteId, id, version: change.version, personId, ...next }, transaction))) return fail('moved-on')
        await learnUtm(db, siteId, next.destination, transaction)
        changes.add(actor.siteId, 'short-links', id, 'changed')
        await writeAudit(db, actor, 'short-links:edit', id, { from: before.destination, to: next.destination }, transaction)
        return ok(null)
      })
      const now = await one(actor.siteId, id)
      if (now === null) return fail('not-found')
      return saved.ok ? ok(now) : fail('moved-on', { current: now })
    },

    /** What a short link has said until now, newest first. */
    async history(actor: Actor, id: string): Promise<Result<ShortLinkHistory, 'forbidden'>> {
      if (!mayAsk(actor, calls.history)) return fail('forbidden')
      const found = await shortLinkVersions(db, actor.siteId, id, VERSIONS_MAX)
      return ok({
        items: found.map(({ note: _, tags: __, at, course, ...each }) => ({ ...each, at: at.toISOString(), course: shownCourse(course) })),
      })
    },

    async tags(actor: Actor): Promise<Result<ShortLinkTags, 'forbidden'>> {
      if (!mayAsk(actor, calls.tags)) return fail('forbidden')
      return ok({ items: await shortLinkTags(db, actor.siteId, TAGS_MAX) })
    },

    /** A part of the list of all, as CSV. @param after - null for the first part, which has the header */
    async csv(actor: Actor, after: string | null): Promise<Result<{ text: string; next: string | null }, 'forbidden'>> {
      if (!mayAsk(actor, calls.csv)) return fail('forbidden')
      const found = await listShortLinks(db, { siteId: actor.siteId, after: readCursor(after ?? undefined, ListCursor), limit: CSV_ROWS })
      const last = found.items[found.items.length - 1]
      const next = found.items.length === CSV_ROWS && last !== undefined ? cursorOf({ at: last.madeAt, id: last.id }) : null
      const text = stringify(
        found.items.map((row) => [
          row.destination,
          row.slug,
          row.host,
          row.title,
          row.status,
          row.note,
          row.tags.join(', '),
          row.clicks,
          row.otherClicks,
        ]),
        { header: after === null, columns: CSV_COLUMNS, cast: { string: cellOfText } },
      )
      return ok({ text, next })
    },

    /** The pages that lead to a short link: they break when it goes. */
    async uses(actor: Actor, id: string): Promise<Result<ShortLinkUses, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.uses)) return fail('forbidden')
      const link = await one(actor.siteId, id)
      if (link === null) return fail('not-found')
      const hrefs = link.slugs.flatMap(({ address }) => {
        const bare = address.replace(/^https?:/, '')
        return [bare, `http:${bare}`, `https:${bare}`]
      })
      return ok(await pagesLeadingTo(db, actor.siteId, hrefs, USES_NAMED))
    },

    /** Brings a short link back that was taken away, with its slugs, its history and its clicks. */
    async putBack(actor: Actor, id: string): Promise<Result<ShortLink, 'forbidden' | 'not-found' | 'slug-taken'>> {
      if (!mayAsk(actor, calls.putBack)) return fail('forbidden')
      const saved = await write(db, async (transaction, changes) => {
        const slugs = await returnShortLink(db, actor.siteId, id, transaction)
        if (slugs === null) return fail('not-found')
        const [main] = slugs
        if (main?.isTaken !== false) return fail('slug-taken', { slug: main?.slug ?? '' })
        changes.add(actor.siteId, 'short-links', id, 'made')
        await writeAudit(db, actor, 'short-links:put-back', id, { slug: main.slug }, transaction)
        return ok(null)
      })
      if (!saved.ok) return saved
      const now = await one(actor.siteId, id)
      return now === null ? fail('not-found') : ok(now)
    },

    /** Takes a short link away; its address then answers "not found", until it is put back. */
    async remove(actor: Actor, id: string): Promise<Result<null, ShortLinkFault>> {
      if (!mayAsk(actor, calls.remove)) return fail('forbidden')
      const before = await one(actor.siteId, id)
      if (before === null) return fail('not-found')
      return write(db, async (transaction, changes) => {
        if (!(await withdrawShortLink(db, actor.siteId, id, transaction))) return fail('not-found')
        changes.add(actor.siteId, 'short-links', id, 'removed')
        await writeAudit(db, actor, 'short-links:delete', id, { slug: before.slug, destination: before.destination }, transaction)
        return ok(null)
      })
    },
  }
}
