import { type AddressFault, parseUrl, type RepairedAddress, repair } from '../../core/address/index.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import { type CompiledShortLink, compileShortLink, matchShortLink, redirectKey } from '../../core/routing/index.ts'
import type { SiteGround, SiteSetup } from '../../core/rules/index.ts'
import { type SlugFault, type SlugSuggestion, slugFault, suggestSlugs } from '../../core/slugs/index.ts'
import type { Database, Transaction } from '../../data/database.ts'
import { keptRedirects } from '../../data/redirects.ts'
import { destinationsOf, setSlugs, slugsOf, takenSlugs } from '../../data/short-link-slugs.ts'
import { tell } from '../../words/index.ts'

/** Slugs that are free on a host, best first. Those that are thought of are looked up, never all that there are. */
export async function freeSlugs(db: Database, hostId: string, destination: string, title: string): Promise<SlugSuggestion[]> {
  const isTaken = new Map<string, boolean>()
  for (;;) {
    const unknown = new Set<string>()
    const suggestions = suggestSlugs(destination, title, (slug) => {
      if (!isTaken.has(slug)) unknown.add(slug)
      return isTaken.get(slug) ?? false
    })
    if (unknown.size === 0) return [...suggestions]
    const taken = await takenSlugs(db, hostId, [...unknown])
    for (const slug of unknown) isTaken.set(slug, taken.has(slug))
  }
}

/** The site's first short host, or the one that is wanted; null where there is none. */
export function shortHost(view: SiteGround, wanted: string | undefined): SiteSetup['hosts'][number] | null {
  const name = wanted?.toLowerCase().replace(/:\d+$/, '')
  return view.setup.hosts.find(({ kind, host }) => kind === 'short' && (name === undefined || host === name)) ?? null
}

/** A destination is a full web address; one of our own pages gets its origin back. */
export function mendDestination(view: SiteGround, text: string): Result<RepairedAddress, AddressFault | 'address-not-outside'> {
  const mended = repair(text, view.around('/'))
  if (!mended.ok) return mended
  const { kind, address } = mended.value
  const url = parseUrl(address, `${view.origin}/`)
  if (url !== null && (url.username !== '' || url.password !== ''))
    return fail('address-not-outside', { why: tell('short-link.holds-password') })
  if (kind === 'inside page' || kind === 'file')
    return ok({ ...mended.value, address: view.origin + (address.startsWith('/') ? address : `/${address}`) })
  if (kind === 'short link') return fail('address-not-outside', { why: tell('short-link.leads-to-another') })
  return kind === 'outside' || kind === 'partner' ? mended : fail('address-not-outside', { kind })
}

/** The short link at the address of a row that is for one address of short hosts; null where there is none. */
export async function shortLinkOver(
  db: Database,
  view: SiteGround,
  { from, hosts }: { readonly from: string; readonly hosts: readonly string[] },
): Promise<CompiledShortLink | null> {
  for (const host of hosts) {
    if (shortHost(view, host) === null) continue
    const found = await shortLinkAt(db, view, new URL(from, `http://${host}`))
    if (found !== null) return found
  }
  return null
}

/** A slug on one of the site's short hosts. */
export interface WantedSlug {
  readonly hostId: string
  readonly host: string
  readonly prefix: string
  readonly slug: string
}

/** Slugs as people name them, tidied; each once. */
export function wantedSlugs(
  view: SiteGround,
  named: readonly { readonly slug: string; readonly host?: string | undefined }[],
): Result<WantedSlug[], SlugFault | 'no-short-host' | 'slug-of-two'> {
  const slugs: WantedSlug[] = []
  for (const { slug: typed, host } of named) {
    const short = shortHost(view, host)
    if (short === null) return fail('no-short-host', { host: host ?? null })
    const slug = typed.trim().toLowerCase()
    const fault = slugFault(slug)
    if (fault !== null) return fail(fault, { slug })
    if (slugs.some((each) => each.hostId === short.id && each.slug === slug)) return fail('slug-of-two', { slug })
    slugs.push({ hostId: short.id, host: short.host, prefix: short.prefix, slug })
  }
  return ok(slugs)
}

/** Gives a short link its slugs, the first of them the main one; refuses one that somebody has, or that would hide something. */
export async function takeSlugs(
  db: Database,
  siteId: string,
  id: string,
  slugs: readonly WantedSlug[],
  transaction: Transaction,
): Promise<Result<null, 'slug-taken' | 'slug-hides-redirect'>> {
  const own = new Set((await slugsOf(db, [id], transaction)).map(({ hostId, slug }) => `${hostId} ${slug}`))
  const fresh = slugs.filter((each) => !own.has(`${each.hostId} ${each.slug}`))
  for (const [name, under] of await redirectsUnder(db, siteId, fresh, transaction))
    return fail('slug-hides-redirect', { slug: name.split('/')[1] ?? '', from: under.from, leadsTo: under.to })
  const [taken] = await setSlugs(db, id, slugs, transaction)
  if (taken === undefined) return ok(null)
  const { host = '' } = slugs.find(({ hostId }) => hostId === taken.hostId) ?? {}
  return fail('slug-taken', {
    slug: taken.slug,
    leadsTo: (await destinationsOf(db, siteId, [{ host, slug: taken.slug }]))[0]?.destination ?? null,
  })
}

/** Rows of redirects that slugs on short hosts would stand before, by "host/slug". */
export async function redirectsUnder(
  db: Database,
  siteId: string,
  slugs: readonly Pick<WantedSlug, 'host' | 'prefix' | 'slug'>[],
  transaction: Transaction,
): Promise<Map<string, { from: string; to: string }>> {
  const keyed = slugs.map((each) => ({
    ...each,
    key: redirectKey({ from: `/${each.prefix === '' ? '' : `${each.prefix}/`}${each.slug}` }),
  }))
  const keys = [...new Set(keyed.map(({ key }) => key))].map((key) => ({ match: 'exact' as const, key }))
  const rows = keys.length === 0 ? [] : await keptRedirects(db, siteId, keys, transaction)
  const standing = new Map(rows.flatMap((row) => (row.isOn ? row.hosts.map((host) => [`${host} ${row.key}`, row] as const) : [])))
  return new Map(
    keyed.flatMap(({ host, slug, key }) => {
      const row = standing.get(`${host} ${key}`)
      return row === undefined ? [] : [[`${host}/${slug}`, row] as const]
    }),
  )
}

/** What answers on a short host: by at most the two spellings that delivery would try. */
export async function shortLinkAt(db: Database, { setup }: SiteGround, url: URL): Promise<CompiledShortLink | null> {
  const slugs: string[] = []
  const { prefix = '', oldPrefixes = [] } = setup.hosts.find(({ host }) => host === url.hostname) ?? {}
  matchShortLink(url.pathname, [prefix, ...oldPrefixes], (slug) => {
    slugs.push(slug)
    return null
  })
  const found = await destinationsOf(
    db,
    setup.siteId,
    slugs.map((slug) => ({ host: url.hostname, slug })),
  )
  const named = slugs.map((slug) => found.find((each) => each.slug === slug)).find((each) => each !== undefined)
  return named === undefined ? null : compileShortLink(named)
}
