import { PHRASES_MAX, PhraseWeights } from '../../contract/phrases.ts'
import { normalise } from '../../core/address/index.ts'
import { Phrasebook, type Standing } from '../../core/phrases/index.ts'
import { destinationOf, isPaidLink, type PlacementList } from '../../core/placements/index.ts'
import { type CompiledSite, foresee, type SiteGround, withShortLinks } from '../../core/rules/index.ts'
import type { Database } from '../../data/database.ts'
import { reportsStamp, sumEarnings } from '../../data/earnings.ts'
import { usesOfPartners } from '../../data/partners.ts'
import { listPhrases, type PhraseRow, phraseRefusals, phrasesStamp, readWeights } from '../../data/phrases.ts'
import type { SiteViews } from '../context.ts'
import { KnownShortLinks } from '../known-short-links.ts'
import type { placementsService } from '../placements/index.ts'

const EARNED_MAX = 5_000

/** A link that stands on a page, before it is known how many words are before it. */
export type Standed = Pick<Standing, 'destination' | 'paragraph' | 'isPaid'> & { readonly start: number }

interface Kept<T> {
  readonly stamp: string
  readonly value: T
}
interface Phrases {
  readonly rows: readonly PhraseRow[]
  /** By language. */
  readonly books: Map<string, Phrasebook>
}

/** What a choice of phrases weighs by, of a whole site. */
export class PhraseFacts {
  readonly view: SiteGround
  /** Knows where the short links lead that phrases lead to. */
  readonly site: CompiledSite
  readonly weights: PhraseWeights
  /** Earned a click by partner, in the smallest unit; of those where it is known. */
  readonly epc: ReadonlyMap<string, number>
  /** The same for as long as every page would be chosen for alike, refusals aside. */
  readonly stamp: string
  readonly #phrases: Phrases
  readonly #refusals: ReadonlySet<string>
  readonly #list: PlacementList

  constructor(
    given: { site: CompiledSite; weights: PhraseWeights; epc: ReadonlyMap<string, number>; stamp: string },
    phrases: Phrases,
    refusals: ReadonlySet<string>,
    list: PlacementList,
  ) {
    this.view = given.site
    this.site = given.site
    this.weights = given.weights
    this.epc = given.epc
    this.stamp = given.stamp
    this.#phrases = phrases
    this.#refusals = refusals
    this.#list = list
  }

  get phrases(): readonly PhraseRow[] {
    return this.#phrases.rows
  }

  bookOf(language: string): Phrasebook {
    const book =
      this.#phrases.books.get(language) ??
      new Phrasebook(
        this.#phrases.rows.map(({ words }) => words),
        language,
      )
    this.#phrases.books.set(language, book)
    return book
  }

  isRefused(phraseId: string, pageId: string): boolean {
    return this.#refusals.has(phraseId) || this.#refusals.has(`${phraseId} ${pageId}`)
  }

  /** Whether a person said of this page that the phrase is not to be linked there. */
  isRefusedOn(phraseId: string, pageId: string): boolean {
    return this.#refusals.has(`${phraseId} ${pageId}`)
  }

  /** The links that stand on a page. */
  standingOn(pageId: string): readonly Standed[] {
    const links = this.view.partnerLinks
    return this.#list.judgedOn(pageId).map((judged) => {
      const address = destinationOf(judged)
      const destination = links.recognise(address, 'any')?.destination ?? address
      const { start, paragraph } = judged.placement
      return { destination: normalise(destination, this.view.origin) ?? destination, paragraph, start, isPaid: isPaidLink(judged) }
    })
  }
}

/** Facts of sites. What is made of many rows is made again when one of them changes, and not before. */
export class KeptPhraseFacts {
  readonly #db: Database
  readonly #views: SiteViews
  readonly #placements: ReturnType<typeof placementsService>
  readonly #phrases = new Map<string, Kept<Phrases>>()
  readonly #epc = new Map<string, Kept<ReadonlyMap<string, number>>>()

  constructor(db: Database, views: SiteViews, placements: ReturnType<typeof placementsService>) {
    this.#db = db
    this.#views = views
    this.#placements = placements
  }

  async of(actor: { readonly siteId: string }): Promise<PhraseFacts> {
    const { siteId } = actor
    const view = await this.#views.of(actor)
    const [phrases, epc, weights, refusals, list] = await Promise.all([
      this.#phrasesOf(siteId),
      this.#epcOf(view),
      readWeights(this.#db, siteId).then((found) => PhraseWeights.parse(found)),
      phraseRefusals(this.#db, siteId),
      this.#placements.listOf(siteId, view),
    ])
    const short = new KnownShortLinks(this.#db, siteId)
    const site = withShortLinks(view, short.find)
    const hosts = view.setup.hosts.flatMap(({ kind, host }) => (kind === 'short' ? [host] : []))
    for (const { destination } of phrases.value.rows) if (hosts.some((host) => destination.includes(host))) foresee(site, destination, '/')
    await short.learn()
    const { partners, rules, partnersArePaid } = view.setup
    const said = [partners.map(({ id, isEnded, isPaid, sites }) => [id, isEnded, isPaid, sites]), rules, partnersArePaid, short.all]
    const stamp = JSON.stringify([phrases.stamp, epc.stamp, weights, said])
    return new PhraseFacts({ site, weights, epc: epc.value, stamp }, phrases.value, refusals, list)
  }

  async phrase(siteId: string, id: string): Promise<PhraseRow | null> {
    return (await this.#phrasesOf(siteId)).value.rows.find((each) => each.id === id) ?? null
  }

  async #phrasesOf(siteId: string): Promise<Kept<Phrases>> {
    return kept(this.#phrases, siteId, await phrasesStamp(this.#db, siteId), async () => ({
      rows: await listPhrases(this.#db, siteId, null, PHRASES_MAX),
      books: new Map<string, Phrasebook>(),
    }))
  }

  /** As of the newest report: clicks that came after it have no orders yet. */
  async #epcOf({ setup: { siteId, partners } }: SiteGround): Promise<Kept<ReadonlyMap<string, number>>> {
    return kept(this.#epc, siteId, await reportsStamp(this.#db, siteId), async () => {
      const [earned, uses] = await Promise.all([
        sumEarnings(this.#db, { siteId, by: 'partner' }, EARNED_MAX),
        usesOfPartners(this.#db, siteId, partners),
      ])
      const epc = new Map<string, number>()
      for (const { key, pending, confirmed, paid } of earned) {
        const clicks = uses.get(key)?.clicks ?? 0
        if (clicks > 0) epc.set(key, (epc.get(key) ?? 0) + (pending + confirmed + paid) / clicks)
      }
      return epc
    })
  }
}

async function kept<T>(all: Map<string, Kept<T>>, key: string, stamp: string, make: () => Promise<T>): Promise<Kept<T>> {
  const known = all.get(key)
  if (known?.stamp === stamp) return known
  const made = { stamp, value: await make() }
  all.set(key, made)
  return made
}
