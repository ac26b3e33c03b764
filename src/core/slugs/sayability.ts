import { type Told, tell } from '../../words/index.ts'
import { UNFORTUNATE } from './unfortunate.ts'

/** Something that makes a slug easier or harder to say, hear and type. */
export interface SayReason {
  readonly what: Told
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
const UNSPOKEN: readonly (readonly [pattern: RegExp, what: Told])[] = [
  [/ough|augh/, tell('say.ough')],
  [/igh|eigh/, tell('say.gh')],
  [/(?:^|-)kn/, tell('say.kn')],
  [/(?:^|-)wr/, tell('say.wr')],
  [/(?:^|-)ps|(?:^|-)pn/, tell('say.p-first')],
  [/mb(?:$|-)/, tell('say.mb')],
  [/ph/, tell('say.ph')],
  [/sch|tsch/, tell('say.sch')],
  [/rh/, tell('say.rh')],
  [/sc(?=[eiy])/, tell('say.sc')],
  [/x/, tell('say.x')],
  [/q(?!u)/, tell('say.q')],
]
/** Doubled letters are heard as one. "ss", "ll" and "oo", "ee" at the end of common words are what people expect. */
const DOUBLED = /([bcdfgkmnprtvz])\1/

/** Signs that the eye takes for each other. */
const LOOK_ALIKE: readonly (readonly [pattern: RegExp, what: Told])[] = [
  [/[a-z]0|0[a-z]/, tell('say.zero')],
  [/[a-z]1|1[a-z]/, tell('say.one')],
  [/[a-z]5|5[a-z]/, tell('say.five')],
  [/rn/, tell('say.rn')],
  [/vv/, tell('say.vv')],
  [/cl(?=[aou])/, tell('say.cl')],
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
  const costs = (points: number, what: Told): void => {
    score -= points
    reasons.push({ what, isGood: false })
  }
  const gains = (what: Told): void => void reasons.push({ what, isGood: true })
  const unfortunate = unfortunateIn(slug)
  if (unfortunate !== null) costs(70, tell('say.rude', { word: unfortunate.word, language: unfortunate.language }))
  if (syllables > SYLLABLES_GOOD) costs(Math.min(40, (syllables - SYLLABLES_GOOD) * 7), tell('say.syllables', { count: syllables }))
  else gains(syllables === 1 ? tell('say.one-syllable') : tell('say.few-syllables', { count: syllables }))
  if (letters > LETTERS_GOOD) costs(Math.min(30, (letters - LETTERS_GOOD) * 2), tell('say.letters', { count: letters }))
  else if (letters < 3) costs(10, tell('say.too-short'))
  else gains(tell('say.few-letters', { count: letters }))
  if (dashes > 1) costs((dashes - 1) * 10, tell('say.hyphens', { count: dashes }))
  else if (dashes === 1) score -= 3
  if (/\d/.test(slug)) costs(12, tell('say.number'))
  for (const [pattern, what] of UNSPOKEN) if (pattern.test(slug)) costs(12, what)
  const doubled = DOUBLED.exec(slug)?.[1]
  if (doubled !== undefined) costs(6, tell('say.doubled', { letter: doubled.toUpperCase() }))
  for (const [pattern, what] of LOOK_ALIKE) if (pattern.test(slug)) costs(8, what)
  if (!/[aeiouy]/.test(slug.replaceAll(/[\d-]/g, ''))) costs(25, tell('say.no-vowel'))
  else if (/[bcdfghjklmnpqrstvwxz]{5,}/.test(slug)) costs(12, tell('say.consonants'))
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
