import assert from 'node:assert/strict'
import { test } from 'node:test'
import { RuleBody } from '../../src/contract/rules.ts'
import { closeDatabase, migrate, openDatabase, rows } from '../../src/data/database.ts'
import { firstTables } from '../../src/data/migrations/001-first-tables.ts'
import { writingAndParts } from '../../src/data/migrations/002-writing-and-parts.ts'
import { emptyDatabase, makeWorld, must } from './world.ts'

test('rules written before conditions were combined keep their meaning', async () => {
  const db = openDatabase(await emptyDatabase())
  try {
    await db.sequelize.query('CREATE TABLE migrations (name text PRIMARY KEY, run_at timestamptz NOT NULL DEFAULT now())')
    for (const { name, up } of [firstTables, writingAndParts]) {
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

test('what was said of pages in comments moves into columns, in every version of them, and nothing of anybody else’s does', async () => {
  const world = await makeWorld()
  const { db, services, owner } = world
  const said = '<!doctype html><body>\n<!-- tags: Spring, log --><p><a href="/x">x</a><script>"<!-- tags: no -->"</script>'
  const page = must(await services.pages.create(owner, { path: '/said.html', title: 'Said' }))
  const { source, version } = must(await services.pages.source(owner, page.id))
  must(await services.pages.change(owner, page.id, { version, patchSets: [[{ from: 0, to: source.length, insert: said }]] }))
  must(await services.publications.create(owner, { all: true }))
  // As it was before there were columns.
  await rows(db, `DELETE FROM migrations WHERE name = '007-notes'`)
  await rows(db, 'CREATE TABLE snapshot_state AS SELECT 1::bigint AS version')
  await rows(db, 'ALTER TABLE blobs DROP COLUMN tags, DROP COLUMN written_for')
  await rows(db, `UPDATE pages SET tags = '{theirs}'`) // as it was derived from a comment of another form
  await migrate(db)
  await services.placements.rebuild(owner.siteId)

  const now = must(await services.pages.source(owner, page.id))
  assert.equal(now.source, said.replace('<!-- tags: Spring, log -->', ''))
  assert.deepEqual([now.state, now.version, now.tags], ['live', 3, ['Spring', 'log']])
  const [kept] = await rows(
    db,
    'SELECT b.tags FROM pages p JOIN blobs b ON b.hash = p.draft_hash AND b.hash = p.live_hash WHERE p.id = $1',
    [page.id],
  )
  assert.deepEqual(kept, { tags: ['Spring', 'log'] })
  assert.equal(must(await services.pages.history(owner, page.id)).items[0]?.madeBy, 'notes')
  // What is said goes with each version: changed, published, and brought back.
  const other = must(await services.pages.change(owner, page.id, { version: 3, patchSets: [], tags: ['other'] }))
  assert.equal(other.state, 'changed')
  must(await services.publications.create(owner, { all: true }))
  const [, first] = must(await services.publications.list(owner)).items
  must(await services.publications.restore(owner, first?.id ?? ''))
  const back = must(await services.pages.source(owner, page.id))
  assert.deepEqual([back.tags, back.state], [['Spring', 'log'], 'live'])
  const unknown = await services.pages.change(owner, page.id, { version: back.version, patchSets: [], writtenFor: page.id })
  assert.equal(unknown.ok ? '' : unknown.fault, 'partner-unknown')
})

test('what was said in words before sentences had names is said as it was', async () => {
  const world = await makeWorld()
  const { db, services, owner } = world
  const [job] = await rows<{ id: string }>(
    db,
    `INSERT INTO jobs (site_id, kind, state, input, message) VALUES ($1, 'import', 'failed', '{}', to_jsonb('It broke off.'::text)) RETURNING id`,
    [owner.siteId],
  )
  assert.deepEqual(must(await services.jobs.get(owner, job?.id ?? '')).message, 'It broke off.')
  must(
    await services.redirectSteps.create(owner, { what: 'x', items: [{ do: 'make', row: { from: '/old', to: 'https://tides.example/' } }] }),
  )
  await rows(db, `UPDATE redirect_steps SET what = to_jsonb('A list'::text)`)
  assert.deepEqual(
    must(await services.redirectSteps.list(owner)).items.map(({ what }) => what),
    ['A list'],
  )
})
