import { UNFORTUNATE } from './unfortunate.ts'

/** Something that makes a slug easier or harder to say, hear and type. */
export interface SayReason {
  readonly what: string
  readonly isGood: boolean
}

/** How well a slug goes from mouth to ear to keyboard. */
export interface Sayability {
  /** From 0 to 100. */
  readonly score: number
  readonly reasons: readonly SayReason[]
  readonly syllables: number
  /** As it is said: "low dash tide". */
  readonly aloud: string
  /** Letter by letter: "L, O, W, dash, T, I, D, E". */
  readonly spelled: string
}

const DIGITS = ['zero', 'one', 'two', 'three', 'four', 'five', 'six', 'seven', 'eight', 'nine']
/** More than so many are no longer remembered from hearing them once. */
const SYLLABLES_GOOD = 3
const LETTERS_GOOD = 12

/** Letters that are written and not said, or said as others are written: whoever hears them types something else. */
const UNSPOKEN: readonly (readonly [pattern: RegExp, what: string])[] = [
  [/ough|augh/, '“ough” is said in many ways'],
  [/igh|eigh/, '“gh” is not said'],
  [/(?:^|-)kn/, 'the K of “kn” is not said'],
  [/(?:^|-)wr/, 'the W of “wr” is not said'],
  [/(?:^|-)ps|(?:^|-)pn/, 'the P at the front is not said'],
  [/mb(?:$|-)/, 'the B of “mb” is not said'],
  [/ph/, '“ph” is heard as F'],
  [/sch|tsch/, '“sch” is heard as “sh”'],
  [/rh/, 'the H of “rh” is not said'],
  [/sc(?=[eiy])/, 'the C of “sc” is not said'],
  [/x/, 'X is heard as “ks”'],
  [/q(?!u)/, 'Q without U is guessed at'],
]
/** Doubled letters are heard as one. "ss", "ll" and "oo", "ee" at the end of common words are what people expect. */
const DOUBLED = /([bcdfgkmnprtvz])\1/

/** Signs that the eye takes for each other. */
const LOOK_ALIKE: readonly (readonly [pattern: RegExp, what: string])[] = [
  [/[a-z]0|0[a-z]/, '0 looks like the letter O'],
  [/[a-z]1|1[a-z]/, '1 looks like the letter L'],
  [/[a-z]5|5[a-z]/, '5 looks like the letter S'],
  [/rn/, '“rn” looks like “m”'],
  [/vv/, '“vv” looks like “w”'],
  [/cl(?=[aou])/, '“cl” looks like “d”'],
]

/**
 * Judges how well a slug is said aloud, with the reasons.
 * @param slug - see `SLUG_PATTERN`
 */
export function sayabilityOf(slug: string): Sayability {
  const words = slug.split('-')
  const syllables = words.reduce((sum, word) => sum + syllablesOf(word), 0)
  const letters = slug.replaceAll('-', '').length
  const dashes = words.length - 1
  const reasons: SayReason[] = []
  let score = 100
  const costs = (points: number, what: string): void => {
    score -= points
    reasons.push({ what, isGood: false })
  }
  const gains = (what: string): void => void reasons.push({ what, isGood: true })
  const unfortunate = unfortunateIn(slug)
  if (unfortunate !== null) costs(70, `it has “${unfortunate.word}” in it, which is rude in ${unfortunate.language}`)
  if (syllables > SYLLABLES_GOOD) costs(Math.min(40, (syllables - SYLLABLES_GOOD) * 7), `${syllables} syllables are many`)
  else gains(syllables === 1 ? 'one syllable' : `${syllables} syllables`)
  if (letters > LETTERS_GOOD) costs(Math.min(30, (letters - LETTERS_GOOD) * 2), `${letters} letters are long to type`)
  else if (letters < 3) costs(10, 'so short that a slip of one key leads elsewhere')
  else gains(`${letters} letters`)
  if (dashes > 1) costs((dashes - 1) * 10, `${dashes} hyphens have to be said`)
  else if (dashes === 1) score -= 3
  if (/\d/.test(slug)) costs(12, 'a number is heard as a word: two, to or too')
  for (const [pattern, what] of UNSPOKEN) if (pattern.test(slug)) costs(12, what)
  const doubled = DOUBLED.exec(slug)?.[1]
  if (doubled !== undefined) costs(6, `one ${doubled.toUpperCase()} is heard, and two are written`)
  for (const [pattern, what] of LOOK_ALIKE) if (pattern.test(slug)) costs(8, what)
  if (!/[aeiouy]/.test(slug.replaceAll(/[\d-]/g, ''))) costs(25, 'without a vowel it cannot be said as a word')
  else if (/[bcdfghjklmnpqrstvwxz]{5,}/.test(slug)) costs(12, 'many consonants in a row')
  return {
    score: Math.max(0, score),
    reasons,
    syllables,
    aloud: words
      .map((word) =>
        word
          .replaceAll(/\d/g, (digit) => ` ${DIGITS[Number(digit)]} `)
          .replaceAll(/\s+/g, ' ')
          .trim(),
      )
      .join(' dash '),
    spelled: [...slug]
      .map((sign) => (sign === '-' ? 'dash' : /\d/.test(sign) ? (DIGITS[Number(sign)] ?? sign) : sign.toUpperCase()))
      .join(', '),
  }
}

/** About how many beats a word has; digits are said one by one. */
function syllablesOf(word: string): number {
  const digits = word.replaceAll(/\D/g, '')
  const letters = word.replaceAll(/\d/g, '')
  const ofDigits = [...digits].reduce((sum, digit) => sum + (digit === '7' || digit === '0' ? 2 : 1), 0)
  if (letters === '') return ofDigits
  // A last E is silent ("tide") unless it stands alone ("the") or behind a consonant with L ("table").
  const heard = /[^aeiouyl]e$|[aeiouy]le$/.test(letters) && /[aeiouy].*e$/.test(letters) ? letters.slice(0, -1) : letters
  return ofDigits + Math.max(1, heard.match(/[aeiouy]+/g)?.length ?? 0)
}

/** A rude word that a slug has in it, also across its hyphens; null where it has none. */
function unfortunateIn(slug: string): { word: string; language: string } | null {
  const words = new Set(slug.split('-'))
  const joined = slug.replaceAll('-', '')
  for (const { language, whole, within } of UNFORTUNATE) {
    const found = whole.find((word) => words.has(word) || joined === word) ?? within.find((word) => joined.includes(word))
    if (found !== undefined) return { word: found, language }
  }
  return null
}
