import { compileCondition, testsOf } from './condition.ts'
import type { LinkFacts } from './facts.ts'
import type { CompiledRule } from './rule.ts'

/** Questions that links of the same {@link alikeKey} may answer in different ways. */
const ASKED: readonly string[] = ['address', 'under', 'part', 'sponsored page', 'tag']

type Matcher = (facts: LinkFacts) => boolean

/** Facts of no link, for questions that ask for one of them only. */
const NO_FACTS: LinkFacts = {
  kind: null,
  address: null,
  site: null,
  host: '',
  isPartner: false,
  partner: null,
  isOutside: false,
  page: '/',
  part: null,
  tags: [],
  linkTags: null,
  isSponsoredPage: false,
  origin: 'imported',
  shows: 'text',
  handSet: [],
  writtenFor: null,
  isWaiting: false,
  rel: [],
  target: null,
  baseTarget: null,
}

/**
 * What some lists of rules see of an address, of a place and of tags: one answer for each question they ask. Links of the
 * same {@link alikeKey} for which all three are the same are decided the same by each of the lists.
 */
export class Looks {
  readonly #address: readonly Matcher[]
  readonly #place: readonly Matcher[]
  readonly #tags: readonly Matcher[]
  readonly #facts: { -readonly [K in keyof LinkFacts]: LinkFacts[K] } = { ...NO_FACTS }

  /** The same text for lists that ask the same. */
  readonly asks: string

  constructor(...lists: readonly (readonly CompiledRule[])[]) {
    const tests = lists.flat().flatMap(({ rule }) => testsOf(rule.when))
    const asking = (...of: readonly string[]): readonly Matcher[] => {
      const different = new Map(tests.filter(({ is }) => of.includes(is)).map((test) => [JSON.stringify(test), test]))
      return [...different.values()].map(compileCondition)
    }
    const asked = new Set(tests.filter(({ is }) => ASKED.includes(is)).map((test) => JSON.stringify(test)))
    this.asks = [...asked].sort().join()
    this.#address = asking('address')
    this.#place = asking('under', 'part', 'sponsored page')
    this.#tags = asking('tag')
  }

  get asksForAddress(): boolean {
    return this.#address.length > 0
  }
  /** Than what a link is, and its address. */
  get asksForMore(): boolean {
    return this.asksForPlace || this.asksForTags
  }
  get asksForPlace(): boolean {
    return this.#place.length > 0
  }
  get asksForTags(): boolean {
    return this.#tags.length > 0
  }

  /** The same text for addresses that look the same. */
  ofAddress(address: string | null): string {
    this.#facts.address = address // one after the other, of a million: no new object for each
    return answers(this.#address, this.#facts)
  }

  ofPlace(place: Pick<LinkFacts, 'page' | 'part' | 'isSponsoredPage'>): string {
    return answers(this.#place, Object.assign(this.#facts, place))
  }

  ofTags(tags: readonly string[]): string {
    this.#facts.tags = tags
    return answers(this.#tags, this.#facts)
  }
}

const answers = (matchers: readonly Matcher[], facts: LinkFacts): string => {
  let said = ''
  for (const matches of matchers) said += matches(facts) ? '1' : '0'
  return said
}
