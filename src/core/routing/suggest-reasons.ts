import { type Told, tell } from '../../words/index.ts'
import { folded } from '../slugs/index.ts'
import { plainPath } from './path.ts'
import { slipsBetween } from './slips.ts'
import type { Spelt } from './spelt.ts'

/** What is said of two that are alike. */
export interface Alike {
  readonly asked: Spelt
  readonly page: Spelt
  /** Paths as they were asked and are written. */
  readonly written: { readonly asked: string; readonly path: string }
  readonly hasStoodHere: boolean
  /** How much of what the pages say is the same, and words that both have. */
  readonly said: { readonly share: number; readonly words: readonly string[] }
  /** Words of the address that the page has in its path or title, rarest first; and such as are a slip off one that it has. */
  readonly shared: readonly string[]
  readonly misspelt: readonly { readonly word: string; readonly meant: string }[]
  /** How much of the name is in the page's title, and in its own name. */
  readonly title: number
  readonly name: number
}

/** From this much of what two pages say on, they say the same. */
const SAID_THE_SAME = 0.6
/** From this much on, a title says what was asked for. */
const TITLE_SAYS = 0.5

/** Why a page is suggested, for people; what says most of it. */
export function reasonOf({ asked, page, written, hasStoodHere, said, shared, misspelt, title, name }: Alike): Told {
  if (hasStoodHere) return tell('suggest.stood-here')
  if (asked.plain === page.plain) return sameBut(written)
  const slips = slipsOf(asked.plain, page.plain)
  if (slips !== null) return slips === 1 ? oneSlip(asked.plain, page.plain) : someSlips(slips, asked.plain, page.plain)
  if (said.share > Math.max(name, title))
    return said.share >= SAID_THE_SAME ? tell('suggest.said-the-same') : tell('suggest.was-about', { words: said.words.slice(0, 3) })
  if (asked.key === page.key) return asked.above === page.above ? tell('suggest.same-words') : tell('suggest.other-place')
  const [nearly] = misspelt
  if (nearly !== undefined && shared.length > 0) return tell('suggest.nearly-and-shares', { ...nearly, words: shared.slice(0, 3) })
  const inName = slipsOf(asked.name, page.name)
  if (inName !== null && asked.name.length >= NAME_LEAST) return tell('suggest.letters-of-name', { letters: inName })
  const left = asked.words.filter((word) => !page.words.includes(word)).length
  const more = page.words.filter((word) => !shared.includes(word)).length
  if (left === 0 && more === 0)
    return isInOrder(shared, asked.words, page.words) || shared.length === 1 ? tell('suggest.same-words') : tell('suggest.other-order')
  if (left === 0 && more === 1) return tell('suggest.word-left-out')
  if (left === 1 && more === 0) return tell('suggest.word-too-many')
  if (nearly !== undefined) return tell('suggest.nearly', { word: nearly.word, meant: nearly.meant })
  if (title > name && title >= TITLE_SAYS) return tell('suggest.title')
  return shared.length > 0 ? tell('suggest.shares', { words: shared.slice(0, 3) }) : tell('suggest.name-nearly')
}
/** Least letters of a name for one that is different to be told. */
const NAME_LEAST = 4

/** Least letters of a text for so many slips to be slips. */
const SLIPS = [
  { most: 1, chars: 4 },
  { most: 2, chars: 8 },
  { most: 3, chars: 14 },
] as const

/** How many letters two texts differ in; null where they are too many for slips. */
export function slipsOf(a: string, b: string): number | null {
  const length = Math.min(a.length, b.length)
  if (length < SLIPS[0].chars || Math.abs(a.length - b.length) > 3) return null
  const slips = slipsBetween(a, b, 3)
  return slips > 0 && SLIPS.some(({ most, chars }) => slips <= most && length >= chars) ? slips : null
}

/** Least letters of a word for one slip, and for two, to be slips. */
const WORD_SLIPS = [5, 9] as const

/** Words that are a slip or two off a page's own, each with that one. */
export function misspellings(words: readonly string[], own: ReadonlySet<string>): { word: string; meant: string }[] {
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

/** Whether words that two have in common come in the same order in both. */
function isInOrder(shared: readonly string[], a: readonly string[], b: readonly string[]): boolean {
  const places = shared.filter((word) => a.includes(word) && b.includes(word)).sort((x, y) => a.indexOf(x) - a.indexOf(y))
  return places.length > 1 && places.every((word, i) => i === 0 || b.indexOf(word) > b.indexOf(places[i - 1] ?? ''))
}

/** In what two paths differ that are one without what tells nothing. */
function sameBut({ asked, path }: { readonly asked: string; readonly path: string }): Told {
  const stem = (each: string): string =>
    plainPath(each)
      .replace(/\.\w+$/, '')
      .replace(/\/(?:index|default|home)?$/i, '')
  const [a, b] = [stem(asked), stem(path)]
  if (a === b) return tell('suggest.but-ending')
  if (a.toLowerCase() === b.toLowerCase()) return tell('suggest.but-capitals')
  return folded(a) === folded(b) ? tell('suggest.but-accents') : tell('suggest.but-signs')
}

function someSlips(letters: number, asked: string, path: string): Told {
  if (path.length - asked.length === letters) return tell('suggest.letters-left-out', { letters })
  if (asked.length - path.length === letters) return tell('suggest.letters-too-many', { letters })
  return tell('suggest.letters-different', { letters })
}

function oneSlip(asked: string, path: string): Told {
  if (asked.length < path.length) return tell('suggest.letter-left-out')
  if (asked.length > path.length) return tell('suggest.letter-too-many')
  return [...asked].sort().join('') === [...path].sort().join('') ? tell('suggest.letters-swapped') : tell('suggest.letter-different')
}
