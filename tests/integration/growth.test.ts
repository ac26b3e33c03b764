import assert from 'node:assert/strict'
import { before, test } from 'node:test'
import { OTHER_SOURCES } from '../../src/core/clicks/index.ts'
import { rows } from '../../src/data/database.ts'
import { foldGrowth } from '../../src/data/growth.ts'
import { makeWorld, must, type World } from './world.ts'

let world: World
before(async () => {
  world = await makeWorld()
})

test('forged referrers become others once their day is over, and nothing that was counted is lost', async () => {
  const { db, services, owner } = world
  const { id } = must(await services.shortLinks.create(owner, { destination: 'https://tides.example/', slug: 'forged' }))
  const put = (day: number, of: string, most: number) =>
    rows(
      db,
      `INSERT INTO click_sources (short_link_id, day, kind, value, clicks)
       SELECT $1, current_date - $2::int, 'referrer', $3 || n, CASE WHEN n <= 5 THEN 100 ELSE 1 END FROM generate_series(1, $4::int) n`,
      [id, day, of, most],
    )
  await put(3, 'https://forged.example/', 3_000)
  await put(0, 'https://today.example/', 3_000)
  await put(900, 'https://old.example/', 10)
  await rows(
    db,
    `INSERT INTO click_sources VALUES ($1, current_date - 3, 'device', 'phone', 3000), ($1, current_date - 3, 'referrer', '', 7)`,
    [id],
  )
  for (let night = 0; night < 2; night++) await foldGrowth(db)
  const kept = async (day: number) =>
    rows<{ value: string; clicks: number }>(
      db,
      `SELECT value, clicks::int AS clicks FROM click_sources WHERE short_link_id = $1 AND day = current_date - $2::int AND kind = 'referrer'`,
      [id, day],
    )
  const folded = await kept(3)
  assert.equal(folded.length, 202, 'those that came most, none, and others')
  assert.equal(
    folded.reduce((sum, { clicks }) => sum + clicks, 0),
    5 * 100 + 2_995 + 7,
  )
  assert.equal(folded.find(({ value }) => value === OTHER_SOURCES)?.clicks, 2_800)
  assert.equal(folded.filter(({ clicks }) => clicks === 100).length, 5)
  assert.deepEqual([(await kept(0)).length, (await kept(900)).length], [3_000, 0], 'a day that is not over is left, an old one gone')
})

test('a missed address keeps the referrers that came most', async () => {
  const { db, owner } = world
  const [missed] = await rows<{ id: string }>(
    db,
    `INSERT INTO missed (site_id, host, path, people, others, first_at, last_at) VALUES ($1, 'site.localhost', '/gone', 5, 0, now(), now()) RETURNING id`,
    [owner.siteId],
  )
  await rows(db, `INSERT INTO missed_referrers SELECT $1, 'https://forged.example/' || n, n FROM generate_series(1, 500) n`, [missed?.id])
  await foldGrowth(db)
  const kept = await rows<{ visits: number }>(
    db,
    'SELECT visits::int AS visits FROM missed_referrers WHERE missed_id = $1 ORDER BY visits',
    [missed?.id],
  )
  assert.deepEqual([kept.length, kept[0]?.visits], [20, 481])
})

test('pages that were looked at and links that were followed are forgotten when the last of their hours is', async () => {
  const { db, owner } = world
  const seen = async (path: string, days: number) => {
    const [page] = await rows<{ id: string }>(
      db,
      `INSERT INTO seen_pages (site_id, host, path) VALUES ($1, 'site.localhost', $2) RETURNING id`,
      [owner.siteId, path],
    )
    await rows(db, 'INSERT INTO seen_page_hours VALUES ($1, now() - make_interval(days => $2), 1, 0)', [page?.id, days])
  }
  await seen('/old', 900)
  await seen('/new', 10)
  await foldGrowth(db)
  const left = await rows<{ path: string }>(db, 'SELECT path FROM seen_pages')
  assert.deepEqual(
    left.map(({ path }) => path),
    ['/new'],
  )
})

test('people and tokens have a bound, with a sentence', async () => {
  const { db, services, owner } = world
  await rows(
    db,
    `INSERT INTO tokens (person_id, site_id, name, scopes, token_hash) SELECT $1, $2, 'many', '{}', 'hash ' || n FROM generate_series(1, 100) n`,
    [owner.personId, owner.siteId],
  )
  const token = await services.tokens.make(owner, { name: 'one more', scopes: ['rules:read'] })
  assert.equal(token.ok ? '' : token.fault, 'tokens-too-many')
  await rows(
    db,
    `WITH many AS (INSERT INTO people (email, name) SELECT n || '@many.example', 'Many' FROM generate_series(1, 500) n RETURNING id)
     INSERT INTO memberships (site_id, person_id, role) SELECT $1, id, 'contributor' FROM many`,
    [owner.siteId],
  )
  const person = await services.people.add(owner, { email: 'more@many.example', name: 'More', role: 'contributor' }, 'http://localhost')
  assert.equal(person.ok ? '' : person.fault, 'people-too-many')
})
