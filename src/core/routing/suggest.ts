import { folded } from '../slugs/index.ts'
import { plainPath } from './path.ts'

/** A page as a way out for somebody who asked for another address. */
export interface KnownPage {
  readonly path: string
  readonly title: string
  /** Words that its text is about; what it has most of first. */
  readonly words?: readonly string[]
  /** Paths that it stood at before. */
  readonly past?: readonly string[]
}

/** What is known of an address that nobody answers. */
export interface LostAddress {
  readonly path: string
  /** Of the page that once stood there. */
  readonly title?: string
  readonly words?: readonly string[]
}

export interface PageSuggestion {
  readonly to: string
  /** From 0 to 1; see {@link SCORE_WORDS}. */
  readonly score: number
  readonly reason: string
}

/** How a suggestion is scored, as it is told to people. */
export const SCORE_WORDS = [
  'A page that stood at this address before: 99 in a hundred.',
  'The same path but for one letter: 95; for two: 88; for three: 80, if the path is long enough for that to mean something.',
  'Else by words, where one that is a letter or two off counts nearly as much: how much of what is rare in the address, and in the title and the text of the page that once stood there, is in the page’s path, title and text; at most 90.',
  'Path parts in the same order count a little more than the same words in another order.',
] as const

/** Of a whole path by words alone. */
const WORDS_MOST = 0.9
/** What is no better than this is none. */
const SCORE_LEAST = 0.25
/** Pages that are looked at closely for one address. */
const CLOSE_MAX = 24
/** Places that are looked at for the words of an address, for those of its text, and for its letters, each. */
const SEEN_MAX = 3_000
/** Words of a text that are looked at. */
const TEXT_WORDS = 40
const PATH_MAX_CHARS = 300
/** What a word counts that is a slip or two off another. */
const MISSPELT = 0.9
/** Least letters of a word for one slip, and for two, to be slips. */
const WORD_SLIPS = [5, 9] as const

/** Places below which nothing is tidied. */
const GONE_LEAST = 100

interface Filed {
  readonly page: KnownPage
  readonly plain: string
  readonly own: ReadonlySet<string>
  readonly order: readonly string[]
  readonly text: ReadonlySet<string>
}

/** Finds pages for addresses that nobody answers, by spelling and by words. Looking costs little more for ten thousand pages than for a hundred. */
export class PageFinder {
  /** Empty where a page has gone: its place is left, until most of them are. */
  #pages: (Filed | undefined)[] = []
  readonly #at = new Map<string, number>()
  /** How many pages have a word. */
  readonly #often = new Map<string, number>()
  readonly #past = new Map<string, number>()
  readonly #byWord = new Map<string, number[]>()
  readonly #byGram = new Map<string, number[]>()

  constructor(pages: Iterable<KnownPage>) {
    for (const page of pages) this.put(page)
  }

  /** Takes a page in, in place of the one at its path. */
  put(page: KnownPage): void {
    this.drop(page.path)
    const at = this.#pages.length
    const plain = plainOf(page.path)
    const order = wordsOf(plain)
    const own = new Set([...order, ...wordsOf(folded(page.title))])
    const text = new Set((page.words ?? []).slice(0, TEXT_WORDS).map(folded))
    this.#pages.push({ page, plain, own, order, text })
    this.#at.set(page.path, at)
    for (const past of page.past ?? []) this.#past.set(plainOf(past), at)
    for (const word of new Set([...own, ...text])) {
      push(this.#byWord, word, at)
      this.#often.set(word, (this.#often.get(word) ?? 0) + 1)
    }
    for (const gram of gramsOf(plain)) push(this.#byGram, gram, at)
  }

  /** Takes the page at a path out. */
  drop(path: string): void {
    const at = this.#at.get(path)
    const filed = at === undefined ? undefined : this.#pages[at]
    if (at === undefined || filed === undefined) return
    this.#pages[at] = undefined
    this.#at.delete(path)
    for (const past of filed.page.past ?? []) if (this.#past.get(plainOf(past)) === at) this.#past.delete(plainOf(past))
    for (const word of new Set([...filed.own, ...filed.text])) this.#often.set(word, (this.#often.get(word) ?? 1) - 1)
    if (this.#pages.length > GONE_LEAST && this.#at.size < this.#pages.length / 2) this.#tidy()
  }

  /** Files what is left anew, once that is less than what has gone: so it costs each that went little. */
  #tidy(): void {
    const left = this.#pages.flatMap((filed) => (filed === undefined ? [] : [filed.page]))
    this.#pages = []
    for (const files of [this.#at, this.#often, this.#past, this.#byWord, this.#byGram]) files.clear()
    for (const page of left) this.put(page)
  }

  /** @returns best first, none that is hardly one. Never throws. */
  suggest(lost: LostAddress, limit = 5): readonly PageSuggestion[] {
    const plain = plainOf(lost.path.slice(0, PATH_MAX_CHARS))
    const order = wordsOf(plain)
    const asked = new Set([...order, ...wordsOf(folded(lost.title ?? ''))])
    const text = new Set((lost.words ?? []).slice(0, TEXT_WORDS).map(folded))
    const found = new Map<string, PageSuggestion>()
    const offer = ({ page }: Filed, score: number, reason: string): void => {
      const before = found.get(page.path)
      if (score >= SCORE_LEAST && (before === undefined || before.score < score))
        found.set(page.path, { to: page.path, score: Math.round(score * 100) / 100, reason })
    }
    const stood = this.#past.get(plain)
    const there = stood === undefined ? undefined : this.#pages[stood]
    if (there !== undefined) offer(there, 0.99, 'this page stood here before')
    for (const at of this.#near(plain, asked, text)) {
      const filed = this.#pages[at]
      if (filed === undefined || filed.page.path === lost.path) continue
      const spelt = spelling(plain, filed.plain, { asked: lost.path, path: filed.page.path })
      if (spelt !== null) offer(filed, spelt.score, spelt.reason)
      const said = this.#byWords(filed, { order, asked, text, hasTitle: (lost.title ?? '') !== '' })
      if (said !== null) offer(filed, said.score, said.reason)
    }
    return [...found.values()].sort((a, b) => b.score - a.score || a.to.length - b.to.length || (a.to < b.to ? -1 : 1)).slice(0, limit)
  }

  /** Pages that share something rare with an address, those that share most among them. */
  #near(plain: string, asked: ReadonlySet<string>, text: ReadonlySet<string>): number[] {
    if (this.#shares.length < this.#pages.length) this.#shares = new Float32Array(this.#pages.length)
    const shares = this.#shares
    const touched: number[] = []
    /** What is rarest is looked up first, until so many places have been seen: the rest would only confirm it. */
    const count = (keys: Iterable<string>, files: ReadonlyMap<string, readonly number[]>, weightOf: (key: string) => number): void => {
      const filed = [...keys].flatMap((key) => {
        const places = files.get(key)
        return places === undefined ? [] : [{ key, places }]
      })
      filed.sort((x, y) => x.places.length - y.places.length)
      let left = SEEN_MAX
      for (const { key, places } of filed) {
        if (left < SEEN_MAX && places.length > left) return
        left -= places.length
        const weight = weightOf(key)
        // A word that is everywhere is not gone through to its end.
        for (let i = 0; i < places.length && i < SEEN_MAX; i++) {
          const at = places[i] ?? 0
          if (this.#pages[at] === undefined) continue
          if (shares[at] === 0) touched.push(at)
          shares[at] = (shares[at] ?? 0) + weight
        }
      }
    }
    count(asked, this.#byWord, (word) => 3 * this.#rarity(word) + 0.01)
    count(text, this.#byWord, (word) => this.#rarity(word) + 0.01)
    const grams = gramsOf(plain)
    count(grams, this.#byGram, () => 6 / grams.size)
    const near = closest(touched, shares)
    for (const at of touched) shares[at] = 0
    return near
  }
  #shares = new Float32Array(0)

  /** How much a word tells: 0 for one that every page has, more the fewer have it. */
  #rarity(word: string): number {
    return Math.log((this.#at.size + 1) / ((this.#often.get(word) ?? 0) + 0.5))
  }

  #byWords(
    { own, order: theirs, text: theirText }: Filed,
    {
      order,
      asked,
      text,
      hasTitle,
    }: { order: readonly string[]; asked: ReadonlySet<string>; text: ReadonlySet<string>; hasTitle: boolean },
  ): { score: number; reason: string } | null {
    const shared = [...asked].filter((word) => own.has(word))
    const misspelt = misspellings(
      [...asked].filter((word) => !own.has(word)),
      own,
    )
    const sum = (words: Iterable<string>): number => {
      let all = 0
      for (const word of words) all += Math.max(0.1, this.#rarity(word))
      return all
    }
    const meant = misspelt.map(({ meant }) => meant)
    const mine = sum(asked) - sum(misspelt.map(({ word }) => word)) + sum(meant)
    const both = sum(shared) + MISSPELT * sum(meant)
    const path = mine === 0 ? 0 : both / Math.max(mine, sum(theirs) * 0.6)
    const about = [...text].filter((word) => theirText.has(word) || own.has(word))
    const content = text.size === 0 ? 0 : sum(about) / Math.max(sum(text), sum(theirText) * 0.6)
    const inOrder = shared.length > 1 && isInOrder(shared, order, theirs) ? 0.05 : 0
    const byPath = Math.min(1, path + inOrder)
    const score = WORDS_MOST * (text.size === 0 ? byPath : Math.max(0.95 * byPath, 0.9 * content, (byPath + content) / 2))
    if (score < SCORE_LEAST) return null
    const named = shared.sort((a, b) => this.#rarity(b) - this.#rarity(a)).slice(0, 3)
    if (content > byPath)
      return {
        score: Math.min(score, WORDS_MOST),
        reason:
          content >= SAID_THE_SAME
            ? 'the page that stood here said the same'
            : `the page that stood here was about ${quoted(about.slice(0, 3))}, too`,
      }
    if (misspelt[0] !== undefined)
      return {
        score: Math.min(score, WORDS_MOST),
        reason: `“${misspelt[0].word}” is nearly “${misspelt[0].meant}”${named.length > 0 ? `, and it shares ${quoted(named)}` : ''}`,
      }
    if (hasTitle && shared.length > 2) return { score: Math.min(score, WORDS_MOST), reason: `alike in path and title: ${named.join(', ')}` }
    const left = order.filter((word) => !theirs.includes(word)).length
    const more = theirs.filter((word) => !asked.has(word)).length
    const reason =
      left === 0 && more === 0
        ? inOrder > 0 || shared.length === 1
          ? 'the same words'
          : 'the same words in another order'
        : left === 0 && more === 1
          ? 'one word left out'
          : left === 1 && more === 0
            ? 'one word too many'
            : `shares ${quoted(named)}`
    return { score: Math.min(score, WORDS_MOST), reason }
  }
}

/** From this much of what two pages say on, they say the same. */
const SAID_THE_SAME = 0.6

const quoted = (words: readonly string[]): string => words.map((word) => `“${word}”`).join(', ')

/** Words that are a slip or two off a page's own, each with that one. */
function misspellings(words: readonly string[], own: ReadonlySet<string>): { word: string; meant: string }[] {
  return words.flatMap((word) => {
    if (word.length < WORD_SLIPS[0]) return []
    const most = word.length < WORD_SLIPS[1] ? 1 : 2
    for (const meant of own) {
      if (meant.length < WORD_SLIPS[0] || Math.abs(meant.length - word.length) > most) continue
      // Slips at both ends of a word at once are rare, and to count them costs.
      if (meant[0] !== word[0] && meant[meant.length - 1] !== word[word.length - 1]) continue
      if (slipsBetween(word, meant, most) <= most) return [{ word, meant }]
    }
    return []
  })
}

/** The places with the greatest shares. */
function closest(touched: readonly number[], shares: Float32Array): number[] {
  if (touched.length <= CLOSE_MAX) return [...touched]
  const best: number[] = []
  let least = 0
  for (const at of touched) {
    const share = shares[at] ?? 0
    if (best.length >= CLOSE_MAX && share <= least) continue
    let i = best.length
    while (i > 0 && (shares[best[i - 1] ?? 0] ?? 0) < share) i--
    best.splice(i, 0, at)
    if (best.length > CLOSE_MAX) best.pop()
    least = shares[best[best.length - 1] ?? 0] ?? 0
  }
  return best
}

const push = (files: Map<string, number[]>, key: string, at: number): void => {
  const there = files.get(key)
  if (there === undefined) files.set(key, [at])
  else if (there[there.length - 1] !== at) there.push(at)
}

/** A path without what tells nothing: case, accents, the kind of file, "index". */
const plainOf = (path: string): string =>
  folded(plainPath(path))
    .replace(/\.(?:html?|php\d?|aspx?|jsp|cgi|md)$/, '')
    .replace(/\/(?:index|default|home)?$/, '')
    .replace(/[-_+ .]+/g, '-')

const wordsOf = (text: string): string[] => text.split(/[^\p{L}\p{N}]+/u).filter((word) => word.length > 1 && !STOPS.has(word))

/** Words that are in addresses for no reason of their own. */
const STOPS = new Set([
  'the',
  'a',
  'an',
  'of',
  'and',
  'to',
  'in',
  'on',
  'for',
  'by',
  'at',
  'is',
  'www',
  'html',
  'page',
  'pages',
  'post',
  'posts',
  'de',
  'der',
  'die',
  'das',
  'und',
  'la',
  'le',
  'les',
  'et',
  'el',
  'en',
  'y',
])

const gramsOf = (plain: string): Set<string> => {
  const grams = new Set<string>()
  for (let at = 0; at + 3 <= plain.length; at++) grams.add(plain.slice(at, at + 3))
  return grams
}

/** Whether words that two have in common come in the same order in both. */
function isInOrder(shared: readonly string[], a: readonly string[], b: readonly string[]): boolean {
  const places = shared.filter((word) => a.includes(word) && b.includes(word)).sort((x, y) => a.indexOf(x) - a.indexOf(y))
  return places.length > 1 && places.every((word, i) => i === 0 || b.indexOf(word) > b.indexOf(places[i - 1] ?? ''))
}

/** Least letters of a path for so many slips to be slips. */
const SLIPS = [
  { most: 1, chars: 4, score: 0.95 },
  { most: 2, chars: 8, score: 0.88 },
  { most: 3, chars: 14, score: 0.8 },
] as const

function spelling(
  asked: string,
  path: string,
  written: { readonly asked: string; readonly path: string },
): { score: number; reason: string } | null {
  const length = Math.min(asked.length, path.length)
  if (Math.abs(asked.length - path.length) > 3) return null
  if (asked === path) return { score: 0.97, reason: sameBut(written) }
  const slips = slipsBetween(asked, path, 3)
  const fit = SLIPS.find(({ most, chars }) => slips <= most && length >= chars)
  return fit === undefined ? null : { score: fit.score, reason: slips === 1 ? oneSlip(asked, path) : someSlips(slips, asked, path) }
}

/** In what two paths differ that are one without what tells nothing. */
function sameBut({ asked, path }: { readonly asked: string; readonly path: string }): string {
  const stem = (each: string): string =>
    plainPath(each)
      .replace(/\.\w+$/, '')
      .replace(/\/(?:index|default|home)?$/i, '')
  const [a, b] = [stem(asked), stem(path)]
  if (a === b) return 'the same but for its ending'
  if (a.toLowerCase() === b.toLowerCase()) return 'the same but for capitals'
  return folded(a) === folded(b) ? 'the same but for accents' : 'the same but for the signs between its words'
}

function someSlips(slips: number, asked: string, path: string): string {
  const count = slips === 2 ? 'two' : 'three'
  if (path.length - asked.length === slips) return `${count} letters left out`
  if (asked.length - path.length === slips) return `${count} letters too many`
  return `${count} letters are different`
}

function oneSlip(asked: string, path: string): string {
  if (asked.length < path.length) return 'one letter left out'
  if (asked.length > path.length) return 'one letter too many'
  return [...asked].sort().join('') === [...path].sort().join('') ? 'two letters swapped' : 'one letter is different'
}

/**
 * Letters left out, put in, changed or swapped with the next one between two texts (optimal string alignment).
 * @param most - from there on it is not counted; more than `most` is `most` + 1
 */
export function slipsBetween(a: string, b: string, most: number): number {
  if (Math.abs(a.length - b.length) > most) return most + 1
  let [older, old, now] = [
    new Array<number>(b.length + 1).fill(0),
    Array.from({ length: b.length + 1 }, (_, j) => j),
    new Array<number>(b.length + 1).fill(0),
  ]
  for (let i = 1; i <= a.length; i++) {
    now[0] = i
    let least = i
    for (let j = 1; j <= b.length; j++) {
      const same = a[i - 1] === b[j - 1]
      let slips = Math.min((old[j] ?? 0) + 1, (now[j - 1] ?? 0) + 1, (old[j - 1] ?? 0) + (same ? 0 : 1))
      if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1]) slips = Math.min(slips, (older[j - 2] ?? 0) + 1)
      now[j] = slips
      if (slips < least) least = slips
    }
    if (least > most) return most + 1
    ;[older, old, now] = [old, now, older]
  }
  return Math.min(old[b.length] ?? 0, most + 1)
}
