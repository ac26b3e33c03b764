import { folded } from '../slugs/index.ts'

/** A word of a text, where it stands. Ends are exclusive, in UTF-16 code units. */
export interface Word {
  readonly from: number
  readonly to: number
}

const LATIN = 0x250
/** 1 for what words are made of, 2 for what may stand inside one. */
const KIND = new Uint8Array(LATIN)
for (let code = 0; code < LATIN; code++) {
  const c = String.fromCharCode(code)
  KIND[code] = /[\p{L}\p{N}\p{M}]/u.test(c) ? 1 : c === "'" ? 2 : 0
}
const OTHER = /[\p{L}\p{N}\p{M}]/u
const kindOf = (text: string, at: number): number => {
  const code = text.charCodeAt(at)
  if (code < LATIN) return KIND[code] ?? 0
  if (code === 0x2019) return 2
  // A pair of surrogates is one letter; either half alone is none.
  if (code >= 0xd800 && code < 0xdc00) return OTHER.test(text.slice(at, at + 2)) ? 1 : 0
  if (code >= 0xdc00 && code < 0xe000) return at > 0 && OTHER.test(text.slice(at - 1, at + 1)) ? 1 : 0
  return OTHER.test(text[at] ?? '') ? 1 : 0
}

/** The words of a text in order: letters, digits and marks; an apostrophe inside is part of one, a hyphen parts two. */
export function eachWord(text: string, take: (from: number, to: number) => void): void {
  let from = -1
  for (let at = 0; at < text.length; at++) {
    const kind = kindOf(text, at)
    if (kind === 1) {
      if (from === -1) from = at
    } else if (from !== -1 && !(kind === 2 && at + 1 < text.length && kindOf(text, at + 1) === 1)) {
      take(from, at)
      from = -1
    }
  }
  if (from !== -1) take(from, text.length)
}

export function wordsOf(text: string): Word[] {
  const found: Word[] = []
  eachWord(text, (from, to) => found.push({ from, to }))
  return found
}

const LEAST = 3
type Ending = readonly [ending: RegExp, instead: string]
/** Simple endings by language: plurals and cases, no more; the first that fits goes. */
const ENDINGS: Readonly<Record<string, readonly Ending[]>> = {
  en: [
    [/(?<=[^aeiou])ies$/, 'y'],
    [/(?<=s|x|z|ch|sh)es$/, ''],
    [/(?<=[^sui])s$/, ''],
  ],
  de: [[/(?:ern|en|er|es|em|n|e|s)$/, '']],
  nl: [[/(?:en|s)$/, '']],
  fr: [
    [/(?:aux)$/, 'al'],
    [/(?:s|x)$/, ''],
  ],
  es: [
    [/(?<=[^aeiou])es$/, ''],
    [/s$/, ''],
  ],
  pt: [
    [/(?<=[rz])es$/, ''],
    [/s$/, ''],
  ],
  it: [[/[aeio]$/, '']],
}
/** Two spellings of English that a phrase is found by either of. */
const SPELLINGS: readonly Ending[] = [
  [/(?<=[a-z]{2})ours?(?=$|ed$|ing$)/, 'or'],
  [/(?<=[a-z]{3})is(?=e$|ed$|es$|ing$|ation$)/, 'iz'],
  [/(?<=[a-z]{2}[bt])re$/, 'er'],
  [/(?<=[a-z]{3}[aeiou]l)l(?=ed$|ing$|er$)/, ''],
]

/**
 * What a word is compared by: folded, without apostrophes and what is behind them at its end, in one of two spellings, and
 * without a simple ending of its language.
 * @param language - primary subtag, lower case; of others nothing but an English plural goes
 */
export function keyOf(word: string, language: string): string {
  let key = folded(word)
    .replace(/['’](?:s|n|t)?$|['’]s$/, '')
    .replaceAll(/['’]/g, '')
  if (key.length <= LEAST || /\d/.test(key)) return key
  if (language === 'en') for (const [pattern, instead] of SPELLINGS) key = key.replace(pattern, instead)
  for (const [pattern, instead] of ENDINGS[language] ?? ENDINGS.en ?? []) {
    const bare = key.replace(pattern, instead)
    if (bare !== key && bare.length >= LEAST) return bare
  }
  return key
}
