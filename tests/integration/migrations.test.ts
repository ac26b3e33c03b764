import assert from 'node:assert/strict'
import { test } from 'node:test'
import { RuleBody } from '../../src/contract/rules.ts'
import { closeDatabase, migrate, openDatabase, rows } from '../../src/data/database.ts'
import { keel } from '../../src/data/migrations/001-keel.ts'
import { pagesDesk } from '../../src/data/migrations/002-pages-desk.ts'
import { emptyDatabase } from './world.ts'

test('rules written before conditions were combined keep their meaning', async () => {
  const db = openDatabase(await emptyDatabase())
  try {
    await db.sequelize.query('CREATE TABLE migrations (name text PRIMARY KEY, run_at timestamptz NOT NULL DEFAULT now())')
    for (const { name, up } of [keel, pagesDesk]) {
      await db.sequelize.query(up)
      await db.sequelize.query('INSERT INTO migrations (name) VALUES ($1)', { bind: [name] })
    }
    await db.sequelize.query(`INSERT INTO sites (name) VALUES ('The Slow Ferry')`)
    const old = [
      {
        id: 'a',
        name: 'Old outside links',
        isOn: true,
        isBinding: false,
        where: {},
        which: { kinds: ['outside'], partner: false, origin: 'imported' },
        what: { opens: 'new tab' },
      },
      {
        id: 'b',
        name: 'Pictures of one shop',
        isOn: true,
        isBinding: true,
        where: { under: ['/islands'] },
        which: { sites: ['gannet-line.example'], address: 'https://*', shows: 'picture' },
        what: { hints: [] },
      },
      { id: 'c', name: 'Everything', isOn: false, isBinding: false, where: {}, which: {}, what: { noopener: true } },
    ]
    for (const [version, list] of [old, []].entries())
      await db.sequelize.query('INSERT INTO rules (site_id, version, list) SELECT id, $1, $2::jsonb FROM sites', {
        bind: [version + 1, JSON.stringify(list)],
      })

    await migrate(db)

    const [first, second] = await rows<{ list: unknown[] }>(db, 'SELECT list FROM rules ORDER BY version')
    const rules = (first?.list ?? []).map((rule) => RuleBody.parse(rule))
    assert.deepEqual(
      rules.map(({ id, isOn, isBinding, when, what }) => ({ id, isOn, isBinding, when, what })),
      [
        {
          id: 'a',
          isOn: true,
          isBinding: false,
          when: { all: [{ is: 'kind', of: ['outside'] }, { not: { is: 'partner' } }, { is: 'origin', of: 'imported' }] },
          what: { opens: 'new tab' },
        },
        {
          id: 'b',
          isOn: true,
          isBinding: true,
          when: {
            all: [
              { is: 'site', of: ['gannet-line.example'] },
              { is: 'address', like: 'https://*' },
              { is: 'shows', of: 'picture' },
              { is: 'under', of: ['/islands'] },
            ],
          },
          what: { hints: [] },
        },
        { id: 'c', isOn: false, isBinding: false, when: { all: [] }, what: { noopener: true } },
      ],
    )
    assert.deepEqual(second?.list, [])
  } finally {
    await closeDatabase(db)
  }
})
