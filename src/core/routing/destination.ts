import { parseUrl } from '../address/index.ts'
import { fail, ok, type Result } from '../result.ts'
import { encodedPath, encodeText, isPlain } from './path.ts'
import type { QueryHabit } from './redirect.ts'

/** A destination with holes for what groups caught, ready to be filled. */
export interface CompiledDestination {
  /**
   * @param caught - by number, from 0 on
   * @param query - as asked for, without "?"; "" for none
   * @param origin - of the host that was asked, for a path of the site
   * @returns absolute, ASCII (RFC 9110 §10.2.2); null where what was caught makes no address of it, or a longer one than is sent
   */
  fill(caught: readonly string[], query: string, origin: string): string | null
  /** Where it leads whatever was caught, asked and where; null where that makes a difference. */
  readonly always: string | null
}

export type DestinationFault = 'destination-unreadable' | 'destination-refused' | 'destination-group-unknown' | 'destination-holes'

/** Most holes of a destination, and longest filled one, inclusive: RFC 9110 §4.1 asks everybody to handle 8,000 octets at least. */
export const HOLES_MAX = 20
export const FILLED_MAX_CHARS = 8_192

type Piece = { readonly text: string } | { readonly group: number }

/** "$1", "$name", "${name}", and "$$" for the sign itself. */
const HOLE = /\$(?:\$|(\d{1,2})|([A-Za-z_]\w*)|\{(\w+)\})/g

/** Only the web: what else an address can begin with runs something, or leads where no browser goes by itself. */
const SCHEME = /^([a-z][a-z0-9+.-]*):/i

/**
 * Makes a destination ready.
 * @param to - see `Redirect.to`
 * @param names - of the groups that can be named, by number from 0 on
 * @param appends - what the first group caught goes to the end of a destination that ends with "/"
 */
export function compileDestination(
  to: string,
  { names, appends, query: habit }: { names: readonly string[]; appends: boolean; query: QueryHabit },
): Result<CompiledDestination, DestinationFault> {
  const pieces = read(to, names)
  if (!pieces.ok) return pieces
  const hasHoles = pieces.value.some((piece) => 'group' in piece)
  if (pieces.value.filter((piece) => 'group' in piece).length > HOLES_MAX) return fail('destination-holes', { most: HOLES_MAX })
  const whole: readonly Piece[] = appends && !hasHoles && to.endsWith('/') ? [...pieces.value, { group: 0 }] : pieces.value
  const isInside = to.startsWith('/') && !to.startsWith('//')
  const scheme = SCHEME.exec(to)?.[1]?.toLowerCase()
  if (!isInside && scheme !== 'http' && scheme !== 'https') return fail('destination-refused', { to })
  // What is caught must not choose the site: the host stands before the first hole.
  const first = whole[0]
  const head = first === undefined || !('text' in first) ? '' : first.text
  if (!isInside && whole.length > 1 && !/^https?:\/\/[^/?#]+[/?#]/i.test(head)) return fail('destination-refused', { to })
  const isPlainPath = isInside && whole.length === 1 && isPlain(head)
  if (!isPlainPath && parseUrl(pieces.value.map((piece) => ('text' in piece ? piece.text : 'x')).join(''), 'http://site.invalid') === null)
    return fail('destination-unreadable', { to })
  const fill: CompiledDestination['fill'] = (caught, query, origin) => {
    if (isPlainPath && (query === '' || habit === 'drop') && head.length <= FILLED_MAX_CHARS - origin.length) return origin + head
    let address = ''
    let isInQuery = false
    for (const piece of whole) {
      if ('text' in piece) {
        address += piece.text
        isInQuery ||= /[?#]/.test(piece.text)
      } else address += isInQuery ? inQuery(caught[piece.group] ?? '') : encodedPath(caught[piece.group] ?? '')
      // Looked at piece by piece: what is too long is not made first.
      if (address.length > FILLED_MAX_CHARS) return null
    }
    // A path that begins with what was caught must not be read as another host.
    if (isInside) address = origin + address.replace(/^\/{2,}/, '/')
    const url = parseUrl(address)
    if (url === null || (!isInside && url.protocol !== 'https:' && url.protocol !== 'http:')) return null
    if (query !== '' && habit !== 'drop') {
      if (query.length > FILLED_MAX_CHARS) return null
      withQuery(url, query, habit)
    }
    return url.href.length > FILLED_MAX_CHARS ? null : url.href
  }
  const isConstant = !isInside && whole.every((piece) => 'text' in piece) && habit === 'drop'
  return ok({ fill, always: isConstant ? fill([], '', '') : null })
}

function read(to: string, names: readonly string[]): Result<readonly Piece[], DestinationFault> {
  if (!to.includes('$')) return ok([{ text: to }])
  const pieces: Piece[] = []
  let from = 0
  let text = ''
  for (const found of to.matchAll(HOLE)) {
    text += to.slice(from, found.index)
    from = found.index + found[0].length
    const [hole, digits, name, braced] = found
    if (hole === '$$') {
      text += '$'
      continue
    }
    const word = digits ?? name ?? braced ?? ''
    const group = /^\d+$/.test(word) ? Number(word) - 1 : names.indexOf(word)
    if (group < 0 || group >= names.length) return fail('destination-group-unknown', { group: hole, groups: names.length })
    if (text !== '') pieces.push({ text })
    text = ''
    pieces.push({ group })
  }
  text += to.slice(from)
  return ok(text === '' && pieces.length > 0 ? pieces : [...pieces, { text }])
}

/** What was caught of a path, as a value in a query: escapes that it has stay escapes. */
const inQuery = (plain: string): string =>
  plain.replace(/[^A-Za-z0-9\-._~%]+/gu, (run) => encodeText(run)).replace(/%(?![0-9A-Fa-f]{2})/g, '%25')

/** Puts the query that was asked with behind a destination's own. */
export function withQuery(url: URL, query: string, habit: 'pass' | 'merge'): void {
  const own = url.search.slice(1)
  const nameOf = (pair: string): string => decodedName(pair.split('=', 1)[0] ?? '')
  const set = new Set(own === '' ? [] : own.split('&').map(nameOf))
  const asked =
    habit === 'pass' || own === ''
      ? query
      : query
          .split('&')
          .filter((pair) => pair !== '' && !set.has(nameOf(pair)))
          .join('&')
  if (asked !== '') url.search = own === '' ? asked : `${own}&${asked}`
}

/** A parameter's name or value as a form reads it (WHATWG URL, application/x-www-form-urlencoded). */
export function decodedName(text: string): string {
  try {
    return decodeURIComponent(text.replaceAll('+', ' '))
  } catch {
    return text
  }
}
