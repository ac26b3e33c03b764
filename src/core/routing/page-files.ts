import { gramsOf, placesOf, plainText, plainTitle, type Spelt, spelt, wordsOf } from './spelt.ts'

/** A page as a way out for somebody who asked for another address. */
export interface KnownPage {
  readonly path: string
  readonly title: string
  /** Words that its text is about; what it has most of first. */
  readonly words?: readonly string[]
  /** Paths that it stood at before. */
  readonly past?: readonly string[]
}

/** A run of three letters or a word: the pages that have it, also some that have gone. */
export interface Piece {
  places: number[]
  /** Pages that are there and have it. */
  often: number
  /** Set by whoever looks, to tell again what was asked for. */
  mark: number
  /** In which look it was counted last. */
  seen: number
}

/** An address of a page: its own, or one that it had. */
export interface FiledAddress {
  readonly spelt: Spelt
  readonly words: readonly Piece[]
  readonly folders: readonly Piece[]
  /** Of its name. */
  readonly grams: readonly Piece[]
}

/** A page as it is looked at. */
export interface FiledPage {
  readonly page: KnownPage
  /** Its own first. */
  readonly addresses: readonly FiledAddress[]
  readonly titleGrams: readonly Piece[]
  readonly titleWords: readonly Piece[]
  readonly text: readonly Piece[]
  /** All that it is found by, each once. */
  readonly pieces: readonly Piece[]
}

/** What pages are looked for by, each with how much it counts. */
export type Wanted = readonly { readonly piece: Piece; readonly times: number }[]

/** Addresses that a page had. */
const ADDRESSES_MAX = 6
/** Places below which nothing is tidied. */
const GONE_LEAST = 100
/** Pages that are looked at closely for one address. */
const CLOSE_MAX = 20
/** So many grams a name has to have before having more of them counts much. */
const SMALL_NAME = 8
/** Places that are looked at for the letters of a name, for words of the address, and for those of a text, each. */
const SEEN_MAX = 1_500

/** Pages by the rare pieces that they are made of: what is like an address is found without a walk over pages. */
export class PageFiles {
  /** Empty where a page has gone: its place is left, until most of them are. */
  #pages: (FiledPage | undefined)[] = []
  readonly #at = new Map<string, number>()
  readonly #grams = new Map<string, Piece>()
  readonly #words = new Map<string, Piece>()
  readonly #byPast = new Map<string, number>()
  #shares = new Float64Array(0)
  /** By places: what a share counts for, which is less the more a page is made of. */
  #portions = new Float64Array(0)

  get size(): number {
    return this.#at.size
  }

  /** Takes a page in, in place of the one at its path. */
  put(page: KnownPage): void {
    this.drop(page.path)
    const at = this.#pages.length
    const addresses = [page.path, ...(page.past ?? []).slice(0, ADDRESSES_MAX)].map((path) => this.#addressOf(path))
    const title = plainTitle(page.title)
    const titleGrams = filedIn(this.#grams, gramsOf(title))
    const titleWords = filedIn(this.#words, wordsOf(title))
    const text = filedIn(this.#words, plainText(page.words))
    const pieces = new Set([...addresses.flatMap(({ words, grams }) => [...words, ...grams]), ...titleGrams, ...titleWords, ...text])
    for (const { spelt } of addresses) for (const piece of filedIn(this.#words, placesOf(spelt))) pieces.add(piece)
    this.#pages.push({ page, addresses, titleGrams, titleWords, text, pieces: [...pieces] })
    this.#at.set(page.path, at)
    if (this.#portions.length <= at) {
      const more = new Float64Array(2 * at + 1_000)
      more.set(this.#portions)
      this.#portions = more
      this.#shares = new Float64Array(more.length)
    }
    this.#portions[at] = 1 / Math.sqrt(SMALL_NAME + (addresses[0]?.grams.length ?? 0))
    for (const { spelt } of addresses.slice(1)) this.#byPast.set(spelt.plain, at)
    for (const piece of pieces) {
      // Most pieces are of one page: a list that something is pushed to keeps room for sixteen more.
      if (piece.places.length === 0) piece.places = [at]
      else piece.places.push(at)
      piece.often++
    }
  }

  /** Takes the page at a path out. */
  drop(path: string): void {
    const at = this.#at.get(path)
    const filed = at === undefined ? undefined : this.#pages[at]
    if (at === undefined || filed === undefined) return
    this.#pages[at] = undefined
    this.#at.delete(path)
    for (const { spelt } of filed.addresses.slice(1)) if (this.#byPast.get(spelt.plain) === at) this.#byPast.delete(spelt.plain)
    for (const piece of filed.pieces) piece.often--
    if (this.#pages.length > GONE_LEAST && this.#at.size < this.#pages.length / 2) this.#tidy()
  }

  /** Files what is left anew, once that is less than what has gone: so it costs each that went little. */
  #tidy(): void {
    const left = this.#pages.flatMap((filed) => (filed === undefined ? [] : [filed.page]))
    this.#pages = []
    for (const files of [this.#at, this.#grams, this.#words, this.#byPast]) files.clear()
    for (const page of left) this.put(page)
  }

  #addressOf(path: string): FiledAddress {
    const address = spelt(path)
    return {
      spelt: address,
      words: filedIn(this.#words, address.words),
      folders: filedIn(this.#words, address.folders),
      grams: filedIn(this.#grams, gramsOf(address.name)),
    }
  }

  /** Grams as far as pages have them. */
  grams(grams: Iterable<string>): (Piece | undefined)[] {
    return [...grams].map((gram) => this.#grams.get(gram))
  }

  /** Words as far as pages have them, each once. */
  words(words: Iterable<string>): (Piece | undefined)[] {
    return [...new Set(words)].map((word) => this.#words.get(word))
  }

  /** How much a piece tells: the more the fewer pages have it; most, if none has. */
  rarity(piece: Piece | undefined): number {
    return Math.max(RARITY_LEAST, logOf(this.#at.size) - logOf(piece?.often ?? 0))
  }

  /** The page that stood at a path before. @param plain - see {@link Spelt} */
  stoodAt(plain: string): FiledPage | undefined {
    const at = this.#byPast.get(plain)
    return at === undefined ? undefined : this.#pages[at]
  }

  /**
   * Pages that share something rare with what is wanted, those that share most of it among them.
   * @param wanted - in groups, of each of which so many places are looked at
   */
  near(wanted: readonly Wanted[]): FiledPage[] {
    const shares = this.#shares
    const touched: number[] = []
    for (const group of wanted) {
      // What is rarest is looked up first, until so many places have been seen: the rest would only confirm it.
      let left = SEEN_MAX
      for (const { piece, times } of [...group].sort((x, y) => x.piece.places.length - y.piece.places.length)) {
        const { places } = piece
        if (left < SEEN_MAX && places.length > left) break
        left -= places.length
        const weight = times * this.rarity(piece)
        // What is everywhere is not gone through to its end.
        const end = Math.min(places.length, SEEN_MAX)
        for (let i = 0; i < end; i++) {
          const at = places[i] ?? 0
          const share = shares[at] ?? 0
          if (share === 0) {
            if (this.#pages[at] === undefined) continue
            touched.push(at)
          }
          shares[at] = share + weight
        }
      }
    }
    const near = closest(touched, shares, this.#portions)
    for (const at of touched) shares[at] = 0
    return near.flatMap((at) => this.#pages[at] ?? [])
  }
}

/** What every page has tells hardly anything. */
const RARITY_LEAST = 0.02

/** Logarithms of numbers and a half, worked out once. */
const logs: number[] = []
function logOf(n: number): number {
  for (let at = logs.length; at <= n; at++) logs.push(Math.log(at + 0.5))
  return logs[n] ?? 0
}

/** Pieces by their text, of which new ones are made. */
function filedIn(files: Map<string, Piece>, texts: Iterable<string>): Piece[] {
  return [...new Set(texts)].map((text) => {
    const there = files.get(text)
    if (there !== undefined) return there
    const made: Piece = { places: [], often: 0, mark: 0, seen: 0 }
    files.set(text, made)
    return made
  })
}

/** The places that weigh most, at most so many. */
function closest(touched: readonly number[], shares: Float64Array, portions: Float64Array): number[] {
  if (touched.length <= CLOSE_MAX) return [...touched]
  const best: { at: number; weight: number }[] = []
  let least = 0
  for (const at of touched) {
    const weight = (shares[at] ?? 0) * (portions[at] ?? 0)
    if (best.length >= CLOSE_MAX && weight <= least) continue
    let i = best.length
    while (i > 0 && (best[i - 1]?.weight ?? 0) < weight) i--
    best.splice(i, 0, { at, weight })
    if (best.length > CLOSE_MAX) best.pop()
    least = best[best.length - 1]?.weight ?? 0
  }
  return best.map(({ at }) => at)
}
