import { parseUrl } from '../../core/address/index.ts'
import { leadsTo } from '../../core/checks/index.ts'
import { destinationsIn, PLAIN_COURSE, type ShortLinkCourse } from '../../core/routing/index.ts'
import { originOf, type SiteGround } from '../../core/rules/index.ts'
import { type Change, changesAfter, logEnds } from '../../data/changes.ts'
import { type Database, inTransaction } from '../../data/database.ts'
import {
  bannersLeading,
  brokenDueAtOnce,
  dueAtOnce,
  forgetUses,
  idsOfKind,
  neverDueAgain,
  noteUsesFollowed,
  putUses,
  redirectsLeading,
  shortLinksLeading,
  type UserOf,
  usesFollowedTo,
} from '../../data/destination-uses.ts'
import { pathsOf } from '../../data/paths.ts'
import { hrefsOn } from '../../data/placements.ts'
import { namesOf } from '../../data/short-link-slugs.ts'
import type { UseKind } from '../../data/tables/index.ts'
import type { SiteViews } from '../context.ts'

/** Changes taken at once, and things read at once. */
const SLICE = 1_000
const PAGES_AT_ONCE = 20
const OTHERS_AT_ONCE = 1_000

/** Where there is much to take over, most of the time is left to others: just after a bring-in all want the database. */
const PAUSE_PER_WORK = 3

const KINDS = ['page', 'short-link', 'redirect', 'partner'] as const satisfies readonly UseKind[]
const CAPABILITY: Readonly<Record<UseKind, Change['capability']>> = {
  page: 'pages',
  'short-link': 'short-links',
  redirect: 'redirects',
  partner: 'partners',
}

/** Which addresses a site leads to, and what uses each: follows the log, at the cost of what changed. */
export class DestinationUses {
  readonly #db: Database
  readonly #views: SiteViews
  readonly #port: number

  constructor(db: Database, views: SiteViews, port: number) {
    this.#db = db
    this.#views = views
    this.#port = port
  }

  /** Takes over what has changed since the last time; everything where nobody has followed yet, or the log is not enough. */
  async follow(siteId: string): Promise<void> {
    for (;;) {
      const after = await usesFollowedTo(this.#db, siteId)
      const changes = after === null ? null : await changesAfter(this.#db, { siteId, after, limit: SLICE })
      if (changes === null || changes.some(({ capability }) => capability === 'hosts')) {
        await this.#begin(siteId)
        continue
      }
      const last = changes[changes.length - 1]
      if (last === undefined) return
      await this.#take(siteId, changes)
      await noteUsesFollowed(this.#db, siteId, last.number)
    }
  }

  async #begin(siteId: string): Promise<void> {
    const number = (await logEnds(this.#db, siteId))[0]?.number ?? 0
    await inTransaction(this.#db, (transaction) => forgetUses(this.#db, siteId, transaction))
    for (const kind of KINDS) {
      const limit = kind === 'page' ? PAGES_AT_ONCE : OTHERS_AT_ONCE
      for (let after: string | null = null; ; ) {
        const ids = await idsOfKind(this.#db, siteId, kind, after, limit)
        const startedAt = performance.now()
        if (ids.length > 0) await this.#put(siteId, kind, ids)
        if (ids.length < limit) break
        after = ids[ids.length - 1] ?? null
        await pauseAfter(startedAt)
      }
    }
    await noteUsesFollowed(this.#db, siteId, number)
  }

  async #take(siteId: string, changes: readonly Change[]): Promise<void> {
    for (const kind of KINDS) {
      // What was published was a draft before, and is one still.
      const changed = changes.filter(({ capability, what }) => capability === CAPABILITY[kind] && what !== 'published')
      const ids = [...new Set(changed.map(({ key }) => key))].filter(isId)
      const limit = kind === 'page' ? PAGES_AT_ONCE : OTHERS_AT_ONCE
      for (let from = 0; from < ids.length; from += limit) {
        const startedAt = performance.now()
        await this.#put(siteId, kind, ids.slice(from, from + limit))
        if (from + limit < ids.length) await pauseAfter(startedAt)
      }
    }
    await this.#lookAgain(siteId, changes)
  }

  /** What is answered at addresses of our own is another matter now. */
  async #lookAgain(siteId: string, changes: readonly Change[]): Promise<void> {
    const keysOf = (...capabilities: readonly Change['capability'][]): string[] => [
      ...new Set(changes.filter(({ capability, key }) => capabilities.includes(capability) && isId(key)).map(({ key }) => key)),
    ]
    const { setup } = await this.#views.of({ siteId })
    const paths = await pathsOf(this.#db, siteId, keysOf('pages', 'files'))
    const named = await namesOf(this.#db, siteId, keysOf('short-links'))
    const at = (kind: 'site' | 'short'): string[] => ownOrigins(setup, this.#port, kind)
    const addresses = [
      ...at('site').flatMap((origin) => paths.map(({ path }) => leadsTo(path, origin)?.address ?? '')),
      ...named.flatMap(({ host, slug }) =>
        setup.hosts
          .filter((each) => each.host === host)
          .map(({ prefix }) => leadsTo(`${prefix === '' ? '' : `/${prefix}`}/${slug}`, originOf(host, this.#port))?.address ?? ''),
      ),
    ]
    if (addresses.length > 0) await dueAtOnce(this.#db, siteId, addresses)
    if (changes.some(({ capability }) => capability === 'sites')) await neverDueAgain(this.#db, siteId)
    if (changes.some(({ capability }) => capability === 'redirects'))
      await brokenDueAtOnce(
        this.#db,
        siteId,
        at('site').map((origin) => new URL(origin).host),
      )
  }

  async #put(siteId: string, kind: UseKind, ids: readonly string[]): Promise<void> {
    const view = await this.#views.of({ siteId })
    const leading = kind === 'page' ? await this.#pages(siteId, view, ids) : await this.#others(view, kind, ids)
    const users = ids.map((id): UserOf => ({ kind, id, uses: leading.get(id)?.uses ?? [] }))
    const own = [...ownOrigins(view.setup, this.#port, 'site'), ...ownOrigins(view.setup, this.#port, 'short')]
    const hosts = own.map((origin) => new URL(origin).host)
    await inTransaction(this.#db, (transaction) => putUses(this.#db, siteId, users, hosts, transaction))
  }

  async #pages(siteId: string, view: SiteGround, ids: readonly string[]): Promise<Map<string, Uses>> {
    const found = new Map<string, Uses>()
    for (const { pageId, path, baseHref, href, links } of await hrefsOn(this.#db, siteId, ids)) {
      const uses = found.get(pageId) ?? new Uses()
      const page = parseUrl(path, `${view.origin}/`)?.href ?? `${view.origin}/`
      uses.add(href, baseHref === null ? page : (parseUrl(baseHref, page)?.href ?? page), links)
      found.set(pageId, uses)
    }
    return found
  }

  async #others(view: SiteGround, kind: Exclude<UseKind, 'page'>, ids: readonly string[]): Promise<Map<string, Uses>> {
    const found = new Map<string, Uses>()
    const add = (id: string, address: string): void => {
      const uses = found.get(id) ?? new Uses()
      uses.add(address, `${view.origin}/`)
      found.set(id, uses)
    }
    if (kind === 'short-link')
      for (const { id, destination, course } of await shortLinksLeading(this.#db, ids)) {
        const whole: ShortLinkCourse = { ...PLAIN_COURSE, ...course }
        for (const address of [destination, ...destinationsIn(whole)]) add(id, address)
      }
    // Where a pattern fills something in, each visitor is led elsewhere.
    if (kind === 'redirect')
      for (const { id, to, match } of await redirectsLeading(this.#db, ids)) if (match === 'exact' && to !== '') add(id, to)
    if (kind === 'partner') for (const { partnerId, href } of await bannersLeading(this.#db, ids)) add(partnerId, href)
    return found
  }
}

/** What one thing leads to, each address once. */
class Uses {
  readonly #by = new Map<string, { host: string; links: number; sections: Set<string> }>()

  add(address: string, base: string, links = 1): void {
    const to = address === '' ? null : leadsTo(address, base)
    if (to === null) return
    const known = this.#by.get(to.address) ?? { host: to.host, links: 0, sections: new Set<string>() }
    known.links += links
    if (to.section !== null) known.sections.add(to.section)
    this.#by.set(to.address, known)
  }

  get uses(): UserOf['uses'] {
    return [...this.#by].map(([address, { host, links, sections }]) => ({ address, host, links, sections: [...sections] }))
  }
}

const pauseAfter = (startedAt: number): Promise<void> =>
  new Promise((resolve) => setTimeout(resolve, PAUSE_PER_WORK * (performance.now() - startedAt)))

const isId = (key: string): boolean => /^[0-9a-f]{8}-/.test(key)

/** Where a site's own pages, or its short links, are asked for. */
const ownOrigins = ({ hosts }: SiteGround['setup'], port: number, kind: 'site' | 'short'): string[] =>
  hosts.filter((each) => each.kind === kind).map(({ host }) => originOf(host, port))
