import { cellsOf, textOfCell } from './columns/index.ts'

/** A row of a list of short links, as it stands there. */
export interface ShortLinkListRow {
  readonly destination: string
  readonly slug: string
  readonly host: string
  readonly title: string
  readonly status: string
  /** "" leaves what a link has. */
  readonly note: string
  /** Parted by commas. "" leaves what a link has. */
  readonly tags: string
}

const COLUMNS = ['destination', 'slug', 'host', 'title', 'status', 'note', 'tags'] as const

type Delimiter = ',' | ';' | '\t'
const delimiterOf = (line: string): Delimiter =>
  ([',', ';', '\t'] as const).reduce((most, each) => (line.split(each).length > line.split(most).length ? each : most))

/**
 * What the header of a list says: by which character its columns are parted (comma, semicolon or tab), and what they are.
 * @param line - the first line of the file
 * @returns null where there is no column "destination"
 */
export function readListHeader(
  line: string,
): { readonly delimiter: Delimiter; readonly columns: readonly (keyof ShortLinkListRow | null)[] } | null {
  const delimiter = delimiterOf(line)
  const columns = cellsOf(line.replace(/^\uFEFF/, ''), delimiter).map(
    (name) => COLUMNS.find((column) => column === name.toLowerCase()) ?? null,
  )
  return columns.includes('destination') ? { delimiter, columns } : null
}

export const SHORT_LINK_COLUMNS = COLUMNS
export type ShortLinkColumn = keyof ShortLinkListRow

/** What a list that does not name its columns as we do looks like, and what they may be. */
export interface GuessedList {
  readonly delimiter: Delimiter
  /** Its first lines. */
  readonly sample: readonly (readonly string[])[]
  /** One for each of its first columns; null leaves it out. */
  readonly columns: readonly (ShortLinkColumn | null)[]
  /** Nothing names the columns: the first line is a row. */
  readonly isFirstARow: boolean
}

const SAMPLE_LINES = 4
/** Columns that are asked about; those beyond are left out. */
const ASKED_COLUMNS_MAX = 40
const isAddress = (cell: string): boolean => /^(?:https?:\/\/|\/)\S+|^[\w-]+(?:\.[\w-]+)+\/\S*$/i.test(cell)

/** Looks at the beginning of a list to be asked about. @param text - its first lines */
export function guessShortLinkList(text: string): GuessedList {
  const lines = text
    .replace(/^\uFEFF/, '')
    .split(/\r?\n/, SAMPLE_LINES)
    .filter((line) => line.trim() !== '')
  const first = lines[0] ?? ''
  const delimiter = delimiterOf(first)
  const sample = lines.map((line) => cellsOf(line, delimiter).slice(0, ASKED_COLUMNS_MAX))
  const isFirstARow = sample[0]?.some(isAddress) === true
  const names = isFirstARow ? [] : (sample[0] ?? []).map((name) => name.toLowerCase())
  const rows = isFirstARow ? sample : sample.slice(1)
  const width = Math.max(0, ...sample.map((row) => row.length))
  const columns: (ShortLinkColumn | null)[] = Array.from({ length: width }, (_, i) => COLUMNS.find((column) => column === names[i]) ?? null)
  const give = (column: ShortLinkColumn, fits: (i: number) => boolean): void => {
    const at = columns.includes(column) ? -1 : columns.findIndex((each, i) => each === null && fits(i))
    if (at !== -1) columns[at] = column
  }
  give('destination', (i) => rows.some((row) => isAddress(row[i] ?? '')))
  give('status', (i) => rows.length > 0 && rows.every((row) => /^30[1278]$/.test(row[i] ?? '')))
  give('slug', (i) => rows.some((row) => /^[^\s/]{1,80}$/.test(row[i] ?? '')))
  give('title', (i) => rows.some((row) => /\S\s+\S/.test(row[i] ?? '')))
  return { delimiter, sample, columns, isFirstARow }
}

/** The line that names columns as they were chosen. */
export const headerOfColumns = ({ delimiter, columns }: Pick<GuessedList, 'delimiter' | 'columns'>): string =>
  `${columns.map((column) => column ?? '-').join(delimiter)}\n`

/** One record of the file by the names of its columns; what it does not have is "". */
export function listRowOf(columns: readonly (keyof ShortLinkListRow | null)[], record: readonly string[]): ShortLinkListRow {
  const row = { destination: '', slug: '', host: '', title: '', status: '', note: '', tags: '' }
  for (const [i, column] of columns.entries()) if (column !== null) row[column] = textOfCell((record[i] ?? '').trim())
  return row
}
