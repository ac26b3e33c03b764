import { isTold, type Told, tell } from '../../../words/index.ts'
import {
  type CompiledPattern,
  compileExpression,
  compilePathPattern,
  encodeText,
  isConditional,
  leadsOn,
  plainPath,
  type RedirectStatus,
  type Tolerance,
  withoutEndSlashes,
} from '../../routing/index.ts'
import {
  type CodeSet,
  codeOf,
  EVERY_CODE,
  isWithin,
  lettersOf,
  type Part,
  partOf,
  type SentPath,
  sameLower,
  sentPath,
  setOf,
} from './expressions/index.ts'
import type { RedirectDraft } from './row.ts'

/** Text, and what a group of the written expression catches, by its number from 1 on. */
export type WrittenPiece = string | number

/** Where a row sends, in the form in which an address is sent (WHATWG URL). */
export interface WrittenDestination {
  /** A path of the site that was asked, from its slash on; else an absolute address. */
  readonly isInside: boolean
  /** Up to the query. */
  readonly path: readonly WrittenPiece[]
  /** Its own query with "?"; empty for none. */
  readonly query: readonly WrittenPiece[]
  /** With "#"; "" for none. */
  readonly hash: readonly WrittenPiece[]
  /** What becomes of the query that was asked with: nothing, it is put there, or behind the own one. */
  readonly asked: 'drop' | 'pass' | 'behind'
}

/** A row as other servers can say it. */
export interface WrittenRow {
  readonly draft: RedirectDraft
  /** Where it is looked for: a whole path as people read it, without slashes at its end where those make no difference, or the path as it is sent. */
  readonly match: string | SentPath
  readonly status: RedirectStatus
  /** Null where the status leads nowhere. */
  readonly to: WrittenDestination | null
}

/** Why a row cannot be said to another server, in words of its list. */
export type Unwritten = Told

const INVISIBLE = /[\p{Cc}\p{Cf}\p{Zl}\p{Zp}]/u
/** An escape of a path as people read it which is one of a delimiter or a control. */
const KEPT_ESCAPE = /^%(?:[01][0-9A-F]|2[35F]|3F|5C|7F)/
/** Of these nothing is written otherwise in a query than in a path. */
const UNRESERVED = setOf([
  [0x2d, 0x2e],
  [0x30, 0x39],
  [0x41, 0x5a],
  [0x5f, 0x5f],
  [0x61, 0x7a],
  [0x7e, 0x7e],
])
/** Groups that other servers can put in. */
const GROUPS_MAX = 9

/** @param pattern - as the row was made ready with; null for one that is found by its path @returns the row, or why it cannot be written */
export function writtenRow(draft: RedirectDraft, pattern: CompiledPattern | null, tolerance: Tolerance): WrittenRow | Unwritten {
  const { match, status, when } = draft
  if ((when.devices ?? []).length > 0) return tell('unwritten.devices')
  if (when.fromMs !== undefined || when.untilMs !== undefined) return tell('unwritten.time')
  const own = plainPath(draft.from)
  // An escape of a delimiter is the delimiter to other servers, and of slashes that follow one another only one is left.
  if (match === 'exact' && !isConditional(when) && !/%|\/\/./.test(own) && !INVISIBLE.test(own)) {
    const to = leadsOn(status) ? destinationOf(draft, { part: { kind: 'end' }, names: [] }) : null
    return isTold(to) ? to : { draft, match: tolerance.ignoresSlash ? withoutEndSlashes(own) : own, status, to }
  }
  const read = matchOf(draft, pattern, tolerance)
  if (isTold(read)) return read
  const to = leadsOn(status) ? destinationOf(draft, read) : null
  if (isTold(to)) return to
  const holes = to === null ? [] : [...to.path, ...to.query, ...to.hash].filter((piece) => typeof piece === 'number')
  if (new Set(holes).size > GROUPS_MAX) return tell('unwritten.too-many-groups', { most: GROUPS_MAX })
  const sent = sentPath(read.part, new Set(holes))
  if (sent === 'slow') return tell('unwritten.takes-for-ever')
  if (sent === 'long') return tell('unwritten.too-long')
  const numbered = (pieces: readonly WrittenPiece[]): WrittenPiece[] =>
    pieces.map((piece) => (typeof piece === 'number' ? (sent.numbers.get(piece) ?? 0) : piece))
  const written = to === null ? null : { ...to, path: numbered(to.path), query: numbered(to.query), hash: numbered(to.hash) }
  return { draft, match: sent, status, to: written }
}

/** What a row matches, of its path alone; null where that cannot be told by sets of letters. */
export function partOfRow(draft: RedirectDraft, tolerance: Tolerance): Part | null {
  const { match, from } = draft
  const compiled =
    match === 'pattern'
      ? compilePathPattern(from, tolerance.ignoresCase, tolerance.ignoresSlash)
      : match === 'expression'
        ? compileExpression(from, tolerance.ignoresCase)
        : null
  const read = matchOf(draft, compiled?.ok === true ? compiled.value : null, tolerance)
  return isTold(read) ? null : read.part
}

/** What a row matches, and the names of its groups by their number, from 0 on. */
interface Match {
  readonly part: Part
  readonly names: readonly string[]
}

const SLASH: Part = { kind: 'set', set: [[0x2f, 0x2f]] }
const ANYTHING: Part = { kind: 'repeat', part: { kind: 'set', set: EVERY_CODE }, least: 0, most: Number.POSITIVE_INFINITY, isLazy: false }
/** What comes behind a path, with its slash and without. */
const BEHIND: Part = { kind: 'group', number: 1, part: { kind: 'all', parts: [SLASH, { kind: 'group', number: 2, part: ANYTHING }] } }

function matchOf(
  { match, from }: RedirectDraft,
  pattern: CompiledPattern | null,
  { ignoresCase, ignoresSlash }: Tolerance,
): Match | Unwritten {
  if (match === 'pattern' || match === 'expression') {
    const part = pattern === null ? null : partOf(pattern.source, ignoresCase)
    return pattern !== null && part !== null ? { part, names: pattern.names } : tell('unwritten.expression')
  }
  const plain = plainPath(from)
  if (INVISIBLE.test(plain)) return tell('unwritten.unseen-sign')
  const path = match === 'under' || ignoresSlash ? withoutEndSlashes(plain) : plain
  const isRoot = match === 'under' && path === '/'
  const text = isRoot ? [] : lettersOfPath(path, ignoresCase)
  if (text === null) return tell('unwritten.path-letters')
  const behind: readonly Part[] =
    match === 'under'
      ? [isRoot ? BEHIND : { kind: 'repeat', part: BEHIND, least: 0, most: 1, isLazy: false }]
      : ignoresSlash
        ? [{ kind: 'repeat', part: SLASH, least: 0, most: Number.POSITIVE_INFINITY, isLazy: false }]
        : []
  return {
    part: { kind: 'all', parts: [{ kind: 'begin' }, ...text, ...behind, { kind: 'end' }] },
    names: match === 'under' ? ['rest', ''] : [],
  }
}

/** A path as people read it, letter by letter; null where one of its escapes can mean nothing to another server. */
function lettersOfPath(written: string, ignoresCase: boolean): Part[] | null {
  const out: Part[] = []
  const push = (set: CodeSet): void => void out.push({ kind: 'set', set })
  // As a whole: what a letter becomes may be up to where it stands.
  const path = ignoresCase ? written.toLowerCase().replace(/%[0-9a-f]{2}/g, (escaped) => escaped.toUpperCase()) : written
  if (path.length !== written.length) return null
  for (let at = 0; at < path.length; ) {
    const code = path.codePointAt(at) ?? 0
    const char = String.fromCodePoint(code)
    if (char === '%') {
      const kept = KEPT_ESCAPE.exec(path.slice(at, at + 3))
      if (kept === null) return null
      for (const each of kept[0]) push(sameLower(codeOf(each)))
      at += 3
    } else {
      push(ignoresCase ? sameLower(code) : [[code, code]])
      at += char.length
    }
  }
  return out
}

/** A text in letters, of which none is in another, so that it can be found again in an address. */
function markIn(to: string): string {
  for (let n = 0; ; n++) if (!to.toLowerCase().includes(`zq${n}z`)) return `zq${n}z`
}

function destinationOf({ match, to, query }: RedirectDraft, { part, names }: Match): WrittenDestination | Unwritten {
  const pieces = piecesOf({ match, to }, names)
  if (pieces === null) return tell('unwritten.group')
  const isInside = to.startsWith('/') && !to.startsWith('//')
  // Every hole is a word for a while, so that the address is put in its form as a whole, as it is here.
  const mark = markIn(to)
  const marked = pieces.map((piece) => (typeof piece === 'number' ? `${mark}${piece}q` : piece)).join('')
  const url = urlOf(isInside ? marked.replace(/^\/{2,}/, '/') : marked)
  if (url === null) return tell('unwritten.no-address')
  const again = (text: string): WrittenPiece[] =>
    text
      .split(new RegExp(`${mark}(\\d+)q`))
      .map((each, i) => (i % 2 === 1 ? Number(each) : each))
      .filter((each) => each !== '')
  const head = url.href.slice(isInside ? url.origin.length : 0, url.href.length - url.search.length - url.hash.length)
  const out = { isInside, path: again(head), query: again(url.search), hash: again(url.hash) }
  const holes = [...out.path, ...out.query, ...out.hash].filter((piece) => typeof piece === 'number')
  if (holes.join(' ') !== pieces.filter((piece) => typeof piece === 'number').join(' ')) return tell('unwritten.changes-path')
  for (const piece of [...out.query, ...out.hash])
    if (typeof piece === 'number' && !isWithin(lettersOf(part, piece) ?? EVERY_CODE, UNRESERVED)) return tell('unwritten.catch-in-query')
  if (/[?]$|[?]#/.test(url.href) && query !== 'drop') return tell('unwritten.empty-query')
  if (out.hash.some((piece) => typeof piece === 'number')) return tell('unwritten.catch-behind-fragment')
  if (query === 'merge' && url.search !== '') return tell('unwritten.merges-query')
  return { ...out, asked: query === 'drop' ? 'drop' : url.search === '' ? 'pass' : 'behind' }
}

function urlOf(text: string): URL | null {
  try {
    return new URL(text, 'http://site.invalid')
  } catch {
    return null
  }
}

/** A destination in pieces, by the numbers of `Match`; null where it takes a group that there is not. */
function piecesOf({ match, to }: Pick<RedirectDraft, 'match' | 'to'>, names: readonly string[]): readonly WrittenPiece[] | null {
  const pieces: WrittenPiece[] = []
  let from = 0
  let isHoled = false
  for (const found of to.matchAll(/\$(?:\$|(\d{1,2})|([A-Za-z_]\w*)|\{(\w+)\})/g)) {
    pieces.push(to.slice(from, found.index))
    from = found.index + found[0].length
    if (found[0] === '$$') {
      pieces.push('$')
      continue
    }
    const word = found[1] ?? found[2] ?? found[3] ?? ''
    // Of "under" the first group is what is behind the path without its slash, which is written as the second.
    const group =
      match === 'under' ? (word === 'rest' ? 1 : word === '1' ? 2 : 0) : /^\d+$/.test(word) ? Number(word) : names.indexOf(word) + 1
    if (group < 1 || group > names.length) return null
    pieces.push(group)
    isHoled = true
  }
  pieces.push(to.slice(from))
  if (match === 'under' && !isHoled && to.endsWith('/')) pieces.push(2)
  return pieces.filter((piece) => piece !== '')
}

const ESCAPED_SIGN = /[\\^$.*+?()[\]{}|]/g
/** Text in an expression, inside of quotes or not. */
export const escapedText = (text: string): string =>
  text.replace(ESCAPED_SIGN, '\\$&').replace(/\\\\/g, '\\x5C').replace(/\\\$/g, '\\x24').replaceAll('"', '\\x22').replaceAll('#', '\\x23')

/** A parameter's name or value in whatever way it is sent (WHATWG URL, application/x-www-form-urlencoded). */
const sentText = (text: string, isName: boolean): string =>
  [...text]
    .map((char) => {
      const escapes = encodeText(char).startsWith('%') ? encodeText(char) : `%${codeOf(char).toString(16).toUpperCase().padStart(2, '0')}`
      const escaped = escapes.replace(/[A-F]/g, (digit) => `[${digit}${digit.toLowerCase()}]`)
      if (char === ' ') return `(?:\\+|${escaped})`
      return /[&+#%]/.test(char) || (char === '=' && isName) || codeOf(char) < 0x21 || codeOf(char) > 0x7e
        ? escaped
        : `(?:${escapedText(char)}|${escaped})`
    })
    .join('')

/** What the query of a row with conditions has to match, each of them: from behind its "?" to its end, as the whole of it. */
export function queryTests({ when: { query = [], noOtherQuery } }: RedirectDraft): string[] {
  const tests = query.map(({ name, value }) => {
    const pair = value === null ? '(?:=[^& ]*)?' : value === '' ? '=?' : `=${sentText(value, false)}`
    return `(?:[^ ]*&)?${sentText(name, true)}${pair}(?:&[^ ]*)?`
  })
  if (noOtherQuery !== true) return tests
  const names = `(?:${query.map(({ name }) => sentText(name, true)).join('|')})(?:=[^& ]*)?`
  return [...tests, query.length === 0 ? '' : `${names}(?:&${names})*`]
}

/** What a header of languages matches in which one of them comes first; null where any will do. */
export const languageTest = ({ when: { languages = [] } }: RedirectDraft): string | null =>
  languages.length === 0 ? null : `[ \\t]*(?:${languages.join('|')})(?:[-;, \\t]|$)`
