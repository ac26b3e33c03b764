import { isTold, type Told, tell } from '../../../words/index.ts'
import { isConditional, readyRedirect } from '../../routing/index.ts'
import { HAS_KEPT_ESCAPE, type SentPath, spelledWell } from './expressions/index.ts'
import { commentsOf, DIFFERENCES, headComments, readSource, sentSource, type WritingSite, type WrittenSite, writtenRows } from './out.ts'
import { draftOfRemark, remarkOf } from './remark.ts'
import type { RedirectDraft, Unsaid } from './row.ts'
import { escapedText, languageTest, type WrittenPiece, type WrittenRow, writtenRow } from './written.ts'

/** With hosts that rows name and that are none of its pages'. */
interface OutSite extends WrittenSite {
  readonly others: readonly string[]
}

/** Of the host that was asked, what stands before a path. */
const ORIGIN = '%{REQUEST_SCHEME}://%{HTTP_HOST}'

/**
 * Writes rows as configuration of Apache httpd 2.4 (mod_rewrite), for a server or a virtual host, in the order in which rows are
 * asked here. What cannot be written there is told, and stands in the file as a comment.
 * @param drafts - in the order of the table
 */
export function writeHttpd(drafts: readonly RedirectDraft[], given: WritingSite): { text: string; unsaid: readonly Unsaid[] } {
  const { rows, unsaid } = writtenRows(drafts, given.tolerance)
  const site = { ...given, others: [...new Set(rows.flatMap(({ draft }) => draft.hosts))].filter((host) => !given.hosts.includes(host)) }
  const conditional = rows.filter(({ draft }) => isConditional(draft.when))
  const others = rows.filter((row) => !isRead(row) && !isConditional(row.draft.when))
  const section = (title: Told, unless: string, rules: readonly (readonly string[])[]): string[] =>
    rulesUnless(`# ---- ${given.say(title)}`, unless, rules)
  const text = [
    ...headComments(given.say, [tell('file.httpd'), ...DIFFERENCES, tell('file.httpd-differs')]),
    'RewriteEngine On',
    ...headComments(given.say, [tell('file.httpd-slashes')]),
    'AllowEncodedSlashes NoDecode',
    ...wholeOf(site, [
      ...section(
        tell('file.rows-with-condition'),
        sentGuard(),
        conditional.map((row) => linesOf(row, site)),
      ),
      ...section(
        tell('file.rows-of-one-path'),
        READ_GUARD,
        rows.filter(isRead).map((row) => linesOf(row, site)),
      ),
      ...section(
        tell('file.rows-others'),
        sentGuard(),
        others.map((row) => linesOf(row, site)),
      ),
    ]),
    ...commentsOf(given.say, unsaid),
  ]
  return { text: `${text.join('\n')}\n`, unsaid }
}

/** Whether a row is found in the path as httpd reads it. */
const isRead = ({ match }: WrittenRow): boolean => typeof match === 'string'

/** Requests that rows by their whole path are not asked about, and those that the others are not. */
const READ_GUARD = `^\\S+ [^? ]*(?:${HAS_KEPT_ESCAPE}|//+[^/? ])`
const sentGuard = (): string => `!^\\S+ ${spelledWell()}[? ]`

/** A row that `writeHttpd` wrote, at its remark: what follows it is what would be written for it. */
export function ownRowAt(lines: readonly string[], at: number, site: WrittenSite): { draft: RedirectDraft; lines: number } | null {
  const draft = draftOfRemark(lines[at]?.trimEnd() ?? '')
  const ready = draft === null ? null : readyRedirect({ ...draft, id: '', order: 0 }, site.tolerance)
  const row = draft === null || ready?.ok !== true ? null : writtenRow(draft, ready.value.pattern, site.tolerance)
  if (draft === null || row === null || isTold(row)) return null
  for (const others of [[], ['']]) {
    const written = linesOf(row, { ...site, others })
    if (written.slice(1).every((line, i) => line === lines[at + 1 + i]?.trimEnd())) return { draft, lines: written.length }
  }
  return null
}

/** Whether a condition only keeps requests from rows that they are none for. */
export const isOwnGuard = (test: string, pattern: string): boolean =>
  test === '%{HTTP_HOST}' ? pattern.startsWith('!^(?:') : test === '%{THE_REQUEST}' && [READ_GUARD, sentGuard()].includes(pattern)

/** All rules, passed over on hosts that neither the pages stand on nor any row names. */
const wholeOf = ({ hosts, others }: OutSite, lines: readonly string[]): string[] =>
  lines.length === 0
    ? []
    : [condition('%{HTTP_HOST}', `!${hostsTest([...hosts, ...others])}`, ' [NC]'), `RewriteRule ^ - [S=${rulesOf(lines)}]`, ...lines]

const rulesOf = (lines: readonly string[]): number => lines.filter((line) => line.startsWith('RewriteRule')).length

/** Rules that are passed over where the request is none for them. */
function rulesUnless(head: string, unless: string, rules: readonly (readonly string[])[]): string[] {
  if (rules.length === 0) return []
  const lines = rules.flat()
  return [head, condition('%{THE_REQUEST}', unless), `RewriteRule ^ - [S=${rulesOf(lines)}]`, ...lines]
}

/** A word of mod_rewrite, which takes its backslashes as they stand. */
const quoted = (text: string): string => `"${text.replaceAll('"', '\\"')}"`
const condition = (test: string, pattern: string, flags = ''): string => `RewriteCond ${quoted(test)} ${quoted(pattern)}${flags}`

const linesOf = (row: WrittenRow, site: OutSite): string[] =>
  typeof row.match === 'string' ? exactRule(row, row.match, site) : sentRule(row, row.match, site)

/** The lines of a row that is looked for by its whole path. */
function exactRule(row: WrittenRow, path: string, site: OutSite): string[] {
  const { ignoresCase, ignoresSlash } = site.tolerance
  const source = `^${readSource(path, ignoresCase)}${ignoresSlash ? '/*' : ''}$`
  return [remarkOf(row.draft), ...withConditions([], row, source, ignoresCase ? ['NC'] : [], site)]
}

/** The lines of a row that is looked for in the address as it is sent. */
function sentRule(row: WrittenRow, sent: SentPath, site: OutSite): string[] {
  const language = languageTest(row.draft)
  const conditions = language === null ? [] : [condition('%{HTTP:Accept-Language}', `^${language}`, ' [NC]')]
  const whole = condition('%{THE_REQUEST}', `^\\S+ ${sentSource(sent, row.draft)}`)
  const first = row.to?.path
  // What is caught right behind the first slash may begin with others, which a browser would read as a host.
  const isOpen = row.to?.isInside === true && first?.[0] === '/' && typeof first[1] === 'number'
  if (!isOpen || row.to === null) return [remarkOf(row.draft), ...withConditions([...conditions, whole], row, '^', [], site)]
  const { path, query } = row.to
  const asksToo = query.some((piece) => typeof piece === 'number')
  const rest = asksToo ? condition(`${textOf(path)} ${textOf(query).slice(1)}`, '^/+([^ ]*) (.*)$') : condition(textOf(path), '^/+(.*)$')
  const closed = { ...row, to: { ...row.to, path: ['/', 1], query: asksToo ? ['?', 2] : query } }
  return [remarkOf(row.draft), ...withConditions([...conditions, whole, rest], closed, '^', [], site)]
}

function withConditions(
  conditions: readonly string[],
  { draft, to, status }: WrittenRow,
  source: string,
  flags: readonly string[],
  { hosts, others }: OutSite,
): string[] {
  const named = draft.hosts.length > 0 ? draft.hosts : others.length > 0 ? hosts : []
  const head = named.length === 0 ? conditions : [condition('%{HTTP_HOST}', hostsTest(named), ' [NC]'), ...conditions]
  const rule = (dest: string, ...more: readonly string[]): string =>
    `RewriteRule ${quoted(source)} ${quoted(dest)} [${[`R=${status}`, 'L', ...flags, ...more].join(',')}]`
  if (to === null) return [...head, rule('-')]
  const dest = `${to.isInside ? ORIGIN : ''}${textOf(to.path)}${textOf(to.query)}`
  if (to.asked === 'drop') return [...head, rule(dest + textOf(to.hash), 'NE', 'QSD')]
  if (to.hash.length === 0) return [...head, rule(dest, 'NE', ...(to.asked === 'behind' ? ['QSA'] : []))]
  // The server would put the query behind the “#”.
  const asked = condition('%{QUERY_STRING}', '^.')
  const behind = `${dest}${to.asked === 'pass' ? '?' : '&'}%{QUERY_STRING}${textOf(to.hash)}`
  return [asked, ...head, rule(behind, 'NE'), ...head, rule(dest + textOf(to.hash), 'NE', 'QSD')]
}

const hostsTest = (hosts: readonly string[]): string => `^(?:${hosts.map(escapedText).join('|')})\\.?(?::\\d+)?$`

/** Signs that mod_rewrite takes for its own in what it makes an address of. */
const textOf = (pieces: readonly WrittenPiece[]): string =>
  pieces.map((piece) => (typeof piece === 'number' ? `%${piece}` : piece.replace(/[\\$%]/g, '\\$&'))).join('')
