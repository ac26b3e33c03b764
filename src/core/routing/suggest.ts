import { type Told, tell } from '../../words/index.ts'
import { FITTED } from './fitted.ts'
import { isBelow, LIKENESSES, type Likeness, unlike } from './likeness.ts'
import { type FiledAddress, type FiledPage, type KnownPage, PageFiles, type Piece, type Wanted } from './page-files.ts'
import { gramsOf, placesOf, plainText, plainTitle, type Spelt, spelt, wordsOf } from './spelt.ts'
import { misspellings, reasonOf, slipsOf } from './suggest-reasons.ts'

/** What is known of an address that nobody answers. */
export interface LostAddress {
  readonly path: string
  /** Of the page that once stood there. */
  readonly title?: string
  readonly words?: readonly string[]
}

export interface PageSuggestion {
  readonly to: string
  /** How likely it is that this page was meant, from 0 to 1; see {@link SCORE_WORDS}. */
  readonly score: number
  readonly reason: Told
}

/** From here on a suggestion is sure: of a hundred such, 98 are right. */
export const SURE = 0.98

/** How a suggestion is scored, as it is told to people. */
export const SCORE_WORDS = [
  tell('suggest.score'),
  tell('suggest.score-name'),
  tell('suggest.score-folders'),
  tell('suggest.score-equal'),
] as const

/** What is no better than this is none; and nothing that is guessed is certain. */
const SCORE_LEAST = 0.05
const SCORE_MOST = 0.99
/** So many pieces that no other page has are all that there is to be had in common. */
const ALL_RARE = 10
/** The logarithm of how many pages a large site has. */
const LARGE = 10

/** What a piece counts for whether a page is looked at, beside a run of three letters of the name. */
const COUNTS = { parentGram: 0.5, word: 3, folder: 1.5, place: 4, placeAbove: 2, text: 1 } as const

/** What of an address a piece was in. */
const IN = { name: 1, address: 2, above: 4, words: 8, folders: 16, title: 32, text: 64 } as const

/** Pieces that are asked about, and what all of them weigh, those too that no page has. */
interface AskedPieces {
  readonly pieces: readonly Piece[]
  readonly weight: number
}

/** An address that is asked about, ready to be held against pages. */
interface AskedAddress {
  readonly path: string
  readonly spelt: Spelt
  readonly grams: AskedPieces
  readonly above: AskedPieces
  readonly words: AskedPieces
  readonly folders: AskedPieces
  readonly title: AskedPieces
  readonly text: AskedPieces
  readonly textWords: readonly string[]
}

/** Finds pages for addresses that nobody answers, by their names first. Looking costs little more for ten thousand pages than for a hundred. */
export class PageFinder {
  readonly #files = new PageFiles()
  /** Pieces that bear the mark of what is asked about. */
  #marked: Piece[] = []
  #looks = 0

  constructor(pages: Iterable<KnownPage>) {
    for (const page of pages) this.put(page)
  }

  /** Takes a page in, in place of the one at its path. */
  put(page: KnownPage): void {
    this.#files.put(page)
  }

  /** Takes the page at a path out. */
  drop(path: string): void {
    this.#files.drop(path)
  }

  /** @returns best first, none that is hardly one. Never throws. */
  suggest(lost: LostAddress, limit = 5): readonly PageSuggestion[] {
    const odds = [...this.oddsOf(lost)]
    // None of them is a choice as well, and each takes from the others: of two that are equally near neither is sure.
    const all = odds.reduce((sum, { odds }) => sum + odds, 1)
    return odds
      .map((each) => ({ ...each, score: Math.min(SCORE_MOST, Math.round((each.odds / all) * 100) / 100) }))
      .filter(({ score }) => score >= SCORE_LEAST)
      .sort(
        (a, b) =>
          b.odds - a.odds || a.filed.page.path.length - b.filed.page.path.length || (a.filed.page.path < b.filed.page.path ? -1 : 1),
      )
      .slice(0, limit)
      .map(({ filed, address, asked, likeness, score }) => ({
        to: filed.page.path,
        score,
        reason: this.#reason(asked, filed, address, likeness),
      }))
  }

  /** Pages near an address with in what they are like it, and the odds of each against none of them. */
  *oddsOf(lost: LostAddress): Generator<{
    readonly filed: FiledPage
    readonly address: FiledAddress
    readonly asked: AskedAddress
    readonly likeness: Float64Array
    readonly odds: number
  }> {
    const asked = this.#asked(lost)
    const stood = this.#files.stoodAt(asked.spelt.plain)
    const near = this.#files.near(this.#wanted(asked))
    for (const filed of stood === undefined || near.includes(stood) ? near : [stood, ...near]) {
      if (filed.page.path === lost.path) continue
      let best: { address: FiledAddress; likeness: Float64Array; log: number } | null = null
      for (const address of filed.addresses) {
        const likeness = this.#likeness(asked, filed, address)
        let log: number = FITTED.bias
        for (let i = 0; i < likeness.length; i++) log += (LOGS[i] ?? 0) * (likeness[i] ?? 0)
        if (best === null || log > best.log) best = { address, likeness, log }
      }
      if (best !== null) yield { filed, address: best.address, asked, likeness: best.likeness, odds: Math.exp(best.log) }
    }
    for (const piece of this.#marked) piece.mark = 0
    this.#marked = []
  }

  #asked(lost: LostAddress): AskedAddress {
    for (const piece of this.#marked) piece.mark = 0
    this.#marked = []
    const address = spelt(lost.path)
    const textWords = plainText(lost.words)
    const whole = this.#files.grams(address.plain.split('/').flatMap((part) => [...gramsOf(part)]))
    for (const piece of whole) this.#mark(piece, IN.address)
    return {
      path: lost.path,
      spelt: address,
      grams: this.#marking(this.#files.grams(gramsOf(address.name)), IN.name),
      above: this.#marking(this.#files.grams(gramsOf(address.parent)), IN.above),
      words: this.#marking(this.#files.words(address.words), IN.words),
      folders: this.#marking(this.#files.words(address.folders), IN.folders),
      title: this.#marking(this.#files.words(wordsOf(plainTitle(lost.title ?? ''))), IN.title),
      text: this.#marking(this.#files.words(textWords), IN.text),
      textWords,
    }
  }

  #mark(piece: Piece | undefined, as: number): void {
    if (piece === undefined) return
    if (piece.mark === 0) this.#marked.push(piece)
    piece.mark |= as
  }

  #marking(found: readonly (Piece | undefined)[], as: number): AskedPieces {
    let weight = 0
    for (const piece of found) {
      weight += this.#files.rarity(piece)
      this.#mark(piece, as)
    }
    return { pieces: found.filter((piece) => piece !== undefined), weight }
  }

  /** What pages are looked for by. */
  #wanted({ spelt: address, grams, above, words, title, text }: AskedAddress): Wanted[] {
    const count = (pieces: readonly (Piece | undefined)[], times: number): Wanted =>
      pieces.flatMap((piece) => (piece === undefined ? [] : [{ piece, times }]))
    return [
      count(grams.pieces, 1),
      count(above.pieces, COUNTS.parentGram),
      [
        ...words.pieces.map((piece) => ({ piece, times: piece.mark & IN.folders ? COUNTS.folder : COUNTS.word })),
        ...count(title.pieces, COUNTS.word),
      ],
      [
        ...count(this.#files.words(placesOf(address)), COUNTS.place),
        ...count(this.#files.words(placesOf(spelt(address.above))), COUNTS.placeAbove),
      ],
      count(text.pieces, COUNTS.text),
    ]
  }

  /** How much of what either has both have, and how much of what is asked for. */
  #common({ weight }: AskedPieces, theirs: readonly Piece[], as: number): readonly [common: number, asked: number] {
    let [both, all] = [0, weight]
    for (const piece of theirs) {
      const each = this.#files.rarity(piece)
      if (piece.mark & as) both += each
      else all += each
    }
    return [ratio(both, all), ratio(both, weight)]
  }

  #likeness(asked: AskedAddress, filed: FiledPage, { spelt: page, words, folders, grams }: FiledAddress): Float64Array {
    const out = new Float64Array(LIKENESSES.length)
    const set = (name: Likeness, value: number): void => {
      out[PLACE[name]] = value
    }
    const look = ++this.#looks
    let [all, inName, inAsked, inAbove, title, inTitle] = [0, 0, 0, 0, 0, 0]
    for (const gram of grams) {
      const weight = this.#files.rarity(gram)
      all += weight
      if (gram.mark & IN.address) inAsked += weight
      if (gram.mark & IN.above) inAbove += weight
      if (!(gram.mark & IN.name)) continue
      inName += weight
      gram.seen = look
    }
    let either = inName
    for (const gram of filed.titleGrams) {
      const weight = this.#files.rarity(gram)
      title += weight
      if (!(gram.mark & IN.name)) continue
      inTitle += weight
      if (gram.seen !== look) either += weight
    }
    const askedFor = asked.grams.weight
    const byName = ratio(inName, askedFor + all - inName)
    const byTitle = ratio(inTitle, askedFor + title - inTitle)
    const [byWords, askedWords] = this.#common(asked.words, words, IN.words)
    const [byFolders] = this.#common(asked.folders, folders, IN.folders)
    const isSame = Number(asked.spelt.key === page.key)
    set('same path', Number(asked.spelt.plain === page.plain))
    set('same name', isSame)
    set('name grams', byName)
    set('name grams, squared', byName ** 2)
    set('title grams', byTitle)
    set('title grams, squared', byTitle ** 2)
    set('asked in page', ratio(either, askedFor))
    set('page in asked', ratio(inAsked, all))
    set('words', byWords)
    set('words, squared', byWords ** 2)
    set('asked words in page', askedWords)
    set('folders', byFolders)
    set('same parent', Number(asked.spelt.parent === page.parent))
    set('same name and folders', isSame * byFolders)
    const [otherNumbers, noNumbers] = unlike(asked.spelt.numbers, page.numbers)
    set('other numbers', otherNumbers)
    set('numbers missing', noNumbers)
    const [otherShorts, noShorts] = unlike(asked.spelt.shorts, page.shorts)
    set('other short parts', otherShorts)
    set('short parts missing', noShorts)
    const slips = slipsOf(asked.spelt.name, page.name)
    set('one slip', Number(slips === 1))
    set('two slips', Number(slips === 2))
    set('three slips', Number(slips === 3))
    set('below', Number(isBelow(asked.spelt, page)))
    set('name of the folder above', ratio(inAbove, asked.above.weight + all - inAbove))
    set('folder above in page', ratio(inAbove, asked.above.weight))
    set('rare in common', Math.min(1, inName / (ALL_RARE * Math.log(this.#files.size + 2))))
    set('large site', Math.log(this.#files.size + 1) / LARGE)
    set('stood here', Number(page !== filed.addresses[0]?.spelt && asked.spelt.plain === page.plain))
    if (asked.title.weight > 0) {
      const [then] = this.#common(asked.title, filed.titleWords, IN.title)
      set('title then', then)
      set('other title then', 1 - then)
    }
    if (asked.text.weight > 0 && filed.text.length > 0) {
      const [then] = this.#common(asked.text, filed.text, IN.text)
      set('text then', then)
      set('other text then', 1 - then)
    }
    return out
  }

  #reason(asked: AskedAddress, filed: FiledPage, address: FiledAddress, likeness: Float64Array): Told {
    const get = (name: Likeness): number => likeness[PLACE[name]] ?? 0
    const own = filed.addresses[0] ?? address
    const theirs = new Set([...own.spelt.words, ...wordsOf(plainTitle(filed.page.title))])
    const text = new Set(plainText(filed.page.words))
    const rarest = (words: readonly string[]): string[] => {
      const rarity = new Map(words.map((word) => [word, this.#files.rarity(this.#files.words([word])[0])]))
      return [...new Set(words)].sort((a, b) => (rarity.get(b) ?? 0) - (rarity.get(a) ?? 0))
    }
    return reasonOf({
      asked: asked.spelt,
      page: own.spelt,
      written: { asked: asked.path, path: filed.page.path },
      hasStoodHere: get('stood here') === 1,
      said: { share: get('text then'), words: rarest(asked.textWords.filter((word) => text.has(word))) },
      shared: rarest(asked.spelt.words.filter((word) => theirs.has(word))),
      misspelt: misspellings(
        asked.spelt.words.filter((word) => !theirs.has(word)),
        theirs,
      ),
      title: get('title grams'),
      name: get('name grams'),
    })
  }
}

const PLACE = Object.fromEntries(LIKENESSES.map((name, i) => [name, i])) as Record<Likeness, number>
const LOGS = Float64Array.from(LIKENESSES, (name) => FITTED[name])
const ratio = (part: number, whole: number): number => (whole <= 0 ? 0 : part / whole)
