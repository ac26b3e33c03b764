/** Types of columns, as PostgreSQL names them. */
export type ColumnType =
  | 'uuid'
  | 'text'
  | 'smallint'
  | 'integer'
  | 'bigint'
  | 'double precision'
  | 'boolean'
  | 'date'
  | 'timestamp with time zone'
  | 'jsonb'
  | 'bytea'
  | 'text[]'
  | 'uuid[]'

/** Whether whoever makes a row has to say what stands in the column. */
type Asked = 'asked' | 'left'

/**
 * A column: what the database knows of it, and what its values are here. A test holds the first against the migrated database
 * (`tests/integration/tables.test.ts`).
 */
export class Column<Value, Is extends Asked = Asked> {
  /** Its values as they are read and written; known to the compiler alone. */
  declare readonly value: Value
  declare readonly is: Is

  private constructor(
    readonly type: ColumnType,
    /** Its name in the database; null for that of the field in snake case. */
    readonly named: string | null,
    readonly isNull: boolean,
    readonly isKey: boolean,
    /** What stands in it where nobody says: as PostgreSQL writes the expression; null for none. */
    readonly otherwise: string | null,
  ) {}

  static of<Value>(type: ColumnType): Column<Value, 'asked'> {
    return new Column<Value, 'asked'>(type, null, false, false, null)
  }

  /** May be empty, and is where nobody says. */
  get orNull(): Column<Value | null, 'left'> {
    return new Column<Value | null, 'left'>(this.type, this.named, true, this.isKey, this.otherwise)
  }

  /** Part of the primary key. */
  get key(): Column<Value, Is> {
    return new Column<Value, Is>(this.type, this.named, this.isNull, true, this.otherwise)
  }

  /** Its name in the database, where that is not the field's. */
  by(name: string): Column<Value, Is> {
    return new Column<Value, Is>(this.type, name, this.isNull, this.isKey, this.otherwise)
  }

  /** @param expression - as PostgreSQL writes it: `now()`, `'{}'::text[]` */
  or(expression: string): Column<Value, 'left'> {
    return new Column<Value, 'left'>(this.type, this.named, this.isNull, this.isKey, expression)
  }
}

export const uuid = Column.of<string>('uuid')
export const text = Column.of<string>('text')
export const smallint = Column.of<number>('smallint')
export const integer = Column.of<number>('integer')
/** Read as digits: JavaScript's numbers do not hold all of them. */
export const bigint = Column.of<string>('bigint')
export const double = Column.of<number>('double precision')
export const boolean = Column.of<boolean>('boolean')
/** "2026-11-24" */
export const date = Column.of<string>('date')
export const time = Column.of<Date>('timestamp with time zone')
export const bytea = Column.of<Buffer>('bytea')
export const texts = Column.of<string[]>('text[]')
export const uuids = Column.of<string[]>('uuid[]')
/** Text of a closed list. */
export const word = <Value extends string>(): Column<Value, 'asked'> => Column.of<Value>('text')
/** A number of a closed list. */
export const code = <Value extends number>(type: 'smallint' | 'integer'): Column<Value, 'asked'> => Column.of<Value>(type)
export const json = <Value>(): Column<Value, 'asked'> => Column.of<Value>('jsonb')

/** What most rows have. */
export const id = uuid.key.or('gen_random_uuid()')
export const version = integer.or('1')
export const now = time.or('now()')
export const no = boolean.or('false')
export const yes = boolean.or('true')
export const none = texts.or("'{}'::text[]")
export const empty = text.or("''::text")
