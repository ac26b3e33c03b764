import {
  type CompiledPattern,
  compileExpression,
  compilePathPattern,
  encodedPath,
  encodeText,
  plainPath,
  type QueryHabit,
  type Redirect,
  type Tolerance,
} from '../../routing/index.ts'
import type { RedirectDraft } from './row.ts'

/** What another server is to match with its own expressions: the path as people read it, from its beginning to its end where that is fixed. */
export interface WrittenMatch {
  readonly source: string
  /** Names of its groups in their order; "" for one without. */
  readonly names: readonly string[]
}

export const escapedText = (text: string): string => text.replace(/[\\^$.*+?()[\]{}|#"]/g, '\\$&')

/** A row's way of matching as one expression (PCRE, of which RE2's syntax is a part); null where it cannot be compiled. */
export function expressionOf(
  { match, from }: Pick<Redirect, 'match' | 'from'>,
  { ignoresCase, ignoresSlash }: Tolerance,
): WrittenMatch | null {
  if (match === 'pattern' || match === 'expression') {
    const compiled = match === 'pattern' ? compilePathPattern(from, ignoresCase, ignoresSlash) : compileExpression(from, ignoresCase)
    return compiled.ok ? ofPattern(compiled.value) : null
  }
  const path = plainPath(from).replace(/(.)\/+$/, ignoresSlash || match === 'under' ? '$1' : '$&')
  const text = escapedText(path === '/' ? '' : path)
  if (match === 'exact') return { source: `^${path === '/' ? '/' : `${text}${ignoresSlash ? '/*' : ''}`}$`, names: [] }
  return { source: path === '/' ? '^(/(.*))$' : `^${text}(/(.*))?$`, names: ['rest', ''] }
}

const ofPattern = ({ source, names }: CompiledPattern): WrittenMatch => ({ source, names })

/** A destination in pieces: text, and what a group of the written expression catches, by its number from 1 on. */
export type WrittenPiece = string | number

/** @returns null where it takes a group in a way that cannot be written */
export function piecesOf({ match, to }: Pick<Redirect, 'match' | 'to'>, { names }: WrittenMatch): readonly WrittenPiece[] | null {
  const pieces: WrittenPiece[] = []
  let from = 0
  let isHoled = false
  const text = (part: string): void => {
    if (part !== '') pieces.push(part)
  }
  for (const found of to.matchAll(/\$(?:\$|(\d{1,2})|([A-Za-z_]\w*)|\{(\w+)\})/g)) {
    text(to.slice(from, found.index))
    from = found.index + found[0].length
    if (found[0] === '$$') {
      text('$')
      continue
    }
    const word = found[1] ?? found[2] ?? found[3] ?? ''
    // Of "under" the first group is what is behind the path without its slash, which is written as the second.
    const group =
      match === 'under' ? (word === 'rest' ? 1 : word === '1' ? 2 : 0) : /^\d+$/.test(word) ? Number(word) : names.indexOf(word) + 1
    if (group < 1 || group > names.length || group > 9) return null
    pieces.push(group)
    isHoled = true
  }
  text(to.slice(from))
  if (match === 'under' && !isHoled && to.endsWith('/')) pieces.push(2)
  return pieces
}

/** How a query is treated, in words that both servers have; null where only we can say it. */
export function habitOf(query: QueryHabit, to: string): 'drop' | 'pass' | 'behind' | null {
  if (query === 'drop') return 'drop'
  if (!to.includes('?')) return 'pass'
  return query === 'pass' ? 'behind' : null
}

/** Why a condition cannot be written for another server; null where it can. */
export function conditionFault({ when }: RedirectDraft): string | null {
  if ((when.devices ?? []).length > 0) return 'It is for some devices alone.'
  if (when.fromMs !== undefined || when.untilMs !== undefined) return 'It answers in a certain time alone.'
  return null
}

/** A destination with all in ASCII. */
export function asAddress(to: string): string {
  const at = to.search(/[?#]/)
  return at === -1 ? encodedPath(to) : encodedPath(to.slice(0, at)) + to.slice(at).replace(/[^\x21-\x7e]+/gu, (run) => encodeText(run))
}
