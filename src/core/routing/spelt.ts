import { folded, hyphenated } from '../slugs/index.ts'
import { plainPath } from './path.ts'

/** A path taken apart: by what pages are told from each other. */
export interface Spelt {
  /** Without what tells nothing: capitals, accents, the kind of file, "index". */
  readonly plain: string
  /** Its last part, without words that are in addresses for no reason of their own, if it has others. */
  readonly name: string
  /** The name's words with nothing between them, numbers as numbers: "Chapter_07" and "chapter-7" are one. */
  readonly key: string
  /** Of its folders, the last one that is no number, as those of dates are. */
  readonly parent: string
  /** All of it above the name. */
  readonly above: string
  /** Words of all of it, in their order. */
  readonly words: readonly string[]
  readonly folders: readonly string[]
  /** Numbers of the name, and what else of it is so short that one letter makes another page of it; joined. */
  readonly numbers: string
  readonly shorts: string
}

/** A path, a title and a text are looked at no further: what is longer tells nothing more, and costs whoever waits. */
const PATH_MAX_CHARS = 300
const TITLE_MAX_CHARS = 200
const TEXT_WORDS = 40

export function spelt(path: string): Spelt {
  const plain = plainOf(path.slice(0, PATH_MAX_CHARS))
  const cut = plain.lastIndexOf('/')
  const [above, name] = [plain.slice(0, Math.max(0, cut)), withoutStops(plain.slice(cut + 1))]
  const pieces = piecesOf(name)
  return {
    plain,
    name,
    key: pieces.join(''),
    parent: above.split('/').findLast((part) => /\p{L}/u.test(part)) ?? '',
    above,
    words: wordsOf(plain),
    folders: wordsOf(above),
    numbers: pieces.filter((piece) => /^\d/.test(piece)).join(' '),
    shorts: pieces.filter((piece) => piece.length < 3 && !/^\d/.test(piece) && !STOPS.has(piece)).join(' '),
  }
}

const withoutStops = (name: string): string => {
  const told = name.split('-').filter((word) => !STOPS.has(word))
  return told.length === 0 ? name : told.join('-')
}

/** Runs of letters and of digits; zeros in front of a number are no part of it. */
const piecesOf = (name: string): string[] =>
  (name.match(/\p{L}+|\p{N}+/gu) ?? []).map((piece) => (/^\d/.test(piece) ? piece.replace(/^0+(?=\d)/, '') : piece))

/**
 * What a page of words that are everywhere is still found by: its whole name, words that follow each other, and with the folder
 * it is in each word of the name, its beginning and its end.
 */
export const placesOf = ({ key, parent, name, words }: Spelt): string[] => [
  `=${key}`,
  ...words.slice(1).map((word, i) => `${words[i]} ${word}`),
  ...wordsOf(name).map((word) => `${parent}/${word}`),
  `${parent}/${name.slice(0, 2)}*`,
  `${parent}/*${name.slice(-2)}`,
]

/** A path without what tells nothing: case, accents, the kind of file, "index". */
const plainOf = (path: string): string =>
  folded(plainPath(path))
    .replace(/\.(?:[sx]?html?|php\d?|aspx?|jspx?|cfm|cgi|md)$/, '')
    .replace(/\/(?:index|default|home)?$/, '')
    .replace(/[-_+ .]+/g, '-')

export const wordsOf = (text: string): string[] => text.split(/[^\p{L}\p{N}]+/u).filter((word) => word.length > 1 && !STOPS.has(word))

/** A title as it is looked at: its words with hyphens between them, as names are made of titles. */
export const plainTitle = (title: string): string => hyphenated(title.slice(0, TITLE_MAX_CHARS), 'any')

/** Words that a text is about, as they are compared. @param words - what it has most of first */
export const plainText = (words: readonly string[] = []): string[] => words.slice(0, TEXT_WORDS).map(folded)

/** Words that are in addresses for no reason of their own. */
const STOPS = new Set(
  'the a an of and to in on for by at is www html page pages post posts de der die das und la le les et el en y'.split(' '),
)

/** Three letters each, with the text's beginning and end: what two spellings have in common. */
export function gramsOf(text: string): Set<string> {
  const grams = new Set<string>()
  if (text === '') return grams
  const marked = `^${text}$`
  for (let at = 0; at + 3 <= marked.length; at++) grams.add(marked.slice(at, at + 3))
  return grams
}
