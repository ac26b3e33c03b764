import { becauseOf, readTags } from '../rules/index.ts'
import { byRank, type Column, Numbered } from './columns.ts'
import type { Decided } from './decided.ts'
import type { DestinationGroups, Sort } from './query.ts'
import type { PlacementRows } from './rows.ts'
import type { ShownList } from './shown.ts'

/** Ranks of the strings that one column holds, without case. New ones are put among those that were there. */
class Ranking {
  #sorted: Uint32Array<ArrayBuffer> = new Uint32Array(0)
  #ranks = new Uint32Array(0)
  #isSeen = new Uint8Array(0)
  #generation = -1

  of(rows: PlacementRows, column: Column, lower: readonly string[]): Uint32Array {
    const { strings, generation, length } = rows
    if (generation !== this.#generation) {
      this.#generation = generation
      this.#sorted = new Uint32Array(0)
      this.#isSeen = new Uint8Array(0)
    }
    if (this.#isSeen.length < strings.length) {
      const grown = new Uint8Array(strings.length)
      grown.set(this.#isSeen)
      this.#isSeen = grown
    }
    const isSeen = this.#isSeen
    const { data } = column
    const added: number[] = []
    for (let i = 0; i < length; i++) {
      const code = data[i] ?? 0
      if (isSeen[code] === 1) continue
      isSeen[code] = 1
      added.push(code)
    }
    if (added.length === 0) return this.#ranks
    const isLess = (a: number, b: number): boolean => {
      const [left, right] = [lower[a] ?? '', lower[b] ?? '']
      return left === right ? (strings.values[a] ?? '') < (strings.values[b] ?? '') : left < right
    }
    const next = inOrder(added, lower, isLess)
    const before = this.#sorted
    const sorted = new Uint32Array(before.length + next.length)
    for (let k = 0, a = 0, b = 0; k < sorted.length; k++) {
      const [old, added] = [before[a], next[b]]
      const takesOld = old !== undefined && (added === undefined || isLess(old, added))
      sorted[k] = (takesOld ? old : added) ?? 0
      if (takesOld) a++
      else b++
    }
    this.#sorted = sorted
    this.#ranks = new Uint32Array(strings.length)
    for (let k = 0; k < sorted.length; k++) this.#ranks[sorted[k] ?? 0] = k
    return this.#ranks
  }
}

/** Addresses of a site begin alike: by their beginnings first, they are put into order in half the time. */
const BEGINNING_CHARS = 24
function inOrder(codes: readonly number[], lower: readonly string[], isLess: (a: number, b: number) => boolean): number[] {
  const byBeginning = new Map<string, number[]>()
  for (const code of codes) {
    const beginning = (lower[code] ?? '').slice(0, BEGINNING_CHARS)
    const same = byBeginning.get(beginning)
    if (same === undefined) byBeginning.set(beginning, [code])
    else same.push(code)
  }
  const ordered: number[] = []
  for (const beginning of [...byBeginning.keys()].sort()) {
    const same = byBeginning.get(beginning) ?? []
    same.sort((a, b) => (isLess(a, b) ? -1 : 1))
    for (const code of same) ordered.push(code)
  }
  return ordered
}

/** Puts rows into the order of a column. */
export class Sorting {
  readonly #rankings = { text: new Ranking(), href: new Ranking(), destination: new Ranking() }

  /** @param found - in the order of page and place, which decides where the column does not */
  sort(found: Uint32Array<ArrayBuffer>, sort: Sort, isDown: boolean, list: ShownList): Uint32Array<ArrayBuffer> {
    if (sort === 'page') return isDown ? found.slice().reverse() : found
    const rankOf = this.#ranks(sort, list)
    return byRank(found, isDown ? (i) => MOST - rankOf(i) : rankOf)
  }

  /** The destinations of placements, the most linked first. @param found - in the order of pages */
  group(found: Uint32Array, { rows }: ShownList): DestinationGroups {
    const { page, destination } = rows.columns
    const { values, length } = rows.strings
    const [links, pages, lastPage] = [0, 1, 2].map(() => new Uint32Array(length)) as [Uint32Array, Uint32Array, Uint32Array]
    const codes = new Uint32Array(found.length)
    let count = 0
    for (let k = 0; k < found.length; k++) {
      const i = found[k] ?? 0
      const code = destination.data[i] ?? 0
      if (links[code] === 0) codes[count++] = code
      links[code] = (links[code] ?? 0) + 1
      const on = (page.data[i] ?? 0) + 1
      if (lastPage[code] === on) continue
      lastPage[code] = on
      pages[code] = (pages[code] ?? 0) + 1
    }
    const ranks = this.#rankings.destination.of(rows, destination, rows.strings.lower())
    const ordered = byRank(
      byRank(codes.slice(0, count), (code) => ranks[code] ?? 0),
      (code) => MOST - (links[code] ?? 0),
    )
    const groupOf = (code: number) => ({ destination: values[code] ?? '', links: links[code] ?? 0, pages: pages[code] ?? 0 })
    return { length: ordered.length, slice: (from, to) => Array.from(ordered.subarray(from, to), groupOf) }
  }

  #ranks(sort: Exclude<Sort, 'page'>, list: ShownList): (i: number) => number {
    const { rows, decided, classOf, states, bits } = list
    switch (sort) {
      case 'text':
      case 'href':
      case 'destination': {
        const { data } = rows.columns[sort]
        const ranks = this.#rankings[sort].of(rows, rows.columns[sort], rows.strings.lower())
        return (i) => ranks[data[i] ?? 0] ?? 0
      }
      case 'title': {
        const ranks = ranked(rows.stretches.map((stretch) => (stretch?.page.title ?? '').toLowerCase()))
        const { data } = rows.columns.page
        return (i) => ranks[data[i] ?? 0] ?? 0
      }
      case 'site':
      case 'kind':
      case 'strand':
      case 'end': {
        const { values, of } = decided.facets[sort]
        const ranks = ranked(values.values)
        return (i) => ranks[of.at((classOf[i] ?? 0) - 1)] ?? 0
      }
      case 'rel':
      case 'target':
      case 'because': {
        const say = {
          rel: (k: number) => decided.known[k]?.decision.rel ?? '',
          target: (k: number) => decided.known[k]?.decision.target ?? '',
        }
        const words = sort === 'because' ? (k: number) => reasonOf(decided, k) : say[sort]
        const ranks = ranked(decided.known.map((_, k) => words(k)))
        return (i) => ranks[(classOf[i] ?? 0) - 1] ?? 0
      }
      case 'state':
        return (i) => states[i] ?? 0
      case 'findings':
        return (i) => countBits(bits[i] ?? 0)
      case 'tags': {
        // By what is written on the link, and what its page says.
        const own = rows.written.values.map((_, code) => readTags(rows.writtenValues(code).tags))
        const ofPage = rows.stretches.map((stretch) => stretch?.page.tags ?? [])
        const texts = new Numbered()
        const known = new Map<string, number>()
        const written = rows.columns.written.data
        const page = rows.columns.page.data
        const pageTexts = ofPage.map((tags) => tags.join(', '))
        const textOf = (i: number): number => {
          const [of, on] = [written[i] ?? 0, page[i] ?? 0]
          const key = `${of}\n${pageTexts[on]}`
          const number = known.get(key) ?? texts.numberOf([...(own[of] ?? []), ...(ofPage[on] ?? [])].join(', ').toLowerCase())
          known.set(key, number)
          return number
        }
        const numbers = new Uint32Array(rows.length)
        for (const { stretch } of rows.inOrder()) for (let i = stretch.from; i < stretch.to; i++) numbers[i] = textOf(i)
        const ranks = ranked(texts.values)
        return (i) => ranks[numbers[i] ?? 0] ?? 0
      }
    }
  }
}

/** More than any rank. */
const MOST = 0xffff_fffe

const reasonOf = (decided: Decided, k: number): string => {
  const decision = decided.known[k]?.decision
  return decision === undefined ? '' : becauseOf(decision).rel
}

/** The rank of each value; same ones have the same. */
function ranked(values: readonly string[]): Uint32Array {
  const order = values.map((_, k) => k).sort((a, b) => ((values[a] ?? '') < (values[b] ?? '') ? -1 : 1))
  const ranks = new Uint32Array(values.length)
  let rank = 0
  for (const [place, k] of order.entries()) {
    if (place > 0 && values[k] !== values[order[place - 1] ?? 0]) rank++
    ranks[k] = rank
  }
  return ranks
}

function countBits(bits: number): number {
  let count = 0
  for (let left = bits; left !== 0; left &= left - 1) count++
  return count
}
