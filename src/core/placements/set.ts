import { normalise, pathSpellings } from '../address/index.ts'
import { readAttributes, valueNamed } from '../markup/index.ts'
import {
  BY_HAND,
  type CompiledSite,
  type Decision,
  decide,
  factsOf,
  isPaid,
  type LinkFacts,
  placeOf,
  type SharedPart,
  TAGS,
  type WrittenLink,
} from '../rules/index.ts'

/** A page, block or menu that placements hang on. */
export interface PlacementPage {
  readonly id: string
  readonly path: string
  readonly title: string
  readonly kind: 'page' | 'block' | 'menu'
  readonly version: number
  readonly writtenFor: string | null
  readonly tags: readonly string[]
  /** Words a reader sees; null where nobody has counted. */
  readonly words: number | null
  /** Destinations that wait for an editor, normalised. */
  readonly waiting: readonly string[]
  readonly baseHref: string | null
  readonly baseTarget: string | null
}

/** One placement as its source has it. */
export interface Placement {
  readonly page: PlacementPage
  readonly ordinal: number
  readonly start: number
  /** The start tag as written; cut where it is very long. */
  readonly tag: string
  readonly text: string
  readonly paragraph: number
  readonly written: WrittenLink
}

/**
 * A placement on its way: number of its page in the list that was sent, ordinal, start, start tag, words, whether it shows
 * a picture (1), paragraph, and what the tag says where the tag was cut. Short, as a site has a hundred thousand.
 */
export type SentPlacement = readonly [number, number, number, string, string, 0 | 1, number, SentTag?]
type SentTag = readonly [href: string, rel: string | null, target: string | null, byHand: string | null, tags: string | null]

/** @param isCut - the tag does not hold all of its attributes */
export function sendPlacement(page: number, placement: Omit<Placement, 'page'>, isCut: boolean): SentPlacement {
  const { ordinal, start, tag, text, paragraph, written } = placement
  const row = [page, ordinal, start, tag, text, written.shows === 'picture' ? 1 : 0, paragraph] as const
  if (!isCut) return row
  return [...row, [written.href, written.rel, written.target, written.byHand, written.tags]]
}

export function readPlacement(pages: readonly PlacementPage[], sent: SentPlacement): Placement {
  const [number, ordinal, start, tag, text, isPicture, paragraph, rest] = sent
  const page = pages[number]
  if (page === undefined) throw new RangeError(`There is no page ${number}`)
  const shows = isPicture === 1 ? 'picture' : 'text'
  const { baseHref, baseTarget } = page
  if (rest !== undefined) {
    const [href, rel, target, byHand, tags] = rest
    return { page, ordinal, start, tag, text, paragraph, written: { href, rel, target, byHand, tags, shows, baseHref, baseTarget } }
  }
  const attributes = readAttributes(tag, tagNameEnd(tag))
  const value = (name: string): string | null => valueNamed(tag, attributes, name)
  return {
    page,
    ordinal,
    start,
    tag,
    text,
    paragraph,
    written: {
      href: (value('href') ?? value('xlink:href') ?? '').trim(),
      rel: value('rel'),
      target: value('target'),
      byHand: value(BY_HAND),
      tags: value(TAGS),
      shows,
      baseHref,
      baseTarget,
    },
  }
}

/** Where the name of a start tag ends. */
export const tagNameEnd = (tag: string): number => /^<[^\s/>]*/.exec(tag)?.[0].length ?? 0

/** The shared part a placement stands in; null for one in a page itself. */
export const partOfPage = ({ kind, path }: Pick<PlacementPage, 'kind' | 'path'>): SharedPart | null =>
  kind === 'page' ? null : { kind, name: path.slice(kind.length + 1) }

/** A placement put into its surroundings and decided by the rules in force. */
export interface JudgedPlacement {
  readonly placement: Placement
  readonly facts: LinkFacts
  readonly decision: Decision
}

/** Puts placements into the surroundings of one site, page by page. */
export class Judge {
  readonly #site: CompiledSite
  #page: PlacementPage | null = null
  #around: ReturnType<CompiledSite['around']> | null = null

  constructor(site: CompiledSite) {
    this.#site = site
  }

  facts(placement: Placement): LinkFacts {
    return factsOf(placement.written, this.#aroundOf(placement.page), this.#site.findShortLink)
  }

  /** Where every placement of a page stands. */
  placeOf(page: PlacementPage): ReturnType<typeof placeOf> {
    return placeOf(this.#aroundOf(page))
  }

  #aroundOf(page: PlacementPage): ReturnType<CompiledSite['around']> {
    if (this.#page !== page || this.#around === null) {
      this.#page = page
      this.#around = this.#site.around(page.path, {
        writtenFor: page.writtenFor,
        waiting: page.waiting,
        tags: page.tags,
        part: partOfPage(page),
      })
    }
    return this.#around
  }

  judge(placement: Placement): JudgedPlacement {
    const facts = this.facts(placement)
    return { placement, facts, decision: decide(this.#site.rules, facts) }
  }
}

/** Tells whether an inside destination exists; null for what only a visit could tell. @param paths - of every page and file of the site */
export function landsOf(facts: LinkFacts, paths: ReadonlySet<string>): boolean | null {
  if (facts.address === null) return false
  if (facts.kind === 'short link') return facts.site !== null
  if (facts.kind === 'section') return true
  if (facts.kind !== 'inside page' && facts.kind !== 'file') return null
  return isOnSite(facts.address, paths)
}

/** Tells whether an address of our own has a page or file, however its path is spelt. */
export function isOnSite(address: string, paths: ReadonlySet<string>): boolean {
  return pathSpellings(new URL(address).pathname).some((path) => paths.has(path))
}

/** What two spellings of one destination have in common; the destination as written where it is no address. */
export const destinationOf = ({ placement, facts }: Pick<JudgedPlacement, 'placement' | 'facts'>): string =>
  facts.address === null ? placement.written.href : (normalise(facts.address) ?? facts.address)

/** Whether a link goes out as paid. */
export const isPaidLink = ({ decision }: Pick<JudgedPlacement, 'decision'>): boolean => isPaid(decision.rel)

/** Whether a link leads to a partner who pays for it, and search engines are not told: a rule or a hand says otherwise. */
export const isUnmarked = ({ facts, decision }: Pick<JudgedPlacement, 'facts' | 'decision'>): boolean =>
  facts.pays && !facts.isWaiting && !isPaid(decision.rel)
