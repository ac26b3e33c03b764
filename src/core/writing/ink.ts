import { decodeHTML } from 'entities'
import { shownPlaces } from '../markup/index.ts'

/** A text as a browser shows it between other words: references decoded, white space folded, and where each unit came from. */
export interface Ink {
  readonly shown: string
  /** Source offset of every shown code unit, and of the end. */
  readonly at: readonly number[]
}

const decoded = (raw: string): string => {
  const plain = raw.includes('\r') || raw.includes('\0') ? raw.replace(/\r\n?/g, '\n').replaceAll('\0', '') : raw
  return plain.includes('&') ? decodeHTML(plain) : plain
}

/**
 * What a run of source text shows.
 * @param endsInSpace - white space at its start is folded into white space before it
 * @param isVerbatim - white space is kept, as in `pre`
 */
export function shownText(raw: string, endsInSpace: boolean, isVerbatim: boolean): string {
  const text = decoded(raw)
  if (isVerbatim) return text
  const folded = text.replace(/[\t\n\f\r ]+/g, ' ')
  return endsInSpace && folded.startsWith(' ') ? folded.slice(1) : folded
}

/** Maps what `raw` shows back to it. `shown` must be what {@link shownText} answered, perhaps without a space at its end. */
export function inkOf(raw: string, shown: string, isVerbatim: boolean): Ink {
  const places = shownPlaces(raw)
  const full = decoded(raw)
  const at: number[] = []
  let unit = 0
  for (let i = 0; i < shown.length; i++) {
    const isSpace = !isVerbatim && shown.charAt(i) === ' '
    if (!isVerbatim && !isSpace) while (isFolded(full.charAt(unit))) unit++
    at.push(places[unit] ?? raw.length)
    unit++
    if (isSpace) while (isFolded(full.charAt(unit))) unit++
  }
  at.push(places[unit] ?? raw.length)
  return { shown, at }
}

const isFolded = (c: string): boolean => c === ' ' || c === '\n' || c === '\t' || c === '\f' || c === '\r'

/** Writes text as source. A browser folds white space, so spaces in a row are held apart. */
export function escapeText(text: string, isVerbatim: boolean): string {
  const safe = text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('\u00a0', '&nbsp;')
  return isVerbatim ? safe : safe.replace(/ {2,}/g, (spaces) => `${'&nbsp;'.repeat(spaces.length - 1)} `)
}
