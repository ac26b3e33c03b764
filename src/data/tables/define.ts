import { DataTypes, type ModelAttributes, type Sequelize } from 'sequelize'
import type { Column, ColumnType } from './column.ts'
import { TABLES } from './index.ts'
import { columnOf } from './table.ts'

const TYPES = {
  uuid: DataTypes.UUID,
  text: DataTypes.TEXT,
  smallint: DataTypes.SMALLINT,
  integer: DataTypes.INTEGER,
  bigint: DataTypes.BIGINT,
  'double precision': DataTypes.DOUBLE,
  boolean: DataTypes.BOOLEAN,
  date: DataTypes.DATEONLY,
  'timestamp with time zone': DataTypes.DATE,
  jsonb: DataTypes.JSONB,
  bytea: DataTypes.BLOB,
  'text[]': DataTypes.ARRAY(DataTypes.TEXT),
  'uuid[]': DataTypes.ARRAY(DataTypes.UUID),
} as const satisfies Record<ColumnType, unknown>

/** Gives each table a model, by its name. Defaults are the database's: what a row does not say is left out of its INSERT. */
export function defineTables(sequelize: Sequelize): void {
  for (const table of TABLES) {
    const attributes: ModelAttributes = {}
    for (const [field, { type, isNull, isKey }] of Object.entries<Column<unknown>>(table.columns))
      attributes[field] = { type: TYPES[type], field: columnOf(table, field), allowNull: isNull, primaryKey: isKey }
    const model = sequelize.define(table.name, attributes, { tableName: table.name, freezeTableName: true, timestamps: false })
    // Where there is no key, Sequelize would make one up.
    if (!Object.values(table.columns).some(({ isKey }) => isKey)) model.removeAttribute('id')
  }
}
