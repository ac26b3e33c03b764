import * as addresses from './addresses.ts'
import * as checks from './checks.ts'
import * as counting from './counting.ts'
import * as pages from './pages.ts'
import * as partners from './partners.ts'
import * as sites from './sites.ts'
import type { Table } from './table.ts'
import * as work from './work.ts'

export * from './addresses.ts'
export * from './checks.ts'
export * from './counting.ts'
export * from './pages.ts'
export * from './partners.ts'
export * from './sites.ts'
export {
  type Columns,
  columnOf,
  columnsOf,
  type FieldOf,
  type NewOf,
  type RowOf,
  recordOf,
  recordTypes,
  selected,
  selectedFromState,
  setFrom,
  setFromState,
  type Table,
} from './table.ts'
export * from './work.ts'

const isTable = (each: unknown): each is Table => typeof each === 'object' && each !== null && 'columns' in each

/** Every table that migrations make, but for the list of migrations. */
export const TABLES: readonly Table[] = [sites, pages, addresses, checks, partners, counting, work].flatMap((room) =>
  Object.values(room).filter(isTable),
)
