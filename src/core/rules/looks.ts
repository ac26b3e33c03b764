import { compileCondition, lowerWildcard, type Test, testsOf } from './condition.ts'
import type { LinkFacts } from './facts.ts'
import type { CompiledRule } from './rule.ts'

/** Questions that links of the same {@link alikeKey} may answer in different ways. */
const ASKED: readonly string[] = ['address', 'under', 'part', 'sponsored page', 'tag']

type Asked<T> = (of: T) => boolean

/** Answers to so many questions stand in one number, the first as its lowest bit: it is told from another one faster than a text. */
export const LOOK_BITS = 30

/** Facts of no link, for questions that ask for one of them only. */
const NO_FACTS: LinkFacts = {
  kind: null,
  address: null,
  site: null,
  host: '',
  isPartner: false,
  partner: null,
  pays: false,
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
  /** Patterns that are asked for, as people wrote them. */
  readonly addresses: readonly string[]
  readonly #address: readonly Asked<string>[]
  readonly #site: readonly Asked<LinkFacts>[]
  readonly #place: readonly Asked<LinkFacts>[]
  readonly #tags: readonly Asked<LinkFacts>[]
  readonly #facts: { -readonly [K in keyof LinkFacts]: LinkFacts[K] } = { ...NO_FACTS }

  constructor(...lists: readonly (readonly CompiledRule[])[]) {
    const tests = lists.flat().flatMap(({ rule }) => testsOf(rule.when))
    const asked = new Map(tests.filter(({ is }) => ASKED.includes(is)).map((test) => [JSON.stringify(test), test]))
    const asking = (...of: readonly Test['is'][]): readonly Asked<LinkFacts>[] =>
      [...asked.values()].filter(({ is }) => of.includes(is)).map(compileCondition)
    this.addresses = [...asked.values()].flatMap((test) => (test.is === 'address' ? [test.like] : []))
    this.#address = this.addresses.map(lowerWildcard)
    const sites = new Map(tests.filter(({ is }) => is === 'site').map((test) => [JSON.stringify(test), test]))
    this.#site = [...sites.values()].map(compileCondition)
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

  /**
   * The same for addresses that look the same: {@link Look} of the answers in the order of {@link addresses}.
   * @param address - in lower case; "" for what is no address
   */
  ofAddress(address: string): Look {
    return address === '' ? 'no address' : answers(this.#address, address)
  }

  /** @param site - registrable domain; null for none */
  ofSite(site: string | null, host: string): Look {
    return answers(this.#site, Object.assign(this.#facts, { site, host }))
  }

  ofPlace(place: Pick<LinkFacts, 'page' | 'part' | 'isSponsoredPage'>): Look {
    return answers(this.#place, Object.assign(this.#facts, place))
  }

  ofTags(tags: readonly string[]): Look {
    this.#facts.tags = tags
    return answers(this.#tags, this.#facts)
  }
}

/** What some questions say of one thing, all of them together. */
export type Look = number | string

function answers<T>(asked: readonly Asked<T>[], of: T): Look {
  if (asked.length > LOOK_BITS) return asked.map((isSo) => (isSo(of) ? '1' : '0')).join('')
  let said = 0
  for (let k = 0; k < asked.length; k++) if (asked[k]?.(of) === true) said |= 1 << k
  return said
}
