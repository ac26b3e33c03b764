import assert from 'node:assert/strict'
import { randomUUID } from 'node:crypto'
import { before, test } from 'node:test'
import { rows } from '../../src/data/database.ts'
import { count, insert, insertAll, remove, select, update } from '../../src/data/plain.ts'
import {
  columnOf,
  REDIRECT_SAYS,
  SHORT_LINK_SAYS,
  shortLinkChanges,
  shortLinks,
  TABLES,
  uploads,
  utmValues,
} from '../../src/data/tables/index.ts'
import { makeWorld, type World } from './world.ts'

/** A column as the database has it, in the words of `tables/`. */
interface Column {
  readonly table: string
  readonly column: string
  readonly type: string
  readonly isNull: boolean
  readonly isKey: boolean
  readonly otherwise: string | null
}

let world: World
let kept: readonly Column[]
before(async () => {
  world = await makeWorld()
  kept = await rows<Column>(
    world.db,
    `SELECT c.relname AS table, a.attname AS column, format_type(a.atttypid, a.atttypmod) AS type, NOT a.attnotnull AS "isNull",
       EXISTS (SELECT FROM pg_constraint k WHERE k.conrelid = c.oid AND k.contype = 'p' AND a.attnum = ANY(k.conkey)) AS "isKey",
       CASE WHEN a.attidentity <> '' THEN 'identity' ELSE pg_get_expr(d.adbin, d.adrelid) END AS otherwise
     FROM pg_class c JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped
       LEFT JOIN pg_attrdef d ON d.adrelid = c.oid AND d.adnum = a.attnum
     WHERE c.relnamespace = 'public'::regnamespace AND c.relkind IN ('r', 'p') AND NOT c.relispartition AND c.relname <> 'migrations'
     ORDER BY c.relname, a.attname COLLATE "C"`,
  )
})

test('tables are said as the migrations leave them: every column, its type, whether it may be empty, and what stands in it where nobody says', () => {
  const said = TABLES.flatMap((table) =>
    Object.entries(table.columns).map(([field, { type, isNull, isKey, otherwise }]) => ({
      table: table.name,
      column: columnOf(table, field),
      type,
      isNull,
      isKey,
      otherwise,
    })),
  )
  const inOrder = (columns: readonly Column[]): string[] => columns.map((each) => JSON.stringify(each, Object.keys(each).sort())).sort()
  assert.ok(kept.length > 300)
  assert.deepEqual(inOrder(said), inOrder(kept))
})

test('every table has a model, by its name, with the columns that it is said to have', () => {
  for (const { name, columns } of TABLES) {
    const model = world.db.sequelize.model(name)
    assert.deepEqual(Object.keys(model.getAttributes()), Object.keys(columns), name)
  }
})

test('a revision of a redirect keeps all that a row says', async () => {
  const [found] = await rows<{ fields: string[] }>(
    world.db,
    `SELECT array_agg(field ORDER BY field) AS fields FROM jsonb_object_keys(redirect_state(NULL::redirects)) AS field`,
  )
  assert.deepEqual(found?.fields, [...REDIRECT_SAYS, 'isRemoved', 'place'].sort())
})

test('a version of a short link keeps all that a link says, as a link does', () => {
  for (const field of SHORT_LINK_SAYS) {
    assert.equal(shortLinkChanges.columns[field].type, shortLinks.columns[field].type, field)
    assert.equal(columnOf(shortLinkChanges, field), columnOf(shortLinks, field))
  }
})

test('a row that is made is told with what the database put into it, and does not come back with what was said', async () => {
  const { db, owner } = world
  const bytes = Buffer.from('ahoy')
  const made = await insert(db, uploads, { id: randomUUID(), part: 0, bytes, siteId: owner.siteId })
  assert.equal(made.bytes, bytes, 'the same bytes, not as they were read again')
  assert.ok(made.createdAt instanceof Date)
  assert.equal(made.personId, null)
})

test('rows that are made together, changed and taken away are those that were meant', async () => {
  const { db, owner } = world
  const id = randomUUID()
  const parts = [0, 1, 2].map((n) => ({ siteId: owner.siteId, name: `${id} ${n}`, value: 'it’s \\ $1 :a', uses: n }))
  await insertAll(db, utmValues, ['siteId', 'name', 'value', 'uses'], parts)
  assert.equal(await update(db, utmValues, { uses: 9 }, { name: [`${id} 0`, `${id} 2`], value: 'it’s \\ $1 :a' }), 2)
  const found = await select(db, utmValues, ['name', 'uses'], { siteId: owner.siteId }, { order: [['name', 'ASC']] })
  assert.deepEqual(
    found.map(({ uses }) => uses),
    [9, 1, 9],
  )
  assert.equal(await remove(db, utmValues, { uses: 9 }), 2)
  assert.equal(await count(db, utmValues, { siteId: owner.siteId }), 1)
})
