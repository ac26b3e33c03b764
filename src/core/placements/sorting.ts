import { orderOfBecause, readTags } from '../rules/index.ts'
import { byRank, longEnough, Numbered } from './columns.ts'
import type { Decided } from './decided.ts'
import type { DestinationGroups, Sort } from './query.ts'
import { Ranking } from './ranking.ts'
import type { PlacementRows } from './rows.ts'
import type { ShownList } from './shown.ts'

type Quartet = [Uint32Array<ArrayBuffer>, Uint32Array<ArrayBuffer>, Uint32Array<ArrayBuffer>, Uint32Array<ArrayBuffer>]

/** Puts rows into the order of a column. */
export class Sorting {
  readonly #rankings = { text: new Ranking(), href: new Ranking(), destination: new Ranking() }
  /** While destinations are counted, by their number: the place at which each was met and 1; 0 between two times. */
  #met = new Uint32Array(0)

  /** @param found - in the order of page and place, which decides where the column does not */
  sort(found: Uint32Array<ArrayBuffer>, sort: Sort, isDown: boolean, list: ShownList): Uint32Array<ArrayBuffer> {
    if (sort === 'page') return isDown ? found.slice().reverse() : found
    const rankOf = this.#ranks(sort, list)
    return byRank(found, isDown ? (i) => MOST - rankOf(i) : rankOf)
  }

  /** The destinations of placements, the most linked first. @param found - in the order of pages */
  group(found: Uint32Array, { rows }: ShownList): DestinationGroups {
    const [page, destination] = [rows.columns.page.data, rows.columns.destination.data]
    const { values, length } = rows.strings
    this.#met = longEnough(this.#met, length, 0)
    const met = this.#met
    // In the order in which they are met, which is mostly that in which they lie in memory.
    const [codes, links, pages, lastPage] = [0, 1, 2, 3].map(() => new Uint32Array(found.length)) as Quartet
    let [count, most] = [0, 0]
    for (let n = 0; n < found.length; n++) {
      const i = found[n] ?? 0
      const code = destination[i] ?? 0
      let k = (met[code] ?? 0) - 1
      if (k === -1) {
        k = count++
        codes[k] = code
        met[code] = count
      }
      const now = (links[k] ?? 0) + 1
      links[k] = now
      if (now > most) most = now
      const on = (page[i] ?? 0) + 1
      if (lastPage[k] === on) continue
      lastPage[k] = on
      pages[k] = (pages[k] ?? 0) + 1
    }
    const ordered = byRank(this.#alphabetic(codes.subarray(0, count), rows), (k) => most - (links[k] ?? 0))
    for (let k = 0; k < count; k++) met[codes[k] ?? 0] = 0
    const groupOf = (k = 0) => ({ destination: values[codes[k] ?? 0] ?? '', links: links[k] ?? 0, pages: pages[k] ?? 0 })
    return { length: count, slice: (from, to) => Array.from(ordered.subarray(from, to), groupOf) }
  }

  /** Places of destinations that were met, by their alphabet. Where they are many, all that there are are gone through as they stand. */
  #alphabetic(codes: Uint32Array<ArrayBuffer>, rows: PlacementRows): Uint32Array<ArrayBuffer> {
    const ranks = this.#rankings.destination.of(rows, rows.columns.destination)
    const { sorted } = this.#rankings.destination
    const ordered = new Uint32Array(codes.length)
    if (codes.length < sorted.length / 8) {
      for (let k = 0; k < ordered.length; k++) ordered[k] = k
      return byRank(ordered, (k) => ranks[codes[k] ?? 0] ?? 0)
    }
    let count = 0
    for (let place = 0; place < sorted.length; place++) {
      const k = this.#met[sorted[place] ?? 0] ?? 0
      if (k > 0) ordered[count++] = k - 1
    }
    return ordered
  }

  /** Gets ready for a sort that takes long the first time, a piece at a time. */
  *gettingReady(sort: Sort, rows: PlacementRows): Generator<void> {
    if (sort === 'text' || sort === 'href' || sort === 'destination') yield* this.#rankings[sort].getting(rows, rows.columns[sort])
  }

  #ranks(sort: Exclude<Sort, 'page'>, list: ShownList): (i: number) => number {
    const { rows, decided, classOf, states, bits } = list
    switch (sort) {
      case 'text':
      case 'href':
      case 'destination': {
        const { data } = rows.columns[sort]
        const ranks = this.#rankings[sort].of(rows, rows.columns[sort])
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
  return decision === undefined ? '' : orderOfBecause(decision)
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
