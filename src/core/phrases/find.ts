import type { Prose } from './prose.ts'
import { eachWord, keyOf, wordsOf } from './words.ts'

/** Longest phrase, in words, inclusive. */
export const PHRASE_MAX_WORDS = 8

/** Where a phrase was found: in a piece of a page's prose, by text offsets. */
export interface FoundPhrase {
  /** Counts the phrases that the book was made from. */
  readonly phrase: number
  readonly piece: number
  readonly from: number
  readonly to: number
  /** How many words of the page stand before it, and before its end. */
  readonly at: number
  readonly until: number
}

interface Node {
  next: Map<number, Node> | null
  phrases: number[] | null
}

/** Words of pages that are remembered with what they are compared by. */
const KNOWN_MAX = 200_000

/**
 * Many phrases, looked for all at once: a tree by words. What a page costs grows with its words, and hardly with the phrases.
 * Words are compared by {@link keyOf}; a phrase of two words is found also where they are written as one.
 */
export class Phrasebook {
  readonly #language: string
  readonly #root: Node = { next: new Map(), phrases: null }
  readonly #ids = new Map<string, number>()
  /** By word as written: 0 for those in no phrase. */
  readonly #known = new Map<string, number>()

  constructor(phrases: readonly string[], language: string) {
    this.#language = language
    for (const [i, phrase] of phrases.entries()) {
      const keys = wordsOf(phrase).map(({ from, to }) => keyOf(phrase.slice(from, to), language))
      if (keys.length === 0 || keys.length > PHRASE_MAX_WORDS) continue
      this.#add(keys, i)
      const words = wordsOf(phrase)
      if (words.length === 2 && (words[0]?.to ?? 0) - (words[0]?.from ?? 0) >= 3)
        this.#add([keyOf(words.map(({ from, to }) => phrase.slice(from, to)).join(''), language)], i)
    }
  }

  #add(keys: readonly string[], phrase: number): void {
    let node = this.#root
    for (const key of keys) {
      const id = this.#ids.get(key) ?? this.#ids.size + 1
      this.#ids.set(key, id)
      node.next ??= new Map()
      const next = node.next.get(id) ?? { next: null, phrases: null }
      node.next.set(id, next)
      node = next
    }
    node.phrases ??= []
    if (!node.phrases.includes(phrase)) node.phrases.push(phrase)
  }

  #idOf(word: string): number {
    const known = this.#known.get(word)
    if (known !== undefined) return known
    const id = this.#ids.get(keyOf(word, this.#language)) ?? 0
    if (this.#known.size >= KNOWN_MAX) this.#known.clear()
    this.#known.set(word, id)
    return id
  }

  /** Every place where a phrase stands, in the order of the text. @param most - how many are looked for */
  find({ pieces }: Prose, most: number): FoundPhrase[] {
    const found: FoundPhrase[] = []
    const ids: number[] = []
    const places: number[] = []
    for (const [piece, { text, wordsBefore }] of pieces.entries()) {
      ids.length = 0
      places.length = 0
      eachWord(text, (from, to) => {
        ids.push(this.#idOf(text.slice(from, to)))
        places.push(from, to)
      })
      for (let at = 0; at < ids.length; at++) {
        let node: Node | undefined = this.#root.next?.get(ids[at] ?? 0)
        for (let end = at; node !== undefined; ) {
          for (const phrase of node.phrases ?? []) {
            if (found.length >= most) return found
            found.push({
              phrase,
              piece,
              from: places[2 * at] ?? 0,
              to: places[2 * end + 1] ?? 0,
              at: wordsBefore + at,
              until: wordsBefore + end + 1,
            })
          }
          end++
          node =
            end < ids.length && isOneBreath(text, places[2 * end - 1] ?? 0, places[2 * end] ?? 0)
              ? node.next?.get(ids[end] ?? 0)
              : undefined
        }
      }
    }
    return found
  }
}

/** Whether what stands between two words lets them be one phrase: blanks and hyphens do, a comma or a full stop does not. */
function isOneBreath(text: string, from: number, to: number): boolean {
  for (let at = from; at < to; at++) {
    const code = text.charCodeAt(at)
    const joins = code <= 0x20 || code === 0x2d || code === 0xa0 || code === 0xad || (code >= 0x2010 && code <= 0x2015) || code === 0x202f
    if (!joins) return false
  }
  return true
}
