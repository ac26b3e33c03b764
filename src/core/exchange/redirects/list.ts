import { type Told, tell } from '../../../words/index.ts'
import { escapeAnywhere } from '../../markup/index.ts'
import { leadsOn, plainPath, QUERY_HABITS, REDIRECT_MATCHES, REDIRECT_STATUSES, type RedirectConditions } from '../../routing/index.ts'
import { cellsOf, textOfCell } from '../columns/index.ts'
import type { RedirectDraft } from './row.ts'

/** Columns of a list of redirects, in the order in which it is written out: by what each field of a row is headed. */
const HEADS = {
  from: 'from',
  to: 'to',
  status: 'status',
  match: 'match',
  query: 'query',
  hosts: 'host',
  note: 'note',
  isOn: 'on',
  beatsPages: 'over pages',
  when: 'when',
  isHidden: 'hidden',
} as const satisfies Record<keyof RedirectDraft, string>

/** All that a row says, in the order of a list's columns. */
export const DRAFT_FIELDS = Object.keys(HEADS) as (keyof RedirectDraft)[]
export type ListColumn = (typeof HEADS)[keyof RedirectDraft]
export const LIST_COLUMNS: readonly ListColumn[] = DRAFT_FIELDS.map((field) => HEADS[field])
export type ListRecord = Readonly<Record<ListColumn, string>>

const yesOrNo = (is: boolean): string => (is ? 'yes' : 'no')
/** How a row's field stands in its column. */
const CELLS: { readonly [Field in keyof RedirectDraft]: (value: RedirectDraft[Field]) => string } = {
  from: (from) => from,
  to: (to) => to,
  status: String,
  match: (match) => match,
  query: (query) => query,
  hosts: (hosts) => hosts.join(' '),
  note: (note) => note,
  isOn: yesOrNo,
  beatsPages: yesOrNo,
  when: (when) => (Object.keys(when).length === 0 ? '' : JSON.stringify(whenToJson(when))),
  isHidden: yesOrNo,
}

/** Other words that people and programs head these columns with. */
const ALSO: Readonly<Record<string, ListColumn>> = {
  old: 'from',
  source: 'from',
  address: 'from',
  'old address': 'from',
  'old url': 'from',
  'from url': 'from',
  url: 'from',
  path: 'from',
  new: 'to',
  target: 'to',
  destination: 'to',
  'new address': 'to',
  'new url': 'to',
  'to url': 'to',
  code: 'status',
  hosts: 'host',
  comment: 'note',
  active: 'on',
}

/** By what the columns of a list are parted: one sign, or an arrow, or blanks. */
export type ListDelimiter = '\t' | ',' | ';' | '->' | '=>' | '→' | ' '
const DELIMITERS: readonly ListDelimiter[] = ['\t', '→', '=>', '->', ';', ',', ' ']
/** Lines that are looked at to find out how a list is written. */
const SAMPLE_LINES = 30

export interface ListLayout {
  readonly delimiter: ListDelimiter
  /** What each column is; null for one that is not known. */
  readonly columns: readonly (ListColumn | null)[]
  readonly hasHeader: boolean
  /** A first line that is taken for a header because there is no address in it, as it stands; null where there is none such. */
  readonly guessedHeader: string | null
}

/** What an address is not without. */
const ADDRESS_SIGN = /[/.:]/
/** A status, perhaps with its name. */
const STATUS_WORDS = /^(\d{3})(?:\.0+)?(?:\s\D.*)?$/s

/**
 * Finds out how a list is written: what parts its columns, and what they are. Without a header they are old address, new
 * address, status and note.
 * @param text - its beginning
 */
export function readListLayout(text: string): ListLayout {
  const lines = text
    .replace(/^\uFEFF/, '')
    .split(/\r?\n/, SAMPLE_LINES)
    .filter((line) => line.trim() !== '')
  const first = lines[0] ?? ''
  const named = DELIMITERS.map((delimiter) => ({ delimiter, columns: namesOf(first, delimiter) })).find(({ columns }) =>
    columns.includes('from'),
  )
  if (named !== undefined) return { ...named, columns: withStatus(named, lines.slice(1)), hasHeader: true, guessedHeader: null }
  const shares = DELIMITERS.map((delimiter) => lines.filter((line) => parted(line, delimiter)).length)
  const most = Math.max(...shares, 0)
  const delimiter = DELIMITERS[shares.indexOf(most)] ?? ','
  const layout = { delimiter: most === 0 ? ',' : delimiter, columns: ['from', 'to', 'status', 'note'] as const }
  // In whatever language: a line of words above lines of addresses names them.
  const isHeader =
    lines.length > 1 && cellsOf(first, layout.delimiter).length > 1 && isWords(first) && lines.slice(1).some((line) => !isWords(line))
  return { ...layout, hasHeader: isHeader, guessedHeader: isHeader ? first : null }
}

const isWords = (line: string): boolean => !ADDRESS_SIGN.test(line) && !/\d{3}/.test(line)

/** A column of statuses is one, whatever its head says. */
function withStatus({ delimiter, columns }: Pick<ListLayout, 'delimiter' | 'columns'>, lines: readonly string[]): ListLayout['columns'] {
  if (columns.includes('status')) return columns
  const at = columns.findIndex((column, i) => {
    const cells = lines.map((line) => cellsOf(line, delimiter)[i] ?? '').filter((cell) => cell !== '')
    return column === null && cells.length > 0 && cells.every((cell) => STATUS_WORDS.test(cell))
  })
  return at === -1 ? columns : columns.with(at, 'status')
}

/** Whether a line has something on either side. */
const parted = (line: string, delimiter: ListDelimiter): boolean => {
  const at = line.trim().indexOf(delimiter)
  return (
    at > 0 &&
    line
      .trim()
      .slice(at + delimiter.length)
      .trim() !== ''
  )
}

const namesOf = (line: string, delimiter: ListDelimiter): (ListColumn | null)[] =>
  cellsOf(line, delimiter).map((cell) => {
    const name = cell.toLowerCase()
    return LIST_COLUMNS.find((column) => column === name) ?? ALSO[name] ?? null
  })

/** One record by the names of its columns; what it does not have is "". */
export function recordOf({ columns, delimiter }: ListLayout, cells: readonly string[]): ListRecord {
  const record = Object.fromEntries(LIST_COLUMNS.map((column) => [column, ''])) as Record<ListColumn, string>
  // Blanks in a row part nothing.
  const told = delimiter === ' ' ? cells.filter((cell) => cell !== '') : cells
  for (const [i, column] of columns.entries())
    if (column !== null && record[column] === '') record[column] = textOfCell((told[i] ?? '').trim())
  // What is gone leads nowhere: its status may stand where others have their new address.
  const alone = record.status === '' && /^\d{3}$/.test(record.to) ? { to: '', status: record.to } : {}
  const status = STATUS_WORDS.exec(record.status)?.[1]
  return { ...record, ...(status === undefined ? {} : { status }), ...alone }
}

/** A row as it stands in a list. */
export function listRecordOf(draft: RedirectDraft): ListRecord {
  const cell = <Field extends keyof RedirectDraft>(field: Field): string => CELLS[field](draft[field])
  return Object.fromEntries(DRAFT_FIELDS.map((field) => [HEADS[field], cell(field)])) as Record<ListColumn, string>
}

/** Which fields of a row a list says anything of. */
export const saidIn = (record: ListRecord): (keyof RedirectDraft)[] => DRAFT_FIELDS.filter((field) => record[HEADS[field]] !== '')

/** Conditions with times as ISO 8601. */
export const whenToJson = ({ fromMs, untilMs, ...when }: RedirectConditions): Record<string, unknown> => ({
  ...when,
  ...(fromMs === undefined ? {} : { from: new Date(fromMs).toISOString() }),
  ...(untilMs === undefined ? {} : { until: new Date(untilMs).toISOString() }),
})

/** Why a word of a list is none of those that can stand in its column; null where all are. */
export function recordFault({ status, match, query, on }: ListRecord): Told | null {
  if (status !== '' && !REDIRECT_STATUSES.some((known) => String(known) === status))
    return tell('list.no-status', { status: status.slice(0, 20) })
  if (match !== '' && !REDIRECT_MATCHES.some((known) => known === match.toLowerCase()))
    return tell('list.no-match', { match: match.slice(0, 20), ways: REDIRECT_MATCHES.join(', ') })
  if (query !== '' && !QUERY_HABITS.some((known) => known === query.toLowerCase()))
    return tell('list.no-query-habit', { query: query.slice(0, 20), habits: QUERY_HABITS.join(', ') })
  if (on !== '' && !/^(?:yes|no|on|off|true|false|1|0)$/i.test(on)) return tell('list.neither-on-nor-off', { on: on.slice(0, 20) })
  return null
}

export const isYes = (word: string): boolean => /^(?:yes|on|true|1)$/i.test(word)

/**
 * A page for hosts that cannot redirect: it sends on at once, names where to as the address that counts, and says so to whoever
 * stays (HTML, "meta refresh"; RFC 6596).
 * @param to - a full address, or a path
 * @param rel - what search engines are told of its link; null for nothing
 */
export function redirectPage(to: string, language: string, rel: string | null): string {
  const text = escapeAnywhere(to)
  return `<!doctype html>
<html lang="${language.replace(/[^\w-]/g, '')}">
<meta charset="utf-8">
<title>${text}</title>
<link rel="canonical" href="${text}">
<meta http-equiv="refresh" content="0; url=${text}">
<meta name="robots" content="noindex">
<p><a href="${text}"${rel === null ? '' : ` rel="${rel}"`}>${text}</a></p>
</html>
`
}

/** The file that a row's static page stands in, percent-encoded; null for rows that no static page can stand for. */
export function staticNameOf({ match, from, to, status, when, isOn }: RedirectDraft): string | null {
  if (!isOn || match !== 'exact' || !leadsOn(status) || to.includes('$') || Object.keys(when).length > 0) return null
  const bare = plainPath(from).replace(/^\/+|\/+$/g, '')
  // What is named like a picture or a program is served as one, and a name must stay inside of the zip.
  const ending = /\.([^./]*)$/.exec(bare)?.[1]
  if (bare === '' || (ending !== undefined && !/^html?$/i.test(ending)) || /[\\%\0]|(?:^|\/)\.|\/\//.test(bare)) return null
  return ending === undefined ? `${bare}/index.html` : bare
}
