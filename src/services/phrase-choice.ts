import type { PagePhrases, PageWithPhrases, PhraseReview, PhraseTaken, PhraseWeights, Suggested } from '../contract/phrases.ts'
import { PHRASES_MAX, PhraseWeights as Weights } from '../contract/phrases.ts'
import { normalise } from '../core/address/index.ts'
import { decodeSource, wrapLink } from '../core/markup/index.ts'
import { type Candidate, choose, Phrasebook, type Prose, readProse, type Standing, sentenceIn, sourceOf } from '../core/phrases/index.ts'
import { destinationOf, type PlacementList, paidMost } from '../core/placements/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { BY_HAND, hintsOf, relTokens, type SiteGround } from '../core/rules/index.ts'
import { getBlob } from '../data/contents.ts'
import { readDrafts } from '../data/drafts.ts'
import { sumEarnings } from '../data/earnings.ts'
import { findPage, pageIds } from '../data/pages.ts'
import { usesOfPartners } from '../data/partners.ts'
import { listPhrases, type PhraseRow, phraseRefusals, phrasesStamp, readWeights } from '../data/phrases.ts'
import type { Actor, Context, SiteViews } from './context.ts'
import type { pagesService } from './pages.ts'
import { linkForPlace, partnerLinksOf } from './partner-links.ts'
import type { placementsService } from './placements.ts'
import { toldWork } from './told-work.ts'

/** Of one page, places that are looked at; and links that are suggested at once. */
const FOUND_MAX = 2_000
const CANDIDATES_MAX = 500
const LINKS_MAX = 8
/** Words between two links, at least. */
const DISTANCE = 25
const BESIDE = 4
/** Pages shown of a review, and pages it looks at. */
const REVIEWED_MAX = 100
const LOOKED_MAX = 5_000

interface Known {
  readonly phrases: readonly PhraseRow[]
  /** By language. */
  readonly books: Map<string, Phrasebook>
  readonly stamp: string
}

/** What a choice weighs by, of the whole site. */
interface Ground {
  readonly view: SiteGround
  readonly known: Known
  readonly weights: PhraseWeights
  readonly refusals: ReadonlySet<string>
  /** Earned a click by partner, in the smallest unit; of those where it is known. */
  readonly epc: ReadonlyMap<string, number>
  readonly list: PlacementList
}

/** The best links for pages, under the limits of what a page bears. */
export function phraseChoiceService(
  context: Context,
  views: SiteViews,
  placements: ReturnType<typeof placementsService>,
  pages: ReturnType<typeof pagesService>,
) {
  const { db } = context
  const bySite = new Map<string, Known>()

  async function knownOf(siteId: string): Promise<Known> {
    const stamp = await phrasesStamp(db, siteId)
    const there = bySite.get(siteId)
    if (there?.stamp === stamp) return there
    const made = { phrases: await listPhrases(db, siteId, null, PHRASES_MAX), books: new Map<string, Phrasebook>(), stamp }
    bySite.set(siteId, made)
    return made
  }

  async function groundOf(actor: Actor): Promise<Ground> {
    const { siteId } = actor
    const view = await views.of(actor)
    const partners = view.setup.partners.map(({ id, sites }) => ({ id, hosts: sites }))
    const [known, weights, refusals, earned, uses, list] = await Promise.all([
      knownOf(siteId),
      readWeights(db, siteId),
      phraseRefusals(db, siteId),
      sumEarnings(db, { siteId, by: 'partner' }, 5_000),
      usesOfPartners(db, siteId, partners),
      placements.listOf(siteId, view),
    ])
    const epc = new Map<string, number>()
    for (const { key, pending, confirmed, paid } of earned) {
      const clicks = uses.get(key)?.clicks ?? 0
      if (clicks > 0) epc.set(key, (epc.get(key) ?? 0) + (pending + confirmed + paid) / clicks)
    }
    return { view, known, weights: Weights.parse(weights), refusals, epc, list }
  }

  return {
    async ofPage(actor: Actor, id: string): Promise<Result<PagePhrases, 'forbidden' | 'not-found'>> {
      if (!actor.can('pages:read')) return fail('forbidden')
      const page = await findPage(db, actor.siteId, id)
      const bytes = page === null ? null : await getBlob(db, page.draftHash)
      if (page === null || bytes === null) return fail('not-found')
      return ok(suggest(await groundOf(actor), { id, path: page.path }, decodeSource(bytes, page.encoding)))
    },

    /** All phrases over the whole site. Pages that are written here only; those that offer most come first. */
    async review(actor: Actor, job?: string): Promise<Result<PhraseReview, 'forbidden' | 'cancelled' | 'job-not-ready'>> {
      if (!actor.can('pages:read')) return fail('forbidden')
      const ground = await groundOf(actor)
      const ids = ground.known.phrases.length === 0 ? [] : await pageIds(db, actor.siteId, LOOKED_MAX)
      return toldWork(context, actor, { job, kind: 'phrases', total: ids.length }, async (tell) => {
        const found: PageWithPhrases[] = []
        let looked = 0
        for await (const drafts of readDrafts(db, actor.siteId, ids)) {
          for (const { page, bytes } of drafts) {
            const suggested = suggest(ground, { id: page.id, path: page.path }, decodeSource(bytes, page.encoding))
            if (suggested.chosen.length > 0)
              found.push({ ...suggested, pageId: page.id, path: page.path, title: page.title, version: page.version, visits: 0 })
          }
          looked += drafts.length
          if (await tell(looked)) return fail('cancelled')
        }
        const worth = (page: PageWithPhrases): number => page.chosen.reduce((sum, { value }) => sum + value, 0)
        const suggestions = found.reduce((sum, { chosen }) => sum + chosen.length, 0)
        return ok({ pages: found.sort((a, b) => worth(b) - worth(a)).slice(0, REVIEWED_MAX), suggestions, looked })
      })
    },

    /** Links a phrase on a page, as a draft. */
    async accept(
      actor: Actor,
      id: string,
      { phraseId, version, from, to, nth = 0 }: { phraseId: string; version: number; from: number; to: number; nth?: number | undefined },
    ) {
      if (!actor.can('pages:edit')) return fail('forbidden')
      const page = await findPage(db, actor.siteId, id)
      const bytes = page === null ? null : await getBlob(db, page.draftHash)
      const phrase = (await knownOf(actor.siteId)).phrases.find((each) => each.id === phraseId)
      if (page === null || bytes === null || phrase === undefined) return fail('not-found')
      if (page.version !== version) return fail('moved-on', { why: 'The page was saved in the meantime. Look at its suggestions again.' })
      const view = await views.of(actor)
      const built =
        phrase.partnerId === null || phrase.destination.startsWith('/') || isShort(view, phrase.destination)
          ? ok({ address: phrase.destination })
          : await linkForPlace(context, view, phrase.destination, { pageId: id, shortLinkId: null, nth })
      if (!built.ok) return built
      const wrapped = wrapLink(decodeSource(bytes, page.encoding), from, to, { href: built.value.address, [BY_HAND]: '' })
      if (!wrapped.ok) return fail('patches-unfit')
      const saved = await pages.patch(actor, page, [[...wrapped.value]])
      return saved.ok ? ok<PhraseTaken>({ version: saved.value.version, address: built.value.address }) : saved
    },
  }
}

const isShort = ({ setup }: SiteGround, address: string): boolean => {
  const host = /^https?:\/\/([^/:?#]+)/.exec(address)?.[1]
  return setup.hosts.some((each) => each.kind === 'short' && each.host === host)
}

function suggest({ view, known, weights, refusals, epc, list }: Ground, page: { id: string; path: string }, html: string): PagePhrases {
  const prose = readProse(html)
  const language = prose.language === '' ? (view.setup.language ?? 'en').slice(0, 2) : prose.language
  const book =
    known.books.get(language) ??
    new Phrasebook(
      known.phrases.map(({ words }) => words),
      language,
    )
  known.books.set(language, book)
  const standing = standingOn(view, list, page.path, prose)
  const most = paidMost(prose.words)
  const room = {
    page: most,
    used: standing.filter(({ isPaid }) => isPaid).length,
    paragraphs: [...new Set(standing.filter(({ isPaid }) => isPaid).map(({ paragraph }) => paragraph))].map((paragraph) => ({
      paragraph,
      used: standing.filter((each) => each.isPaid && each.paragraph === paragraph).length,
    })),
  }
  const best = Math.max(0, ...epc.values())
  const places = book.find(prose, FOUND_MAX).flatMap((hit) => {
    const [phrase, piece] = [known.phrases[hit.phrase], prose.pieces[hit.piece]]
    if (phrase === undefined || piece === undefined || refusals.has(phrase.id) || refusals.has(`${phrase.id} ${page.id}`)) return []
    if (phrase.destination.startsWith('/') && phrase.destination === page.path) return []
    const said = piece.text.slice(hit.from, hit.to)
    const earns = phrase.partnerId === null || best === 0 ? 0.5 : (epc.get(phrase.partnerId) ?? best / 2) / best
    const early = 1 - hit.at / Math.max(1, prose.words)
    const fitting = (said.toLowerCase() === phrase.words.toLowerCase() ? 0.6 : 0.3) + Math.min(0.4, 0.1 * (hit.until - hit.at))
    const value = (weights.priority * phrase.priority) / 5 + weights.earns * earns + weights.early * early + weights.fitting * fitting
    const candidate: Candidate = {
      destination: normalise(phrase.destination, view.origin) ?? phrase.destination,
      ...{ paragraph: piece.paragraph, at: hit.at, until: hit.until, isPaid: phrase.partnerId !== null, value: Math.max(value, 0.001) },
    }
    return [
      {
        phrase,
        piece,
        hit,
        candidate,
        why: whyHere(phrase, { early, said, epc: phrase.partnerId === null ? undefined : epc.get(phrase.partnerId) }),
      },
    ]
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
  return { chosen, left: left.slice(0, CANDIDATES_MAX), room }
}

function whyHere({ priority }: PhraseRow, { early, said, epc }: { early: number; said: string; epc: number | undefined }): string {
  const where = early > 0.75 ? 'early in the page' : early > 0.4 ? 'in the middle of the page' : 'late in the page'
  return [
    where,
    `“${said}”`,
    `priority ${priority} of 5`,
    ...(epc === undefined ? [] : [`links like this earn ${(epc / 100).toFixed(2)} a click`]),
  ].join(', ')
}

/** The links that stand on a page, as a choice counts them. */
function standingOn(view: SiteGround, list: PlacementList, path: string, prose: Prose): Standing[] {
  const links = partnerLinksOf(view)
  return [...list.ask({ page: path }).found].flatMap((i): Standing[] => {
    const judged = list.judgedAt(i)
    if (judged === null) return []
    const { placement, facts, decision } = judged
    const address = destinationOf(judged)
    const { at, until } = prose.links.get(placement.start) ?? { at: 0, until: 0 }
    const destination = links.recognise(address, 'any')?.destination ?? address
    const isPaid = facts.isPartner || hintsOf(relTokens(decision.rel)).includes('sponsored')
    return [{ destination: normalise(destination, view.origin) ?? destination, paragraph: placement.paragraph, at, until, isPaid }]
  })
}
