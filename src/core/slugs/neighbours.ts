import { SLUG_MAX_CHARS, SLUG_PATTERN } from './slug.ts'

/** How one spelling comes of another by one slip. */
export const SLIPS = ['dropped', 'doubled', 'swapped', 'next key', 'sounds alike', 'one or many', 'hyphen', 'number'] as const
export type Slip = (typeof SLIPS)[number]

/** A slug that is one slip away from another. */
export interface Neighbour {
  readonly slug: string
  readonly slip: Slip
}

const ROWS = ['1234567890', 'qwertyuiop', 'asdfghjkl', 'zxcvbnm']
/** Keys that touch each other on the layout most keyboards have. */
const NEXT_KEYS: ReadonlyMap<string, string> = new Map(
  ROWS.flatMap((row, y) =>
    [...row].map((key, x): [string, string] => {
      const around = [row[x - 1], row[x + 1], ROWS[y - 1]?.[x], ROWS[y - 1]?.[x + 1], ROWS[y + 1]?.[x - 1], ROWS[y + 1]?.[x]]
      return [key, around.filter((each) => each !== undefined && (/\d/.test(each) ? /\d/.test(key) : !/\d/.test(key))).join('')]
    }),
  ),
)

/** Spellings that are heard alike; each stands for the other. */
const ALIKE: readonly (readonly [string, string])[] = [
  ['ph', 'f'],
  ['c', 'k'],
  ['ee', 'ea'],
  ['ei', 'ie'],
  ['ai', 'ay'],
  ['ou', 'ow'],
  ['er', 'or'],
  ['our', 'or'],
  ['i', 'y'],
  ['oo', 'u'],
  ['quay', 'key'],
  ['isle', 'aisle'],
]
/** What is written and hardly heard: it is left out, and nobody puts it in. */
const UNHEARD: readonly (readonly [RegExp, string])[] = [
  [/ck/g, 'k'],
  [/x/g, 'ks'],
  [/wh/g, 'w'],
  [/\bkn/g, 'n'],
  [/\bwr/g, 'r'],
  [/gh/g, 'g'],
  [/igh/g, 'y'],
  [/oa/g, 'o'],
  [/ie\b/g, 'y'],
  [/([bcdfgklmnprstvz])\1/g, '$1'],
]
const NUMBERS: readonly (readonly [string, readonly string[]])[] = [
  ['1', ['one', 'won']],
  ['2', ['two', 'to', 'too']],
  ['4', ['four', 'for']],
  ['8', ['eight', 'ate']],
]

/**
 * Slugs that are one slip of the hand or the ear away, those people are likeliest to type first: never the slug itself, each
 * once, only such as can be slugs. Of a slug of 12 letters about 150.
 */
export function neighboursOf(slug: string): readonly Neighbour[] {
  const found = new Map<string, Slip>()
  const add = (other: string, slip: Slip): void => {
    if (other !== slug && other.length > 1 && other.length <= SLUG_MAX_CHARS && SLUG_PATTERN.test(other) && !found.has(other))
      found.set(other, slip)
  }
  for (const word of slug.split('-').slice(-1)) {
    const head = slug.slice(0, slug.length - word.length)
    if (/(?:s|x|ch|sh)es$/.test(word)) add(head + word.slice(0, -2), 'one or many')
    if (/[^s]s$/.test(word)) add(head + word.slice(0, -1), 'one or many')
    else if (/(?:s|x|ch|sh)$/.test(word)) add(`${slug}es`, 'one or many')
    else if (/[^aeiou]y$/.test(word)) add(`${slug.slice(0, -1)}ies`, 'one or many')
    else if (/[a-z]$/.test(word)) add(`${slug}s`, 'one or many')
    if (/ies$/.test(word)) add(`${head}${word.slice(0, -3)}y`, 'one or many')
  }
  if (slug.includes('-')) {
    add(slug.replaceAll('-', ''), 'hyphen')
    for (let at = slug.indexOf('-'); at !== -1; at = slug.indexOf('-', at + 1)) add(slug.slice(0, at) + slug.slice(at + 1), 'hyphen')
  }
  for (const [digit, words] of NUMBERS) {
    const parts = slug.split('-')
    for (const [i, part] of parts.entries()) {
      const put = (word: string): void => add(parts.with(i, word).join('-'), 'number')
      if (part === digit) for (const word of words) put(word)
      else if (words.includes(part)) put(digit)
    }
  }
  for (const [pattern, heard] of UNHEARD)
    for (const { 0: written, index } of slug.matchAll(pattern))
      add(slug.slice(0, index) + written.replace(new RegExp(pattern.source), heard) + slug.slice(index + written.length), 'sounds alike')
  for (const [a, b] of ALIKE)
    for (const [from, to] of [
      [a, b],
      [b, a],
    ] as const)
      for (let at = slug.indexOf(from); at !== -1; at = slug.indexOf(from, at + 1))
        add(slug.slice(0, at) + to + slug.slice(at + from.length), 'sounds alike')
  for (let i = 0; i < slug.length; i++) {
    const [before, sign, behind] = [slug.slice(0, i), slug[i] ?? '', slug.slice(i + 1)]
    add(before + behind, 'dropped')
    add(before + sign + sign + behind, 'doubled')
    if (i > 0) add(slug.slice(0, i - 1) + sign + (slug[i - 1] ?? '') + behind, 'swapped')
  }
  for (let i = 0; i < slug.length; i++)
    for (const key of NEXT_KEYS.get(slug[i] ?? '') ?? '') add(slug.slice(0, i) + key + slug.slice(i + 1), 'next key')
  return [...found].map(([each, slip]) => ({ slug: each, slip }))
}
