import { LOOK_BITS, type Look, type Looks, lowerWildcard, readAlikeKey, withoutSite } from '../rules/index.ts'
import { longEnough, type Numbered } from './columns.ts'
import type { PlacementRows } from './rows.ts'

/** Second numbers up to here have an array each, which is ten times as quick as asking a map. */
const ARRAYS_MAX = 256

/** Numbers for pairs of numbers, given as the pairs are met. */
class Pairs {
  /** By the second number, then the first: the number and 1. */
  readonly #arrays: (Uint32Array | undefined)[] = []
  readonly #numbers = new Map<number, number>()
  #length = 0

  of(first: number, second: number): number {
    if (second >= ARRAYS_MAX) return this.#rare(first * LOOKS_MAX + second)
    let array = this.#arrays[second]
    if (array === undefined || first >= array.length) {
      array = longEnough(array ?? new Uint32Array(64), first + 1, 0)
      this.#arrays[second] = array
    }
    const known = array[first] ?? 0
    if (known !== 0) return known - 1
    array[first] = ++this.#length
    return this.#length - 1
  }

  #rare(key: number): number {
    let number = this.#numbers.get(key)
    if (number === undefined) {
      number = this.#length++
      this.#numbers.set(key, number)
    }
    return number
  }
}
/** More than rules can see differences of: one for each address of a large site. */
const LOOKS_MAX = 4_194_304

/**
 * What patterns say of all strings, a bit for each pattern: looked for in all of them at once, which is several times as fast
 * as in one after the other. @returns null where patterns have to be asked one by one
 */
function marksOf(patterns: readonly string[], strings: Numbered): Uint32Array | null {
  const wordOf = (pattern: string): string =>
    pattern
      .toLowerCase()
      .split('*')
      .reduce((longest, each) => (each.length > longest.length ? each : longest), '')
  const words = patterns.map(wordOf)
  if (patterns.length > LOOK_BITS || words.some((word) => word === '' || word.includes('\n'))) return null
  const marks = new Uint32Array(strings.length)
  for (const [k, pattern] of patterns.entries()) {
    strings.mark(words[k] ?? '', 1 << k, marks)
    if (pattern.toLowerCase() === `*${words[k]}*`) continue
    const isLike = lowerWildcard(pattern)
    for (const [code, lower] of strings.lower().entries()) {
      const found = marks[code] ?? 0
      if ((found & (1 << k)) !== 0 && !isLike(lower)) marks[code] = found & ~(1 << k)
    }
  }
  return marks
}

/**
 * Numbers for placements that some lists of rules cannot tell apart: they look the same in themselves, and what the rules
 * ask of addresses, places and tags has the same answers. A site of a million placements has some thousand of them.
 */
export class Classes {
  readonly looks: Looks
  readonly #rows: PlacementRows
  readonly #alikes = new Pairs()
  readonly #withAddress = new Pairs()
  readonly #withPlace = new Pairs()
  readonly #withTags = new Pairs()
  readonly #seen: Readonly<Record<'address' | 'place' | 'tags', Map<Look, number>>> = {
    address: new Map(),
    place: new Map(),
    tags: new Map(),
  }
  /** By the number of the string, of the page, and of what is written and where: 0 where nobody has looked. */
  #ofAddress = new Uint32Array(0)
  /** See {@link marksOf}; of strings that were there when somebody asked first. */
  #marks: Uint32Array | null | undefined
  #ofPlace = new Uint32Array(0)
  readonly #ofTags = new Map<string, number>()
  #generation: number
  /** By what makes rows alike: the same number and 1 where only sites differ that no rule tells apart; 0 where nobody has looked. */
  #coarse: Uint32Array | null
  readonly #coarseNumbers = new Map<string, number>()

  /** @param isCoarse - where links lead makes no other class of them, beyond what rules ask */
  constructor(rows: PlacementRows, looks: Looks, isCoarse = false) {
    this.#rows = rows
    this.looks = looks
    this.#coarse = isCoarse ? new Uint32Array(rows.alikes.length) : null
    this.#generation = rows.generation
  }

  /** A page was put anew: it may stand elsewhere, and be of another kind. */
  forgetPage(number: number): void {
    if (number < this.#ofPlace.length) this.#ofPlace[number] = 0
  }

  /** The class of a row. They are counted from 0. */
  of(i: number): number {
    const { columns, generation } = this.#rows
    if (generation !== this.#generation) {
      this.#generation = generation
      this.#ofAddress = new Uint32Array(0) // strings have other numbers
      this.#marks = undefined
    }
    const { looks } = this
    const alike = columns.alike.data[i] ?? 0
    let number = this.#alikes.of(this.#coarse === null ? alike : this.#coarseOf(alike), 0)
    if (looks.asksForAddress) number = this.#withAddress.of(number, this.#addressOf(columns.address.data[i] ?? 0))
    if (looks.asksForPlace) number = this.#withPlace.of(number, this.#placeOf(columns.page.data[i] ?? 0))
    return looks.asksForTags ? this.#withTags.of(number, this.#tagsOf(i, columns.page.data[i] ?? 0)) : number
  }

  #coarseOf(alike: number): number {
    if (this.#coarse === null) return alike
    if (alike >= this.#coarse.length) this.#coarse = longEnough(this.#coarse, this.#rows.alikes.length, 0)
    const known = this.#coarse[alike] ?? 0
    if (known !== 0) return known - 1
    const key = this.#rows.alikes.values[alike] ?? ''
    const { site, host } = readAlikeKey(key)
    const look = `${this.looks.ofSite(site === '' ? null : site, host)}\n${withoutSite(key)}`
    const number = this.#coarseNumbers.get(look) ?? this.#coarseNumbers.size
    this.#coarseNumbers.set(look, number)
    this.#coarse[alike] = number + 1
    return number
  }

  #number(of: 'address' | 'place' | 'tags', look: Look): number {
    const seen = this.#seen[of]
    const known = seen.get(look)
    if (known !== undefined) return known
    seen.set(look, seen.size + 1)
    return seen.size
  }

  #addressOf(code: number): number {
    const { strings } = this.#rows
    if (code >= this.#ofAddress.length) this.#ofAddress = longEnough(this.#ofAddress, strings.length, 0)
    const known = this.#ofAddress[code] ?? 0
    if (known !== 0) return known
    if (this.#marks === undefined) this.#marks = marksOf(this.looks.addresses, strings)
    const number = this.#number('address', this.#marks?.[code] ?? this.looks.ofAddress(strings.lower()[code] ?? ''))
    this.#ofAddress[code] = number
    return number
  }

  #placeOf(pageNumber: number): number {
    if (pageNumber >= this.#ofPlace.length) this.#ofPlace = longEnough(this.#ofPlace, this.#rows.stretches.length, 0)
    const known = this.#ofPlace[pageNumber] ?? 0
    if (known !== 0) return known
    const page = this.#rows.stretches[pageNumber]?.page
    if (page === undefined) return 0
    const number = this.#number('place', this.looks.ofPlace(this.#rows.placeOf(page)))
    this.#ofPlace[pageNumber] = number
    return number
  }

  #tagsOf(i: number, pageNumber: number): number {
    const written = this.#rows.columns.written.data[i] ?? 0
    const tags = this.#rows.stretches[pageNumber]?.page.tags ?? []
    const hasOwn = this.#rows.writtenValues(written).tags !== null
    if (!hasOwn && tags.length === 0) return 0
    const key = `${hasOwn ? written : -1} ${tags.join('\n')}`
    const known = this.#ofTags.get(key)
    if (known !== undefined) return known
    const number = this.#number('tags', this.looks.ofTags(this.#rows.judgedAt(i)?.facts.tags ?? []))
    this.#ofTags.set(key, number)
    return number
  }
}
