import { decodeSource, type Patch, scanLinks, tagPatches, valueNamed } from '../../core/markup/index.ts'
import { type PartnerLinks, subIdOf } from '../../core/partners/index.ts'
import { BY_HAND } from '../../core/rules/index.ts'
import type { Transaction } from '../../data/database.ts'
import { type Draft, readDrafts, updateDrafts } from '../../data/drafts.ts'
import { keepSubs, pagesOfSubs, type SubRow, unpublishedLinksTo } from '../../data/partner-links.ts'
import { keptDraft, patchPage } from '../bulk-changes/index.ts'
import type { Actor, Context, SiteViews } from '../context.ts'

/**
 * Gives each partner link that somebody put into a page the sub-ID of its place, where it has none or another page's: one that
 * was pasted, or copied from elsewhere in the studio, earns like one that was built on the page. What came in with an import
 * stays as it came.
 * @param wanted - ids of pages and blocks; all drafts when null
 * @returns ids of those that were changed; one that somebody saved in the meantime keeps its links as they are
 */
export async function fillSubIds(
  { db }: Context,
  views: SiteViews,
  actor: Actor,
  wanted: readonly string[] | null,
  transaction: Transaction,
): Promise<string[]> {
  const { partnerLinks } = await views.of(actor)
  const hosts = partnerLinks.hostsWithSubs
  const ids = hosts.length === 0 ? [] : await unpublishedLinksTo(db, actor.siteId, hosts, wanted, transaction)
  const changed: string[] = []
  for await (const drafts of readDrafts(db, actor.siteId, ids)) {
    const read = drafts.map((draft) => ({ draft, text: decodeSource(draft.bytes, draft.page.encoding) }))
    const found = read.map(({ text }) => ownLinksIn(text, partnerLinks))
    const subs = found.flat().flatMap(({ sub }) => (sub === '' ? [] : [sub]))
    const homes = subs.length === 0 ? new Map<string, string | null>() : await pagesOfSubs(db, actor.siteId, subs)
    for (const [i, { draft, text }] of read.entries()) {
      const filled = filledIn(draft, text, found[i] ?? [], partnerLinks, homes)
      if (filled === null) continue
      const by = { personId: actor.personId, madeBy: 'sub-ids' }
      if ((await updateDrafts(db, [keptDraft(draft.page, filled.bytes)], by, transaction)) !== null) continue
      await keepSubs(db, actor.siteId, filled.places, transaction)
      changed.push(draft.page.id)
    }
  }
  return changed
}

type OwnLink = NonNullable<ReturnType<PartnerLinks['recognise']>> & { readonly link: ReturnType<typeof scanLinks>['links'][number] }

/** The links that somebody put into a page and that carry the site's own number. */
function ownLinksIn(text: string, links: PartnerLinks): readonly OwnLink[] {
  return scanLinks(text).links.flatMap((link) => {
    const apart = valueNamed(text, link.attributes, BY_HAND) === null ? null : links.recognise(link.href)
    return apart === null ? [] : [{ ...apart, link }]
  })
}

/** A page with the sub-IDs that its links lack, and what those stand for; null where none lacks one. */
function filledIn(
  { page, bytes }: Draft,
  text: string,
  found: readonly OwnLink[],
  links: PartnerLinks,
  homes: ReadonlyMap<string, string | null>,
): { readonly bytes: Uint8Array; readonly places: readonly SubRow[] } | null {
  const counts = new Map<string, number>()
  const patches: Patch[] = []
  const places: SubRow[] = []
  for (const { link, partner, destination, sub } of found) {
    const nth = counts.get(destination) ?? 0
    counts.set(destination, nth + 1)
    const isOfAnother = homes.has(sub) && homes.get(sub) !== page.id
    if (sub !== '' && !isOfAnother) continue
    const own = subIdOf(page.id, destination, nth)
    const built = links.linkTo(partner, destination, { sub: own })
    if (!built.ok || built.value.address === link.href || links.recognise(built.value.address)?.sub !== own) continue
    patches.push(...tagPatches(text, link, { href: built.value.address }))
    places.push({ sub: own, partnerId: partner.id, pageId: page.id, shortLinkId: null, destination })
  }
  const patched = patches.length === 0 ? null : patchPage(page, bytes, text, patches)
  return patched === null ? null : { bytes: patched, places }
}
