import { type AddressFault, type RepairedAddress, repair } from '../core/address/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { type CompiledShortLink, compileShortLink, matchShortLink } from '../core/routing/index.ts'
import type { SiteGround, SiteSetup } from '../core/rules/index.ts'
import { type SlugSuggestion, suggestSlugs } from '../core/slugs/index.ts'
import type { Database } from '../data/database.ts'
import { destinationsOf, takenSlugs } from '../data/short-link-slugs.ts'

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
  if (kind === 'inside page' || kind === 'file')
    return ok({ ...mended.value, address: view.origin + (address.startsWith('/') ? address : `/${address}`) })
  if (kind === 'short link') return fail('address-not-outside', { why: 'it leads to another short link; paste what that one leads to' })
  return kind === 'outside' || kind === 'partner' ? mended : fail('address-not-outside', { kind })
}

/** What answers on a short host: by at most the two spellings that delivery would try. */
export async function shortLinkAt(db: Database, { setup }: SiteGround, url: URL): Promise<CompiledShortLink | null> {
  const slugs: string[] = []
  const { prefix } = setup.hosts.find(({ host }) => host === url.hostname) ?? { prefix: '' }
  matchShortLink(url.pathname, prefix, (slug) => {
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
