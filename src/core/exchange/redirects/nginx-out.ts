import { encodeText, isConditional, leadsOn, plainPath, REDIRECT_STATUSES, type Tolerance } from '../../routing/index.ts'
import { commentsOf, inOrder } from './httpd-out.ts'
import type { RedirectDraft, Unsaid } from './row.ts'
import { asAddress, conditionFault, escapedText, expressionOf, habitOf, piecesOf } from './written.ts'

/** A row as an entry of a map: what is looked up, and where it leads. */
interface Entry {
  readonly key: string
  readonly status: number
  readonly to: string
  /** Of a row that puts in what it caught: the expression and the destination of its rewrite, which the map sends to. */
  readonly rewrite?: { readonly source: string; readonly to: string }
}

/** What the map says of it: its status, or the name of its rewrite. */
interface Answering extends Entry {
  readonly answer: string
}

/**
 * Writes rows as configuration of nginx: maps for the http block, and, as comments at the end, the lines that the server
 * block needs. What cannot be written there is told, and stands in the file as a comment.
 * @param drafts - in the order of the table
 * @param hosts - that the site's pages stand on
 */
export function writeNginx(
  drafts: readonly RedirectDraft[],
  { tolerance, hosts }: { tolerance: Tolerance; hosts: readonly string[] },
): { text: string; unsaid: readonly Unsaid[] } {
  const unsaid: Unsaid[] = []
  const rewrites: string[] = []
  const conditional: Answering[] = []
  const byHost = new Map<string, Answering[]>(hosts.map((host) => [host, []]))
  const taken = new Map<string, Set<string>>(hosts.map((host) => [host, new Set()]))
  for (const draft of inOrder(drafts, tolerance)) {
    const read = entryOf(draft, tolerance)
    if (typeof read === 'string') {
      unsaid.push({ draft, reason: read })
      continue
    }
    const entry = { ...read, answer: read.rewrite === undefined ? String(read.status) : `r${rewrites.length + 1}` }
    if (read.rewrite !== undefined) {
      const { source, to } = read.rewrite
      const flag = read.status === 301 ? 'permanent' : 'redirect'
      rewrites.push(`#server if ($maprope_status = ${entry.answer}) { rewrite "${source}" "${to}" ${flag}; }`)
    }
    if (isConditional(draft.when)) conditional.push(entry)
    else
      for (const host of draft.hosts.length === 0 ? hosts : draft.hosts) {
        // Keys of a map are there once, and the first of them is the one that is asked.
        for (const key of keysOf(draft, entry, tolerance)) {
          if (taken.get(host)?.has(key.toLowerCase()) !== false) continue
          taken.get(host)?.add(key.toLowerCase())
          byHost.get(host)?.push({ ...entry, key })
        }
      }
  }
  const lines: string[] = []
  const map = (of: string, name: string, entries: readonly (readonly [key: string, value: string])[]): void => {
    lines.push(`map ${of} $${name} {`, '  default "";', ...entries.map(([key, value]) => `  "${key}" "${value}";`), '}')
  }
  const number = new Map([...byHost.keys()].map((host, i) => [host, i + 1]))
  for (const [host, entries] of byHost) {
    map(
      '$uri',
      `maprope_status_${number.get(host)}`,
      entries.map(({ key, answer }) => [key, answer]),
    )
    map(
      '$uri',
      `maprope_to_${number.get(host)}`,
      entries.map(({ key, to }) => [key, to]),
    )
  }
  const perHost = (what: string) => [...byHost.keys()].map((host): [string, string] => [host, `$maprope_${what}_${number.get(host)}`])
  map('$host', 'maprope_status_plain', perHost('status'))
  map('$host', 'maprope_to_plain', perHost('to'))
  // The path stands last: what a request can put before it holds no blank.
  const WHOLE = '"$host ?&$args& $http_accept_language | $uri"'
  map(
    WHOLE,
    'maprope_status_if',
    conditional.map(({ key, answer }) => [key, answer]),
  )
  map(
    WHOLE,
    'maprope_to_if',
    conditional.map(({ key, to }) => [key, to]),
  )
  lines.push('map $maprope_status_if $maprope_status { "" $maprope_status_plain; default $maprope_status_if; }')
  lines.push('map $maprope_status_if $maprope_to { "" $maprope_to_plain; default $maprope_to_if; }')
  lines.push('map $args $maprope_and { "" ""; default "&$args"; }')
  const used = REDIRECT_STATUSES.filter((status) =>
    [...byHost.values(), conditional].some((entries) => entries.some((each) => each.answer === String(status))),
  )
  const text = [
    '# Redirects for nginx. Include this file in the http block; the lines at its end go into the server block.',
    '# Published pages are not known here: a row answers wherever it matches.',
    'map_hash_max_size 262144;',
    'map_hash_bucket_size 1024;',
    ...lines,
    '# ---- Into the server block:',
    '#server merge_slashes off;',
    ...rewrites,
    ...used.map((status) => `#server if ($maprope_status = ${status}) { return ${status}${leadsOn(status) ? ' $maprope_to' : ''}; }`),
    ...commentsOf(unsaid),
  ]
  return { text: `${text.join('\n')}\n`, unsaid }
}

/** Of an exact row the paths themselves, which a map finds at once; of others their expression. */
function keysOf({ match, from }: RedirectDraft, { key }: Entry, { ignoresCase, ignoresSlash }: Tolerance): string[] {
  if (match !== 'exact' || !ignoresCase) return [key]
  const path = plainPath(from)
  // Case of other letters than those of ASCII is nothing that nginx knows of.
  const bare = ignoresSlash ? path.replace(/(.)\/+$/, '$1') : path
  return (bare === '/' || !ignoresSlash ? [bare] : [bare, `${bare}/`]).map((each) => quoted(each.replace(/^[~\\]/, '\\$&')))
}

/** @returns the entry of one row, or why it cannot be written */
function entryOf(draft: RedirectDraft, tolerance: Tolerance): Entry | string {
  const { when, status, to } = draft
  const fault = conditionFault(draft)
  if (fault !== null) return fault
  const match = expressionOf(draft, tolerance)
  if (match === null || /\p{Cc}/u.test(match.source + to)) return 'Its expression cannot be written.'
  const isAsked = isConditional(when)
  if (isAsked && !match.source.startsWith('^')) return 'It has a condition, and an expression that begins anywhere.'
  const key = `~${tolerance.ignoresCase ? '*' : ''}${isAsked ? conditionOf(draft) + match.source.slice(1) : match.source}`
  if (!leadsOn(status)) return { key: quoted(key), status, to: '' }
  const habit = habitOf(draft.query, to)
  if (habit === null) return 'It merges the query with one of its own.'
  const pieces = piecesOf(draft, match)
  if (pieces === null) return 'Its destination takes a group that cannot be written.'
  if (to.includes('#') && habit !== 'drop') return 'The query would be put behind its “#”.'
  const isCaught = pieces.some((piece) => typeof piece === 'number')
  if (isCaught && /[?#]/.test(to)) return 'It puts what was caught beside a query, which nginx does not encode.'
  if (isCaught && status !== 301 && status !== 302) return `nginx encodes what was caught only where it answers 301 or 302, not ${status}.`
  if (pieces.some((piece) => typeof piece === 'string' && piece.includes('$'))) return 'nginx cannot write “$”.'
  const dest = pieces.map((piece) => (typeof piece === 'number' ? `$${piece}` : asAddress(piece))).join('')
  const whole = quoted(dest.startsWith('/') ? `$scheme://$http_host${dest}` : dest)
  // What a map or "return" puts in stands there decoded, line ends and all; what a rewrite catches, it encodes. It adds the query by itself.
  if (isCaught) {
    const source = quoted(`${tolerance.ignoresCase ? '(?i)' : ''}${match.source}`)
    return { key: quoted(key), status, to: '', rewrite: { source, to: `${whole}${habit === 'drop' ? '?' : ''}` } }
  }
  const tail = habit === 'drop' ? '' : habit === 'pass' ? '$is_args$args' : '$maprope_and'
  return { key: quoted(key), status, to: whole + tail }
}

/** What stands before the path in the text that rows with conditions are looked up by. */
function conditionOf({ hosts, when }: RedirectDraft): string {
  const host = hosts.length === 0 ? '\\S+' : `(?:${hosts.map(escapedText).join('|')})`
  const query = (when.query ?? []).map(({ name, value }) => {
    const pair = value === null ? `${encoded(name)}(?:=[^&\\s]*)?` : `${encoded(name)}${value === '' ? '=?' : `=${encoded(value)}`}`
    return `(?=\\?\\S*&${pair}&)`
  })
  const names = (when.query ?? []).map(({ name }) => encoded(name))
  const others =
    when.noOtherQuery !== true ? '' : names.length === 0 ? '(?=\\?&& )' : `(?=\\?&(?:(?:${names.join('|')})(?:=[^&\\s]*)?&)*(?: |$))`
  const language = (when.languages ?? []).length === 0 ? '[^|]*' : `\\s*(?:${when.languages?.join('|')})(?:[-;,\\s][^|]*)?`
  return `^${host} ${query.join('')}${others}\\?\\S* ${language} ?\\| `
}

const encoded = (text: string): string => escapedText(encodeText(text))
/** Inside of quotes. */
const quoted = (text: string): string => text.replace(/(?<!\\)"/g, '\\"')
