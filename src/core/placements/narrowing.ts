import { VERDICTS } from '../checks/index.ts'
import { readTags } from '../rules/index.ts'
import { CLASS_FACETS, type ClassFacet } from './decided.ts'
import { bitOf, FINDING_SETS, FINDINGS, type Finding, hasFinding } from './findings.ts'
import { isFoundByPieces } from './haystack.ts'
import { FACETS, type Facet, type PlacementAnswer, type PlacementQuery } from './query.ts'
import { VERDICT_CODES, verdictNamed } from './seen.ts'
import type { PlacementPage } from './set.ts'
import type { ShownList } from './shown.ts'
import { WORDS } from './words.ts'

export const STATES_BY_NUMBER = ['does not land', 'lands', 'not checked', 'waits'] as const

/** The first folder of a page's path; a shared part has none. */
const folderOf = ({ kind, path }: PlacementPage): string => (kind === 'page' ? (/^\/[^/]+\//.exec(path)?.[0] ?? '/') : '')

/** How often each value of what a row can be counted by was found: classes, pages, states, words, and own tags. */
class Counts {
  readonly classes: Uint32Array
  readonly pages: Uint32Array
  readonly written: Uint32Array
  readonly states = new Uint32Array(STATES_BY_NUMBER.length)
  readonly words = new Uint32Array(WORDS.length)
  readonly verdicts = new Uint32Array(VERDICT_CODES)

  constructor(classes: number, pages: number, written: number) {
    this.classes = new Uint32Array(classes)
    this.pages = new Uint32Array(pages)
    this.written = new Uint32Array(written)
  }

  /** Counts a row, but for its page. */
  add(known: number, written: number, state: number, words: number, verdict: number): void {
    count(this.classes, known)
    count(this.written, written)
    count(this.states, state)
    count(this.words, words)
    count(this.verdicts, verdict)
  }
}

/** A value that is no verdict is none that a row has. */
const verdictNumberOf = (value: string): number => (VERDICTS as readonly string[]).indexOf(value) + 1 || VERDICT_CODES

const count = (counts: Uint32Array, at: number): void => {
  counts[at] = (counts[at] ?? 0) + 1
}

/** Words that are looked for, at most this many at once, as bits of a byte: marks of a million strings then lie in the processor's cache. */
const WORDS_AT_ONCE = 8

/** Up to this share of all strings are looked through one by one: beyond it, all of them joined are faster. */
const FEW = 0.3

/** One question to a list, worked out in one pass over its numbers. */
export class Narrowing {
  readonly #list: ShownList
  readonly #query: PlacementQuery

  constructor(list: ShownList, query: PlacementQuery) {
    this.#list = list
    this.#query = query
  }

  answer(): PlacementAnswer {
    const { rows, classOf, decided, states, verdicts, bits: bitsOf } = this.#list
    const { facets = {}, finding, destination, page: onPage, isUnmarked } = this.#query
    const { columns, stretches } = rows
    const [written, wordsOf, destinations] = [columns.written.data, columns.words.data, columns.destination.data]
    const asked = FACETS.filter((facet) => facets[facet] !== undefined)
    const newCounts = (): Counts => new Counts(decided.known.length, stretches.length, rows.written.length)
    const all = newCounts()
    const failing = new Map<Facet, Counts>(asked.map((facet) => [facet, newCounts()]))
    const { fails: failsOfClass, failed: failedOfClass } = this.#classFails(
      asked.filter((facet): facet is ClassFacet => (CLASS_FACETS as readonly string[]).includes(facet)),
    )
    const pageFails = this.#pageFails(asked.filter((facet) => facet === 'where' || facet === 'folder'))
    const state = facets.state === undefined ? -1 : (STATES_BY_NUMBER as readonly string[]).indexOf(facets.state)
    const words = facets.words === undefined ? -1 : (WORDS as readonly string[]).indexOf(facets.words)
    const verdict = facets.verdict === undefined ? -1 : verdictNumberOf(facets.verdict)
    const tag = facets.tag?.toLowerCase()
    const ownTags = rows.written.values.map((_, code) => readTags(rows.writtenValues(code).tags))
    const isTaggedWritten = tag === undefined ? null : ownTags.map((tags) => tags.some((each) => each.toLowerCase() === tag))
    const wanted = destination === undefined ? null : rows.strings.find(destination)
    const holdsWords = this.#search()
    const bit = finding === undefined ? 0 : bitOf(finding)
    const byBits = new Uint32Array(FINDING_SETS)
    const found = this.#list.scratch(rows.live)
    let length = 0
    let pages = 0
    for (const { number, stretch } of rows.inOrder()) {
      const { page, from, to } = stretch
      if (onPage !== undefined && page.path !== onPage) continue
      const { failed: failedOfPage, fails: failsOfPage } = pageFails[number] ?? NONE
      if (failsOfPage > 1) continue
      const isTaggedPage = tag !== undefined && page.tags.some((each) => each.toLowerCase() === tag)
      const before = length
      for (let i = from; i < to; i++) {
        const known = (classOf[i] ?? 0) - 1
        const ofClass = failsOfClass[known] ?? 0
        let fails = failsOfPage + ofClass
        let failed: Facet | null = ofClass > 0 ? (failedOfClass[known] ?? null) : failedOfPage
        if (state >= 0 && states[i] !== state) {
          fails++
          failed = 'state'
        }
        if (words >= 0 && wordsOf[i] !== words) {
          fails++
          failed = 'words'
        }
        if (verdict >= 0 && verdicts[i] !== verdict) {
          fails++
          failed = 'verdict'
        }
        if (isTaggedWritten !== null && !isTaggedPage && isTaggedWritten[written[i] ?? 0] !== true) {
          fails++
          failed = 'tag'
        }
        // What fails one facet alone is counted there: that is what choosing another value would find.
        if (fails > 1) continue
        if (wanted !== null && destinations[i] !== wanted) continue
        if (isUnmarked !== undefined && decided.known[known]?.isUnmarked !== isUnmarked) continue
        if (holdsWords !== null && !holdsWords(i, number)) continue
        const bits = bitsOf[i] ?? 0
        if (fails === 0) {
          count(byBits, bits)
          if (bit !== 0 && (bits & bit) === 0) continue
          all.add(known, written[i] ?? 0, states[i] ?? 0, wordsOf[i] ?? 0, verdicts[i] ?? 0)
          found[length++] = i
        } else if (bit === 0 || (bits & bit) !== 0) {
          const counts = failing.get(failed ?? 'site')
          counts?.add(known, written[i] ?? 0, states[i] ?? 0, wordsOf[i] ?? 0, verdicts[i] ?? 0)
          if (counts !== undefined) count(counts.pages, number)
        }
      }
      if (length > before) pages++
      all.pages[number] = length - before
    }
    return {
      found: found.slice(0, length),
      pages,
      counts: Object.fromEntries(
        FACETS.map((facet) => [facet, this.#ranked(facet, ownTags, all, failing.get(facet))]),
      ) as PlacementAnswer['counts'],
      findings: findingsIn(byBits),
    }
  }

  /** Of each class how many of the facets it fails, and which; of several the last. */
  #classFails(asked: readonly ClassFacet[]): { readonly fails: Uint8Array; readonly failed: readonly (Facet | null)[] } {
    const { decided } = this.#list
    const wanted = asked.map((facet) => [facet, decided.facets[facet].values.find(this.#query.facets?.[facet] ?? '')] as const)
    const fails = new Uint8Array(decided.known.length)
    const failed = asked.length === 0 ? [] : decided.known.map((): Facet | null => null)
    if (asked.length > 0)
      for (let k = 0; k < decided.known.length; k++)
        for (const [facet, value] of wanted) {
          if (decided.facets[facet].of.at(k) === value) continue
          fails[k] = (fails[k] ?? 0) + 1
          failed[k] ??= facet
        }
    return { fails, failed }
  }

  #pageFails(asked: readonly Facet[]): readonly Failing[] {
    if (asked.length === 0) return []
    const { facets = {} } = this.#query
    return this.#list.rows.stretches.map((stretch) => {
      if (stretch === null) return NONE
      const failed = asked.filter((facet) => (facet === 'where' ? stretch.page.kind : folderOf(stretch.page)) !== facets[facet])
      return { fails: failed.length, failed: failed[0] ?? null }
    })
  }

  /** Looks through every string once, however many links have it. @returns whether a row holds all words; null where none is asked for */
  #search(): ((i: number, page: number) => boolean) | null {
    const words = (this.#query.text ?? '').toLowerCase().split(/\s+/)
    // The longest first: the fewest links hold it, and only their strings are looked through for those that are short.
    const wanted = [...new Set(words.filter((word) => word !== ''))].sort((a, b) => b.length - a.length)
    if (wanted.length === 0) return null
    const { rows } = this.#list
    const [text, href, address] = [rows.columns.text.data, rows.columns.href.data, rows.columns.address.data]
    const tests: ((i: number, page: number) => boolean)[] = []
    for (let from = 0; from < wanted.length; from += WORDS_AT_ONCE) {
      const part = wanted.slice(from, from + WORDS_AT_ONCE)
      const pages = new Uint8Array(rows.stretches.length)
      for (const { number, stretch } of rows.inOrder()) {
        const value = `${stretch.page.title}\n${stretch.page.path}`.toLowerCase()
        pages[number] = part.reduce((bits, word, k) => (value.includes(word) ? bits | (1 << k) : bits), 0)
      }
      const found = new Uint8Array(rows.strings.length)
      for (const [k, word] of part.entries()) {
        const few = k === 0 || isFoundByPieces(word) || rows.strings.isHeld(word) ? null : this.#stringsOf(found, pages, 2 ** k - 1)
        if (few === null) rows.strings.mark(word, 1 << k, found)
        else rows.strings.markAmong(word, 1 << k, found, few)
      }
      const all = 2 ** part.length - 1
      tests.push(
        (i, page) => ((found[text[i] ?? 0] ?? 0) | (found[href[i] ?? 0] ?? 0) | (found[address[i] ?? 0] ?? 0) | (pages[page] ?? 0)) === all,
      )
    }
    const [one] = tests
    return tests.length > 1 ? (i, page) => tests.every((holds) => holds(i, page)) : (one ?? null)
  }

  /** The strings of links that hold some words, as bits, so far; null where they are not few. */
  #stringsOf(found: Uint8Array, pages: Uint8Array, bits: number): readonly number[] | null {
    const { rows } = this.#list
    const [text, href, address] = [rows.columns.text.data, rows.columns.href.data, rows.columns.address.data]
    const most = rows.strings.length * FEW
    const few: number[] = []
    for (const { number, stretch } of rows.inOrder()) {
      const ofPage = pages[number] ?? 0
      for (let i = stretch.from; i < stretch.to; i++) {
        const [a, b, c] = [text[i] ?? 0, href[i] ?? 0, address[i] ?? 0]
        if ((((found[a] ?? 0) | (found[b] ?? 0) | (found[c] ?? 0) | ofPage) & bits) !== bits) continue
        few.push(a, b, c)
        if (few.length > most) return null
      }
    }
    return few
  }

  /** The values of a facet with how many there are, most first. */
  #ranked(
    facet: Facet,
    ownTags: readonly (readonly string[])[],
    ...all: readonly (Counts | undefined)[]
  ): readonly (readonly [string, number])[] {
    const { decided, rows } = this.#list
    const links = new Map<string, number>()
    const add = (value: string, more: number): void => {
      if (more > 0 && value !== '') links.set(value, (links.get(value) ?? 0) + more)
    }
    for (const counts of all) {
      if (counts === undefined) continue
      if (facet === 'state') for (const [k, value] of STATES_BY_NUMBER.entries()) add(value, counts.states[k] ?? 0)
      else if (facet === 'verdict') for (const [number, times] of counts.verdicts.entries()) add(verdictNamed(number) ?? '', times)
      else if (facet === 'words') for (const [k, value] of WORDS.entries()) add(value, counts.words[k] ?? 0)
      else if (facet === 'where' || facet === 'folder' || facet === 'tag') {
        for (const { number, stretch } of rows.inOrder()) {
          const more = counts.pages[number] ?? 0
          if (more === 0) continue
          if (facet === 'tag') for (const tag of stretch.page.tags) add(tag, more)
          else add(facet === 'where' ? stretch.page.kind : folderOf(stretch.page), more)
        }
        if (facet === 'tag') for (const [code, tags] of ownTags.entries()) for (const tag of tags) add(tag, counts.written[code] ?? 0)
      } else {
        const { values, of } = decided.facets[facet]
        const byValue = new Uint32Array(values.length)
        for (let k = 0; k < counts.classes.length; k++) {
          const value = of.at(k)
          byValue[value] = (byValue[value] ?? 0) + (counts.classes[k] ?? 0)
        }
        for (const [k, value] of values.values.entries()) add(value, byValue[k] ?? 0)
      }
    }
    return [...links].sort((a, b) => b[1] - a[1] || (a[0] < b[0] ? -1 : 1))
  }
}

/** How often each finding is there. @param byBits - how many rows have just these findings */
export function findingsIn(byBits: Uint32Array): PlacementAnswer['findings'] {
  const findings = new Map<Finding, number>(FINDINGS.map((finding) => [finding, 0]))
  for (const [bits, links] of byBits.entries()) {
    if (links === 0) continue
    for (const finding of FINDINGS) if (hasFinding(bits, finding)) findings.set(finding, (findings.get(finding) ?? 0) + links)
  }
  return Object.fromEntries([...findings].filter(([, links]) => links > 0))
}

interface Failing {
  readonly fails: number
  readonly failed: Facet | null
}
const NONE: Failing = { fails: 0, failed: null }
