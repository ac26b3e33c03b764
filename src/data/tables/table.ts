import type { Column } from './column.ts'

/** The columns of a table, by the names of their fields. */
export type Columns = Readonly<Record<string, Column<unknown>>>

/** A table: its name, and its one list of columns. */
export interface Table<C extends Columns = Columns> {
  readonly name: string
  readonly columns: C
}

type ColumnsOf<T> = T extends Table<infer C> ? C : never
type Left<C extends Columns> = { [Name in keyof C]: C[Name]['is'] extends 'left' ? Name : never }[keyof C]

/** A whole row as it is read. */
export type RowOf<T extends Table> = { [Name in keyof ColumnsOf<T>]: ColumnsOf<T>[Name]['value'] }
/** What has to be said of a row to make it, and what may be. */
export type NewOf<T extends Table> = Omit<RowOf<T>, Left<ColumnsOf<T>>> & Partial<Pick<RowOf<T>, Left<ColumnsOf<T>>>>

export const table = <const C extends Columns>(name: string, columns: C): Table<C> => ({ name, columns })

/** A list of names that has all of them: one that is left out does not compile. */
export const every =
  <Name extends string>() =>
  <const Names extends readonly Name[]>(names: Names & ([Name] extends [Names[number]] ? unknown : never)): Names =>
    names

/** The names of some fields of a table. */
export type FieldOf<T extends Table> = keyof ColumnsOf<T> & string

/** The name of a field's column in the database. */
export function columnOf<T extends Table>({ name, columns }: T, field: FieldOf<T>): string {
  const column = columns[field]
  if (column === undefined) throw new RangeError(`${name} has no ${field}`)
  return column.named ?? field.replace(/[A-Z]/g, (letter) => `_${letter.toLowerCase()}`)
}

/** A name as it is, or in quotes where PostgreSQL would fold it or take it for a word of its own. */
const quoted = (name: string): string => (/^[a-z][a-z_]*$/.test(name) && !WORDS_OF_SQL.has(name) ? name : `"${name}"`)
const WORDS_OF_SQL = new Set(['from', 'to', 'when', 'order', 'end', 'user', 'on', 'by'])

/**
 * Fields as a query selects them: `r.source AS "from", r.is_on AS "isOn"`.
 * @param alias - the table's in the query; "" for none
 */
export function selected<T extends Table>(of: T, fields: readonly FieldOf<T>[], alias = ''): string {
  const before = alias === '' ? '' : `${alias}.`
  return fields
    .map((field) => {
      const column = columnOf(of, field)
      return column === field ? `${before}${column}` : `${before}${column} AS ${quoted(field)}`
    })
    .join(', ')
}

/** The names of fields' columns: `source, is_on`. */
export const columnsOf = <T extends Table>(of: T, fields: readonly FieldOf<T>[], alias = ''): string =>
  fields.map((field) => `${alias === '' ? '' : `${alias}.`}${columnOf(of, field)}`).join(', ')

/** Fields as `jsonb_to_recordset` reads them, by the names of their columns: `source text, is_on boolean`. See {@link recordOf}. */
export const recordTypes = <T extends Table>(of: T, fields: readonly FieldOf<T>[]): string =>
  fields.map((field) => `${columnOf(of, field)} ${of.columns[field]?.type ?? ''}`).join(', ')

/** A row by the names of its columns, for {@link recordTypes}. */
export const recordOf = <T extends Table, Field extends FieldOf<T>>(
  of: T,
  fields: readonly Field[],
  row: Readonly<Record<Field, unknown>>,
): Record<string, unknown> => Object.fromEntries(fields.map((field) => [columnOf(of, field), row[field]]))

/** Fields as an update sets them from a record: `source = w.source, is_on = w.is_on`. */
export const setFrom = <T extends Table>(of: T, fields: readonly FieldOf<T>[], record: string): string =>
  fields.map((field) => `${columnOf(of, field)} = ${record}.${columnOf(of, field)}`).join(', ')

/**
 * A field out of a revision, which keeps rows as JSON by the names of their fields.
 * @param state - the revision's JSON in the query
 */
export function fromState<T extends Table>(of: T, field: FieldOf<T>, state: string): string {
  const type = of.columns[field]?.type
  if (type === 'jsonb') return `${state}->'${field}'`
  if (type === 'text[]') return `ARRAY(SELECT jsonb_array_elements_text(${state}->'${field}'))`
  return type === 'text' ? `${state}->>'${field}'` : `(${state}->>'${field}')::${type}`
}

/** Fields as an update sets them from a revision's JSON. What a field says where a revision is older than it is: see `older`. */
export const setFromState = <T extends Table>(
  of: T,
  fields: readonly FieldOf<T>[],
  state: string,
  older: { readonly [Field in FieldOf<T>]?: string },
): string => fields.map((field) => `${columnOf(of, field)} = ${orOlder(fromState(of, field, state), older[field])}`).join(', ')

/** Fields of a revision as a query selects them. */
export const selectedFromState = <T extends Table>(
  of: T,
  fields: readonly FieldOf<T>[],
  state: string,
  older: { readonly [Field in FieldOf<T>]?: string },
): string => fields.map((field) => `${orOlder(fromState(of, field, state), older[field])} AS ${quoted(field)}`).join(', ')

const orOlder = (value: string, older: string | undefined): string => (older === undefined ? value : `coalesce(${value}, ${older})`)
