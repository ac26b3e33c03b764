import { literal, Op, type Order, type WhereOptions } from 'sequelize'
import { type Database, jsonOf, noteTime, rows, storableJson, type Transaction } from './database.ts'
import {
  type Columns,
  columnOf,
  columnsOf,
  type FieldOf,
  type NewOf,
  type RowOf,
  recordOf,
  recordTypes,
  type Table,
} from './tables/index.ts'

/** What the database works out. */
type Literal = ReturnType<typeof literal>

/** The database's own clock. */
export const NOW: Literal = literal('now()')
/** One more than the version that a row has. */
export const NEXT: Literal = literal('version + 1')
/** A moment so long before now, by the database's clock. @param amount - a whole number, or less */
export const ago = (amount: number, unit: 'days' | 'minutes' | 'seconds'): Literal =>
  literal(`now() - interval '${Number(amount)} ${unit}'`)
/** Conditions of a field. */
export const IS_THERE = { [Op.not]: null }
export const isAfter = (value: unknown): object => ({ [Op.gt]: value })
export const isBefore = (value: unknown): object => ({ [Op.lt]: value })
export const isNot = (value: unknown): object => ({ [Op.ne]: value })

/** What rows are asked for: values (null for none), lists of them, or conditions. */
type Where<T extends Table> = { readonly [Field in FieldOf<T>]?: RowOf<T>[Field] | readonly RowOf<T>[Field][] | object | null }
/** What of rows is written; or what the database is to work out: its clock for a time. */
type Change<T extends Table> = { readonly [Field in FieldOf<T>]?: RowOf<T>[Field] | Literal }

interface Asked<T extends Table> {
  /** Fields, each with its way. */
  readonly order?: readonly (readonly [FieldOf<T>, 'ASC' | 'DESC'])[]
  readonly limit?: number
  /** Holds what is found until the transaction ends. */
  readonly holds?: boolean
  readonly transaction?: Transaction | undefined
}

const modelOf = ({ sequelize }: Database, { name }: Table) => sequelize.model(name)
const whereOf = <T extends Table>(where: Where<T>): WhereOptions => where as WhereOptions
const within = (transaction: Transaction | undefined) => (transaction === undefined ? {} : { transaction })

/** Rows by what they say, with some of their fields. */
export async function select<C extends Columns, Field extends FieldOf<Table<C>>>(
  db: Database,
  table: Table<C>,
  fields: readonly Field[],
  where: Where<Table<C>>,
  { order, limit, holds = false, transaction }: Asked<Table<C>> = {},
): Promise<Pick<RowOf<Table<C>>, Field>[]> {
  const found: unknown = await noteTime(
    modelOf(db, table).findAll({
      attributes: [...fields],
      where: whereOf(where),
      raw: true,
      ...(order === undefined ? {} : { order: order as unknown as Order }),
      ...(limit === undefined ? {} : { limit }),
      ...(holds ? { lock: true } : {}),
      ...within(transaction),
    }),
  )
  return found as Pick<RowOf<Table<C>>, Field>[]
}

/** The one row, or the first. */
export async function selectOne<C extends Columns, Field extends FieldOf<Table<C>>>(
  db: Database,
  table: Table<C>,
  fields: readonly Field[],
  where: Where<Table<C>>,
  asked: Omit<Asked<Table<C>>, 'limit'> = {},
): Promise<Pick<RowOf<Table<C>>, Field> | null> {
  const [row] = await select(db, table, fields, where, { ...asked, limit: 1 })
  return row ?? null
}

/** How many rows there are. */
export const count = <T extends Table>(db: Database, table: T, where: Where<T>, transaction?: Transaction): Promise<number> =>
  noteTime(modelOf(db, table).count({ where: whereOf(where), ...within(transaction) }))

/** What may stand in a row the database says, which knows what it puts into it itself. */
const BARE = { validate: false, hooks: false } as const

/** Of a whole row, some fields. */
export const only = <Row extends object, Field extends keyof Row>(row: Row, fields: readonly Field[]): Pick<Row, Field> =>
  Object.fromEntries(fields.map((field) => [field, row[field]])) as unknown as Pick<Row, Field>

/** Makes a row. @returns it as it is kept: what was said, and what the database put into the rest. What was said does not come back. */
export async function insert<T extends Table>(db: Database, table: T, row: NewOf<T>, transaction?: Transaction): Promise<RowOf<T>> {
  const said = storableRow(table, row)
  const left = Object.keys(table.columns).filter((field) => !(field in said))
  const returning = left.length === 0 ? false : left.map((field) => columnOf(table, field as FieldOf<T>))
  const made = await noteTime(modelOf(db, table).create(said, { ...BARE, fields: Object.keys(said), returning, ...within(transaction) }))
  return made.get({ plain: true }) as RowOf<T>
}

/** Makes rows that all say the same fields: in one statement, however many they are. */
export async function insertAll<T extends Table>(
  db: Database,
  table: T,
  fields: readonly FieldOf<T>[],
  made: readonly NewOf<T>[],
  transaction?: Transaction,
): Promise<void> {
  if (made.length === 0) return
  const columns = columnsOf(table, fields)
  const records = jsonOf(made.map((row) => recordOf(table, fields, row as RowOf<T>)))
  await rows(
    db,
    `INSERT INTO ${table.name} (${columns}) SELECT ${columns} FROM jsonb_to_recordset($1::jsonb) AS w (${recordTypes(table, fields)})`,
    [records],
    transaction,
  )
}

/** Writes rows. @returns how many there were */
export async function update<T extends Table>(
  db: Database,
  table: T,
  change: Change<T>,
  where: Where<T>,
  transaction?: Transaction,
): Promise<number> {
  const [written] = await noteTime(
    modelOf(db, table).update(storableRow(table, change), { ...BARE, where: whereOf(where), ...within(transaction) }),
  )
  return written
}

/** Takes rows away. @returns how many there were */
export const remove = <T extends Table>(db: Database, table: T, where: Where<T>, transaction?: Transaction): Promise<number> =>
  noteTime(modelOf(db, table).destroy({ where: whereOf(where), ...within(transaction) }))

/** A row with its JSON as PostgreSQL can keep it, and without what is not said. */
function storableRow<T extends Table>(table: T, row: object): Record<string, unknown> {
  const said = Object.entries(row).filter(([, value]) => value !== undefined)
  return Object.fromEntries(said.map(([field, value]) => [field, table.columns[field]?.type === 'jsonb' ? storableJson(value) : value]))
}
