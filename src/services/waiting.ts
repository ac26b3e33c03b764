import { mayAsk } from '../contract/operation.ts'
import { waiting as calls, WaitingLink } from '../contract/waiting.ts'
import { normalise, parseUrl, siteOfHost } from '../core/address/index.ts'
import { readMenuContent, sentenceAround } from '../core/content/index.ts'
import {
  decodeSource,
  type LinkTag,
  linkText,
  type PageLinks,
  type PatchSet,
  scanLinks,
  setLink,
  unwrapLink,
} from '../core/markup/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { factsOf, handAnswersOf, handChanges, writtenLink } from '../core/rules/index.ts'
import type { Changes } from '../data/changes.ts'
import { getBlob } from '../data/contents.ts'
import type { Transaction } from '../data/database.ts'
import { findPage, type ListedPage } from '../data/pages.ts'
import { decideWaiting, dropWaiting, flagMany, isKnownSite, listWaiting, putWaiting, waitingLately } from '../data/waiting.ts'
import { type Actor, type Context, type SiteViews, write, writeAudit } from './context.ts'

/** New outside links of one person on one page, within these minutes, that are looked at with more care. */
const MANY = 5
const LATELY_MINUTES = 10
/** Links shown of the queue. */
const SHOWN_MAX = 500

interface OutsideLink {
  readonly address: string
  readonly words: string
  readonly sentence: string
  readonly site: string
}

/** The patches that leave what search engines are told of a link to the rules. */
function withoutHints(text: string, link: LinkTag, page: PageLinks): ReturnType<typeof setLink> {
  const written = writtenLink(text, link, page)
  return setLink(text, link.start, handChanges(written, { ...handAnswersOf(written), hints: undefined }))
}

/** What a save brings that an editor has to look at, and every outside destination that stands on the page now. */
export interface NewLinks {
  readonly links: readonly OutsideLink[]
  readonly present: readonly string[]
}

export function waitingService({ db }: Context, views: SiteViews) {
  const outsideLinks = async (actor: Actor, page: ListedPage, text: string): Promise<OutsideLink[]> => {
    const view = await views.of(actor)
    const found = scanLinks(text)
    return found.links.flatMap((link) => {
      // Where a short link or a redirect leads is not asked: whoever made it has looked at that.
      const facts = factsOf(writtenLink(text, link, found), view.around(page.path), () => null)
      if (facts.address === null || (facts.kind !== 'outside' && facts.kind !== 'partner')) return []
      return [
        {
          address: normalise(facts.address) ?? facts.address,
          words: linkText(text, link),
          sentence: sentenceAround(text, link),
          site: siteOfHost(parseUrl(facts.address)?.hostname ?? ''),
        },
      ]
    })
  }

  return {
    /** What a contributor's save brings; nothing for editors and owners. */
    async newLinks(actor: Actor, page: ListedPage, bytes: Uint8Array, encoding: string): Promise<NewLinks | null> {
      if (actor.role !== 'contributor') return null
      const textOf = (content: Uint8Array): string =>
        page.kind === 'menu' ? readMenuContent(content).text : decodeSource(content, encoding)
      const before = await getBlob(db, page.draftHash)
      const known = new Set((before === null ? [] : await outsideLinks(actor, page, textOf(before))).map(({ address }) => address))
      const now = await outsideLinks(actor, page, textOf(bytes))
      const seen = new Set<string>()
      const links = now.filter(({ address }) => !known.has(address) && !seen.has(address) && seen.add(address))
      return { links, present: now.map(({ address }) => address) }
    },

    /** Puts what is new into the queue, flagged where it is many or leads where nobody has led before. */
    async queue(actor: Actor, pageId: string, news: NewLinks | null, transaction: Transaction, changes: Changes): Promise<void> {
      if (news === null) return
      await dropWaiting(db, pageId, news.present, transaction)
      if (news.links.length === 0) return
      const lately = await waitingLately(db, pageId, actor.personId, LATELY_MINUTES, transaction)
      const isMany = lately + news.links.length >= MANY
      const links = []
      for (const link of news.links) {
        const isNewSite = !(await isKnownSite(db, actor.siteId, link.site, pageId, transaction))
        links.push({ ...link, flags: [...(isMany ? ['many'] : []), ...(isNewSite ? ['new site'] : [])] })
      }
      await putWaiting(db, { siteId: actor.siteId, pageId, personId: actor.personId, links }, transaction)
      if (isMany) await flagMany(db, pageId, actor.personId, transaction)
      changes.add(actor.siteId, 'waiting', pageId, 'changed') // a page that is live already may hold the same destination
    },

    async list(actor: Actor): Promise<Result<{ items: WaitingLink[] }, 'forbidden'>> {
      if (!mayAsk(actor, calls.list)) return fail('forbidden')
      const found = await listWaiting(db, actor.siteId, SHOWN_MAX)
      return ok({ items: found.map((row) => WaitingLink.parse({ ...row, at: new Date(row.at).toISOString() })) })
    },

    /**
     * Accepts a link, which the rules then decide like any other, or refuses it. What search engines are told of an accepted
     * one is no longer what its contributor chose: that is an editor's to say.
     * @returns the page, and the patches that take a refused link out of the draft, or the choice off an accepted one
     */
    async decide(
      actor: Actor,
      id: string,
      isAccepted: boolean,
    ): Promise<Result<{ page: ListedPage; patchSets: PatchSet[] } | null, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.decide)) return fail('forbidden')
      const decided = await write(db, async (transaction, changes) => {
        const state = isAccepted ? 'accepted' : 'refused'
        const row = await decideWaiting(db, { siteId: actor.siteId, id, state, personId: actor.personId }, transaction)
        if (row === null) return fail('not-found')
        changes.add(actor.siteId, 'waiting', row.pageId, 'changed')
        await writeAudit(db, actor, isAccepted ? 'waiting:accept' : 'waiting:refuse', row.pageId, { address: row.address }, transaction)
        return ok(row)
      })
      if (!decided.ok) return decided
      const page = await findPage(db, actor.siteId, decided.value.pageId)
      if (page === null || page.kind === 'menu') return ok(null)
      const bytes = await getBlob(db, page.draftHash)
      if (bytes === null) return ok(null)
      const view = await views.of(actor)
      let text = decodeSource(bytes, page.encoding)
      const patchSets: PatchSet[] = []
      for (;;) {
        const found = scanLinks(text)
        const link = found.links.find((each) => {
          const facts = factsOf(writtenLink(text, each, found), view.around(page.path), () => null)
          const isIt = facts.address !== null && (normalise(facts.address) ?? facts.address) === decided.value.address
          return isIt && (!isAccepted || facts.handSet.includes('hints'))
        })
        const patches = link === undefined ? null : isAccepted ? withoutHints(text, link, found) : unwrapLink(text, link.start)
        if (patches === null || !patches.ok) break
        patchSets.push(patches.value)
        text = patches.value.reduceRight((before, { from, to, insert }) => before.slice(0, from) + insert + before.slice(to), text)
      }
      return ok(patchSets.length === 0 ? null : { page, patchSets })
    },
  }
}
