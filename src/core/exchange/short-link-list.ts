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

/**
 * What the header of a list says: by which character its columns are parted (comma, semicolon or tab), and what they are.
 * @param line - the first line of the file
 * @returns null where there is no column "destination"
 */
export function readListHeader(
  line: string,
): { readonly delimiter: ',' | ';' | '\t'; readonly columns: readonly (keyof ShortLinkListRow | null)[] } | null {
  const delimiter = ([',', ';', '\t'] as const).reduce((most, each) => (line.split(each).length > line.split(most).length ? each : most))
  const columns = line
    .replace(/^\uFEFF/, '')
    .split(delimiter)
    .map((name) =>
      name
        .trim()
        .replace(/^"(.*)"$/, '$1')
        .trim()
        .toLowerCase(),
    )
    .map((name) => COLUMNS.find((column) => column === name) ?? null)
  return columns.includes('destination') ? { delimiter, columns } : null
}

/** One record of the file by the names of its columns; what it does not have is "". */
export function listRowOf(columns: readonly (keyof ShortLinkListRow | null)[], record: readonly string[]): ShortLinkListRow {
  const row = { destination: '', slug: '', host: '', title: '', status: '', note: '', tags: '' }
  for (const [i, column] of columns.entries()) if (column !== null) row[column] = (record[i] ?? '').trim()
  return row
}
