import { stopIfUnwanted, Turns } from '../../apart/index.ts'
import { mayAsk } from '../../contract/operation.ts'
import {
  phrases as calls,
  type PagePhrases,
  type PageWithPhrases,
  type PhraseAccepted,
  type PhraseReview,
  type PhraseTaken,
  type Suggested,
} from '../../contract/phrases.ts'
import { normalise } from '../../core/address/index.ts'
import { decodeSource, wrapLink } from '../../core/markup/index.ts'
import {
  type Candidate,
  choose,
  type FoundPhrase,
  otherWords,
  readProse,
  type Standing,
  sentenceIn,
  sourceOf,
} from '../../core/phrases/index.ts'
import { paidMost } from '../../core/placements/index.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import { BY_HAND, foresee, isPaid, type PageMarks, type SiteGround } from '../../core/rules/index.ts'
import { DAY_MS } from '../../core/time.ts'
import { getBlob } from '../../data/contents.ts'
import { viewsOfPages } from '../../data/counted-pages.ts'
import { readDrafts } from '../../data/drafts.ts'
import { draftVersions, findPage } from '../../data/pages.ts'
import type { PhraseRow } from '../../data/phrases.ts'
import { type Told, tell } from '../../words/index.ts'
import type { Actor, Context, SiteViews } from '../context.ts'
import { withProgress } from '../jobs/index.ts'
import type { pagesService } from '../pages/index.ts'
import { keepPlace, linkForPlace } from '../partners/index.ts'
import type { placementsService } from '../placements/index.ts'
import { KeptPhraseFacts, type PhraseFacts, type Standed } from './site-facts.ts'

/** Of one page, places that are looked at; and links that are suggested at once. */
const FOUND_MAX = 2_000
const CANDIDATES_MAX = 500
const LINKS_MAX = 8
/** Words between two links, at least, and between a new one and one that is there and not paid. */
const DISTANCE = 25
const BESIDE = 4
/** Pages that were read most in this time come first, where pages are counted. */
const VIEWS_MS = 28 * DAY_MS
/** Pages shown of a review, and pages it looks at. */
const REVIEWED_MAX = 100
const LOOKED_MAX = 5_000

/** What was chosen for a page, and what it came of. */
interface Looked {
  readonly version: number
  readonly standing: string
  /** Phrases that stand on the page, and those of them that are refused there. */
  readonly found: readonly string[]
  readonly refused: string
  readonly page: PageWithPhrases
}

/** The best links for pages, under the limits of what a page bears. */
export function phraseChoiceService(
  context: Context,
  views: SiteViews,
  placements: ReturnType<typeof placementsService>,
  pages: ReturnType<typeof pagesService>,
) {
  const { db } = context
  const grounds = new KeptPhraseFacts(db, views, placements)
  /** By site: what was looked at, and by which ground. */
  const reviewed = new Map<string, { readonly stamp: string; readonly pages: Map<string, Looked> }>()

  return {
    async ofPage(actor: Actor, id: string): Promise<Result<PagePhrases, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.ofPage)) return fail('forbidden')
      const page = await findPage(db, actor.siteId, id)
      const bytes = page === null ? null : await getBlob(db, page.draftHash)
      if (page === null || bytes === null) return fail('not-found')
      const ground = await grounds.of(actor)
      return ok(suggest(ground, page, decodeSource(bytes, page.encoding), ground.standingOn(id)).phrases)
    },

    /** All phrases over the whole site, pages that offer most first. A page that is as it was when it was last looked at is not read again. */
    async review(actor: Actor, job?: string): Promise<Result<PhraseReview, 'forbidden' | 'cancelled' | 'job-not-ready'>> {
      if (!mayAsk(actor, calls.review)) return fail('forbidden')
      const ground = await grounds.of(actor)
      const there = ground.phrases.length === 0 ? [] : await draftVersions(db, actor.siteId, LOOKED_MAX)
      const before = reviewed.get(actor.siteId)
      const known = before?.stamp === ground.stamp ? before.pages : new Map<string, Looked>()
      reviewed.set(actor.siteId, { stamp: ground.stamp, pages: known })
      const now = new Set(there.map(({ id }) => id))
      for (const id of known.keys()) if (!now.has(id)) known.delete(id)
      const changed = there.filter(({ id, version }) => {
        const looked = known.get(id)
        return (
          looked === undefined ||
          looked.version !== version ||
          looked.standing !== JSON.stringify(ground.standingOn(id)) ||
          looked.refused !== refusedAmong(ground, looked.found, id)
        )
      })
      return withProgress(context, actor, { job, kind: 'phrases', total: changed.length }, async (progress) => {
        let looked = 0
        const turns = new Turns()
        for await (const drafts of readDrafts(
          db,
          actor.siteId,
          changed.map(({ id }) => id),
        )) {
          for (const { page, bytes } of drafts) {
            const { id, path, title, version } = page
            const standing = ground.standingOn(id)
            const { phrases, found } = suggest(ground, page, decodeSource(bytes, page.encoding), standing)
            known.set(id, {
              ...{ version, found, standing: JSON.stringify(standing), refused: refusedAmong(ground, found, id) },
              page: { ...phrases, pageId: id, path, title, version, visits: 0 },
            })
            stopIfUnwanted()
            if (turns.isOver) await turns.next()
          }
          looked += drafts.length
          if (await progress(looked)) return fail('cancelled')
        }
        const views = new Map<string, number>()
        for (const { path, people } of await viewsOfPages(db, actor.siteId, new Date(Date.now() - VIEWS_MS), LOOKED_MAX))
          views.set(path, (views.get(path) ?? 0) + people)
        const offering = [...known.values()].flatMap(({ page }) =>
          page.chosen.length === 0 ? [] : [{ ...page, visits: views.get(page.path) ?? 0 }],
        )
        const worth = ({ chosen }: PageWithPhrases): number => chosen.reduce((sum, { value }) => sum + value, 0)
        return ok({
          pages: offering.sort((a, b) => b.visits - a.visits || worth(b) - worth(a) || (a.path < b.path ? -1 : 1)).slice(0, REVIEWED_MAX),
          suggestions: offering.reduce((sum, { chosen }) => sum + chosen.length, 0),
          looked: there.length,
        })
      })
    },

    /** Links a phrase on a page, as a draft. */
    async accept(actor: Actor, id: string, { phraseId, version, from, to, nth = 0, words }: PhraseAccepted) {
      if (!mayAsk(actor, calls.accept)) return fail('forbidden')
      const page = await findPage(db, actor.siteId, id)
      const bytes = page === null ? null : await getBlob(db, page.draftHash)
      const phrase = await grounds.phrase(actor.siteId, phraseId)
      if (page === null || bytes === null || phrase === null) return fail('not-found')
      if (page.version !== version) return fail('moved-on', { why: tell('phrase.page-saved') })
      const view = await views.of(actor)
      const { destination } = phrase
      const isTheirs = phrase.partnerId !== null && !destination.startsWith('/') && !isShort(view, destination)
      const built = isTheirs ? linkForPlace(view, destination, { pageId: id, shortLinkId: null, nth }) : null
      if (built !== null && !built.ok) return built
      const address = built?.value.link.address ?? destination
      const source = decodeSource(bytes, page.encoding)
      const place = words === undefined ? { from, to } : otherWords(source, { from, to }, words)
      if (place === null) return fail('words-not-there')
      const wrapped = wrapLink(source, place.from, place.to, { href: address, [BY_HAND]: '' })
      if (!wrapped.ok) return fail('patches-unfit')
      const saved = await pages.patch(actor, page, [[...wrapped.value]])
      if (!saved.ok) return saved
      if (built !== null) await keepPlace(db, view, built.value)
      return ok<PhraseTaken>({ version: saved.value.version, address })
    },
  }
}

/** Whose programmes are over: nobody is sent there any more. */
const endedPartners = ({ setup }: SiteGround): ReadonlySet<string> =>
  new Set(setup.partners.filter(({ isEnded }) => isEnded === true).map(({ id }) => id))

const refusedAmong = (ground: PhraseFacts, found: readonly string[], pageId: string): string =>
  found.filter((id) => ground.isRefused(id, pageId)).join(' ')

const isShort = ({ setup }: SiteGround, address: string): boolean => {
  const host = /^https?:\/\/([^/:?#]+)/.exec(address)?.[1]
  return setup.hosts.some((each) => each.kind === 'short' && each.host === host)
}

/** The best set for one page, and which phrases stand on it at all. */
function suggest(
  ground: PhraseFacts,
  page: { readonly id: string; readonly path: string } & Pick<PageMarks, 'tags' | 'writtenFor'>,
  html: string,
  links: readonly Standed[],
): { phrases: PagePhrases; found: readonly string[] } {
  const { view, weights, epc } = ground
  const prose = readProse(html)
  const language = prose.language === '' ? (view.setup.language ?? 'en').slice(0, 2) : prose.language
  const standing = links.map(({ start, ...link }): Standing => {
    const { at, until } = prose.links.get(start) ?? { at: 0, until: 0 }
    return { ...link, at, until }
  })
  const paid = standing.filter(({ isPaid }) => isPaid)
  const most = paidMost(prose.words)
  const best = Math.max(0, ...epc.values())
  const ended = endedPartners(view)
  const { path, tags, writtenFor } = page
  const paidTo = new Map<string, boolean>()
  /** As the link would go out that is made here. */
  const isPaidTo = (destination: string): boolean => {
    const known = paidTo.get(destination) ?? isPaid(foresee(ground.site, destination, path, { tags, writtenFor }).rel)
    paidTo.set(destination, known)
    return known
  }
  const found = new Set<string>()
  const hits = ground.bookOf(language).find(prose, FOUND_MAX)
  // Where a person said "not here", a part of the same words is not offered in its place.
  const refused = new Map<number, FoundPhrase[]>()
  for (const hit of hits)
    if (ground.isRefusedOn(ground.phrases[hit.phrase]?.id ?? '', page.id)) refused.set(hit.piece, [...(refused.get(hit.piece) ?? []), hit])
  const isWithinRefused = ({ piece, from, to }: FoundPhrase): boolean =>
    refused.get(piece)?.some((each) => each.from <= from && to <= each.to) === true
  const places = hits.flatMap((hit) => {
    const [phrase, piece] = [ground.phrases[hit.phrase], prose.pieces[hit.piece]]
    if (phrase === undefined || piece === undefined || phrase.destination === page.path) return []
    found.add(phrase.id)
    if (ground.isRefused(phrase.id, page.id) || isWithinRefused(hit) || (phrase.partnerId !== null && ended.has(phrase.partnerId)))
      return []
    const said = piece.text.slice(hit.from, hit.to)
    const own = phrase.partnerId === null ? undefined : epc.get(phrase.partnerId)
    const earns = phrase.partnerId === null || best === 0 ? 0.5 : (own ?? best / 2) / best
    const early = 1 - hit.at / Math.max(1, prose.words)
    const fitting = (said.toLowerCase() === phrase.words.toLowerCase() ? 0.6 : 0.3) + Math.min(0.4, 0.1 * (hit.until - hit.at))
    const value = (weights.priority * phrase.priority) / 5 + weights.earns * earns + weights.early * early + weights.fitting * fitting
    const candidate: Candidate = {
      destination: normalise(phrase.destination, view.origin) ?? phrase.destination,
      ...{
        paragraph: piece.paragraph,
        at: hit.at,
        until: hit.until,
        isPaid: isPaidTo(phrase.destination),
        value: Math.max(value, 0.001),
      },
    }
    return [{ phrase, piece, hit, candidate, why: whyHere(phrase, { early, said, epc: own }) }]
  })
  const open = places.sort((a, b) => b.candidate.value - a.candidate.value).slice(0, CANDIDATES_MAX)
  const choice = choose(
    open.map(({ candidate }) => candidate),
    standing,
    { paid: most, links: LINKS_MAX, distance: DISTANCE, beside: BESIDE },
  )
  const chosen = choice.chosen.flatMap((i): Suggested[] => {
    const place = open[i]
    if (place === undefined) return []
    const { phrase, piece, hit, candidate, why } = place
    return [
      {
        ...{ phraseId: phrase.id, phrase: phrase.words, sentence: sentenceIn(piece, hit.from, hit.to), leadsTo: phrase.destination },
        ...{
          isPaid: candidate.isPaid,
          value: Math.round(candidate.value * 1_000) / 1_000,
          why,
          ...sourceOf(html, piece, hit.from, hit.to),
        },
      },
    ]
  })
  const left = [...choice.left].flatMap(([i, why]) => {
    const place = open[i]
    return place === undefined ? [] : [{ phrase: place.phrase.words, why }]
  })
  const paragraphs = new Map<number, number>()
  for (const { paragraph } of paid) paragraphs.set(paragraph, (paragraphs.get(paragraph) ?? 0) + 1)
  const room = { page: most, used: paid.length, paragraphs: [...paragraphs].map(([paragraph, used]) => ({ paragraph, used })) }
  return { phrases: { chosen, left, room }, found: [...found] }
}

function whyHere({ priority }: PhraseRow, { early, said, epc }: { early: number; said: string; epc: number | undefined }): Told {
  const where = early > 0.75 ? tell('phrase.early') : early > 0.4 ? tell('phrase.middle') : tell('phrase.late')
  return tell('phrase.why', { where, said, priority, epc: epc === undefined ? null : epc / 100 })
}
