import { decodeHTML } from 'entities'
import { shownPlaces } from '../markup/index.ts'

/**
 * The source of a text, unit by unit: what a text shows says nothing of where it came from, since references are longer
 * than what they stand for and white space is folded. It is never worked out anew from what is shown.
 */
export interface Ink {
  readonly raw: string
  /** Where in `raw` each shown code unit begins, and where the last one ends. Equal neighbours are one reference. */
  readonly at: readonly number[]
}

const decoded = (raw: string): string => {
  const plain = raw.includes('\r') || raw.includes('\0') ? raw.replace(/\r\n?/g, '\n').replaceAll('\0', '') : raw
  return plain.includes('&') ? decodeHTML(plain) : plain
}
const folded = (text: string): string => text.replace(/[\t\n\f\r ]+/g, ' ')

/**
 * What a run of source text shows.
 * @param endsInSpace - white space at its start is folded into white space before it
 * @param isVerbatim - white space is kept, as in `pre`
 */
export function shownText(raw: string, endsInSpace: boolean, isVerbatim: boolean): string {
  const text = decoded(raw)
  if (isVerbatim) return text
  const shown = folded(text)
  return endsInSpace && shown.startsWith(' ') ? shown.slice(1) : shown
}

/** The ink of a text as it was read. `shown` must be what {@link shownText} answered, perhaps without a space at its end. */
export function readInk(raw: string, shown: string, isVerbatim: boolean): Ink {
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
  return { raw, at }
}

const isFolded = (c: string): boolean => c === ' ' || c === '\n' || c === '\t' || c === '\f' || c === '\r'

const REFERENCES: Readonly<Record<string, string>> = { '&': '&amp;', '<': '&lt;', '\u00a0': '&nbsp;', '\0': '', '\r': '&#13;' }

/** The ink of words that were written here. */
export function freshInk(text: string): Ink {
  const at: number[] = []
  let raw = ''
  for (let i = 0; i < text.length; i++) {
    at.push(raw.length)
    const unit = text.charAt(i)
    raw += REFERENCES[unit] ?? unit
  }
  at.push(raw.length)
  return { raw, at }
}

/**
 * The ink of `text`, of which everything but a stretch in its middle came from an older text.
 * @param head - units taken over from the start of `before`
 * @param tail - units taken over from its end
 */
export function inheritedInk(old: Ink, before: string, text: string, head: number, tail: number, isVerbatim: boolean): Ink {
  const start = wholeBefore(old, before, head)
  const end = before.length - wholeBehind(old, before, tail)
  const middle = freshInk(text.slice(start, text.length - (before.length - end)))
  const [from, to] = [old.at[start] ?? 0, old.at[end] ?? old.raw.length]
  const raw = old.raw.slice(0, from) + middle.raw + old.raw.slice(to)
  const at = [
    ...old.at.slice(0, start),
    ...middle.at.slice(0, -1).map((place) => place + from),
    ...old.at.slice(end).map((place) => place - to + from + middle.raw.length),
  ]
  return isSound(raw, text, isVerbatim) ? { raw, at } : freshInk(text)
}

/** The most units before `units` that end where a whole character or reference does. */
function wholeBefore({ at }: Ink, text: string, units: number): number {
  let start = units
  while (start > 0 && !isWholeAt(at, text, start)) start--
  return start
}
function wholeBehind({ at }: Ink, text: string, units: number): number {
  let tail = units
  while (tail > 0 && !isWholeAt(at, text, text.length - tail)) tail--
  return tail
}
const isWholeAt = (at: readonly number[], text: string, unit: number): boolean =>
  unit === 0 || unit === text.length || (at[unit] !== at[unit - 1] && !/[\uD800-\uDBFF]/.test(text.charAt(unit - 1)))

/** What was put together must read as the text: "&" before "amp;", or "<" before a letter, would become something else. */
export function isSound(raw: string, text: string, isVerbatim: boolean): boolean {
  if (/<[a-z/!?]/i.test(raw)) return false
  const read = decoded(raw)
  const wanted = text.replace(/\r\n?/g, '\n').replaceAll('\0', '')
  return isVerbatim ? read === wanted : folded(read).trim() === folded(wanted).trim()
}

/** What stands between the pieces of a line that are not text, where white space is looked at. */
const BREAK = '\u2028'
const OBJECT = '\ufffc'

/** A piece of a line: its text, or what it is for the white space beside it. */
export type Piece = { readonly text: string } | 'break' | 'object' | 'unseen'

/**
 * The units of a line that are white space and that a browser would fold: they have to be held, as no-break spaces. Of
 * several in a row the last one stays, so that a line can break there; a space that ends a line is not shown anyway.
 * @returns for each piece the units in it; null where none is
 */
export function heldSpaces(pieces: readonly Piece[]): readonly ReadonlySet<number>[] | null {
  const line = pieces
    .map((piece) => (typeof piece === 'object' ? piece.text : piece === 'break' ? BREAK : piece === 'object' ? OBJECT : ''))
    .join('')
  if (!/[\t\n\f\r ]{2}|(?:^|\u2028)[\t\n\f\r ]/.test(line)) return null
  const held = new Set<number>()
  for (const run of line.matchAll(/[\t\n\f\r ]+/g)) {
    const isFirst = run.index === 0 || line.charAt(run.index - 1) === BREAK
    for (let i = 0; i < run[0].length - (isFirst ? 0 : 1); i++) held.add(run.index + i)
  }
  let at = 0
  return pieces.map((piece) => {
    const length = typeof piece === 'object' ? piece.text.length : piece === 'unseen' ? 0 : 1
    const own = new Set<number>()
    for (let i = 0; i < length; i++) if (held.has(at + i)) own.add(i)
    at += length
    return own
  })
}

/** Ink with some of its spaces held, and without the folded white space around it where that would show. */
export function inkHolding(
  ink: Ink,
  held: ReadonlySet<number> | undefined,
  keeps: { readonly lead: boolean; readonly trail: boolean },
): Ink {
  const { raw, at } = ink
  const units = at.length - 1
  const [first, last] = [at[0] ?? 0, at[units] ?? raw.length]
  const isWhole = (keeps.lead || first === 0) && (keeps.trail || last === raw.length)
  if (isWhole && (held === undefined || held.size === 0)) return ink
  let out = keeps.lead ? raw.slice(0, first) : ''
  const places: number[] = []
  for (let i = 0; i < units; i++) {
    places.push(out.length)
    // Units of one reference begin at one place: the last of them carries it.
    out += held?.has(i) === true ? '&nbsp;' : raw.slice(at[i], at[i + 1])
  }
  for (let i = 1; i < units; i++) if (at[i] === at[i - 1]) places[i] = places[i - 1] ?? 0
  places.push(out.length)
  return { raw: out + (keeps.trail ? raw.slice(last) : ''), at: places }
}
