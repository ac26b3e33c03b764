import { type Told, tell } from '../../../words/index.ts'
import { isConditional, pathKey } from '../../routing/index.ts'
import { HAS_KEPT_ESCAPE, spelledWell } from './expressions/index.ts'
import { commentsOf, DIFFERENCES, headComments, readSource, sentSource, type WritingSite, writtenRows } from './out.ts'
import type { RedirectDraft, Unsaid } from './row.ts'
import { escapedText, languageTest, type WrittenDestination, type WrittenPiece } from './written.ts'

/** Longest word that nginx reads: its buffer of 4,096 bytes, less the quotes. */
const WORD_MAX_BYTES = 4_000
/** What a key of a map takes beside itself. */
const KEY_OVERHEAD_BYTES = 64

/** An entry of a map: what is looked up, and "301 address". */
interface Entry {
  readonly key: string
  readonly answer: string
}

/**
 * Writes rows as configuration of nginx: maps for the http block, and, as comments at the end, the lines that the server
 * block needs. What cannot be written there is told, and stands in the file as a comment.
 * @param drafts - in the order of the table
 */
export function writeNginx(drafts: readonly RedirectDraft[], site: WritingSite): { text: string; unsaid: readonly Unsaid[] } {
  const { tolerance, hosts } = site
  const { rows, unsaid } = writtenRows(drafts, tolerance)
  const [conditional, atHost, exact, others]: [Entry[], Entry[], Entry[], Entry[]] = [[], [], [], []]
  const taken = new Set<string>()
  const statuses = new Set<number>()
  for (const row of rows) {
    const { draft, match, to, status } = row
    const answer = `${status} ${to === null ? '' : addressOf(to)}`
    const entries: [Entry[], string][] = []
    if (typeof match !== 'string')
      entries.push([
        isConditional(draft.when) ? conditional : others,
        `~^${hostsOf(draft)} ${sentSource(match, draft)}${languageOf(draft)}`,
      ])
    // Of a path that stands there twice the first answers, and a map has a key once.
    else if (draft.hosts.length === 0) entries.push([exact, keyOf(match, '', site)])
    else for (const host of draft.hosts) entries.push([atHost, keyOf(match, `${host} `, site)])
    const long = [answer, ...entries.map(([, key]) => key)].find((word) => bytesOf(quoted(word)) > WORD_MAX_BYTES)
    if (long !== undefined) {
      unsaid.push({ draft, reason: tell('unwritten.too-long-for-nginx') })
      continue
    }
    statuses.add(status)
    for (const [among, key] of entries) {
      const name = typeof match !== 'string' ? null : `${among === exact ? '' : key.split(' ', 1)[0]} ${pathKey(match, tolerance)}`
      if (name !== null && taken.has(name)) continue
      if (name !== null) taken.add(name)
      among.push({ key, answer })
    }
  }
  const longest = [...atHost, ...exact].reduce((most, { key }) => Math.max(most, key.startsWith('~') ? 0 : bytesOf(key)), 0)
  const note = (...told: Told[]): string[] => headComments(site.say, told)
  const text = [
    ...note(tell('file.nginx'), ...DIFFERENCES),
    `map_hash_max_size ${powerAbove(2 * Math.max(exact.length, atHost.length, 1_024))};`,
    `map_hash_bucket_size ${powerAbove(longest + KEY_OVERHEAD_BYTES)};`,
    ...note(tell('file.nginx-dollar')),
    'geo $maprope_dollar { default "$"; }',
    ...note(tell('file.nginx-path')),
    ...mapOf('$request_uri', 'maprope_read', '$uri', [[`~^[^?]*${HAS_KEPT_ESCAPE}`, '']]),
    ...mapOf(
      '$maprope_read',
      'maprope_path',
      '$maprope_read',
      tolerance.ignoresSlash
        ? [
            ['~^/+$', '/'],
            ['~^(/.*[^/])/+$', '$1'],
          ]
        : [],
    ),
    ...note(tell('file.nginx-sent')),
    ...mapOf('$request_uri', 'maprope_sent', '', [[`~^${spelledWell()}(?:\\?|$)`, '$request_uri']]),
    ...note(tell('file.nginx-own')),
    ...mapOf(
      '$host',
      'maprope_own',
      '0',
      hosts.map((host) => [host, '1']),
    ),
    ...mapOf('$maprope_own', 'maprope_own_path', '', [['1', '$maprope_path']]),
    ...mapOf('"$maprope_own$host $maprope_sent $http_accept_language"', 'maprope_if', '', conditional.map(entry)),
    ...mapOf('"$host $maprope_path"', 'maprope_at_host', '', atHost.map(entry)),
    ...mapOf('$maprope_own_path', 'maprope_exact', '', exact.map(entry)),
    ...mapOf('"$maprope_own$host $maprope_sent "', 'maprope_other', '', others.map(entry)),
    ...mapOf('$maprope_exact', 'maprope_3', '$maprope_exact', [['', '$maprope_other']]),
    ...mapOf('$maprope_at_host', 'maprope_2', '$maprope_at_host', [['', '$maprope_3']]),
    ...mapOf('$maprope_if', 'maprope_1', '$maprope_if', [['', '$maprope_2']]),
    ...mapOf('$args', 'maprope_and', '&$args', [['', '']]),
    ...mapOf('$http_host', 'maprope_host', '$http_host', [['', '$host']]),
    ...note(tell('file.nginx-again')),
    ...mapOf('"$request_method $maprope_1"', 'maprope_status', '', [
      ['~^(?:GET|HEAD) (\\d+) ', '$1'],
      ['~^\\S+ 301 ', '308'],
      ['~^\\S+ 302 ', '307'],
      ['~^\\S+ (\\d+) ', '$1'],
    ]),
    ...mapOf('$maprope_1', 'maprope_to', '', [
      ['~^\\d+ /+(.*)$', '$scheme://$maprope_host/$1'],
      ['~^\\d+ (.*)$', '$1'],
    ]),
    `# ---- ${site.say(tell('file.nginx-server-block'))}`,
    '#server merge_slashes off;',
    ...statusesOf(statuses).map(
      (status) => `#server if ($maprope_status = ${status}) { return ${status}${status < 400 ? ' $maprope_to' : ''}; }`,
    ),
    ...commentsOf(site.say, unsaid),
  ]
  return { text: `${text.join('\n')}\n`, unsaid }
}

/** With those that the others become for whoever sent something. */
const statusesOf = (used: ReadonlySet<number>): number[] =>
  [...new Set([...used, ...(used.has(301) ? [308] : []), ...(used.has(302) ? [307] : [])])].sort((a, b) => a - b)

const entry = ({ key, answer }: Entry): [string, string] => [key, answer]

/** @param entries - keys as they are; values as they are read, with variables */
function mapOf(of: string, name: string, otherwise: string, entries: readonly (readonly [key: string, value: string])[]): string[] {
  const lines = entries.map(([key, value]) => `  ${quoted(key)} ${quoted(value)};`)
  return [`map ${of} $${name} {`, `  default ${quoted(otherwise)};`, ...lines, '}']
}

/** A word of a configuration. */
const quoted = (text: string): string => `"${text.replace(/\\(?=[\\"'tnr])|\\$/g, '\\\\').replaceAll('"', '\\"')}"`
const bytesOf = (text: string): number => new TextEncoder().encode(text).length
const powerAbove = (least: number): number => 2 ** Math.ceil(Math.log2(least))

/** The key of one path: itself, which is found at once; as an expression where its letters have a case that maps do not know. */
function keyOf(path: string, before: string, { tolerance: { ignoresCase } }: WritingSite): string {
  if (ignoresCase && /^[\0-\x7f]*$/.test(path)) return before + path
  if (!ignoresCase && !/[A-Za-z]/.test(path)) return before + path
  return `~${ignoresCase ? '*' : ''}^${escapedText(before)}${readSource(path, ignoresCase)}$`
}

/** Of a row that is not found by its whole path, the hosts: its own, or those of the pages. */
const hostsOf = ({ hosts }: RedirectDraft): string => (hosts.length === 0 ? '1[^ ]*' : `[01](?:${hosts.map(escapedText).join('|')})`)

const languageOf = (draft: RedirectDraft): string => {
  const test = languageTest(draft)
  return test === null ? '' : `(?i:${test})`
}

/** A dollar sign, which would begin a variable. */
const DOLLAR = `$${'{maprope_dollar}'}`
const piecesOf = (pieces: readonly WrittenPiece[]): string =>
  pieces.map((piece) => (typeof piece === 'number' ? `$${piece}` : piece.replaceAll('$', DOLLAR))).join('')

function addressOf({ path, query, hash, asked }: WrittenDestination): string {
  const tail = asked === 'drop' ? '' : asked === 'pass' ? '$is_args$args' : '$maprope_and'
  return `${piecesOf(path)}${piecesOf(query)}${tail}${piecesOf(hash)}`
}
