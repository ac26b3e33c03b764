import assert from 'node:assert/strict'
import { randomUUID } from 'node:crypto'
import { test } from 'node:test'
import pino from 'pino'
import { dropOldClicks, keptDays } from '../../src/data/counting.ts'
import { rows } from '../../src/data/database.ts'
import { clickFolder } from '../../src/delivery/click-log.ts'
import { loadClickLogs } from '../../src/jobs/clicks.ts'
import { clearClicks, judgeClicks } from '../../src/jobs/counting.ts'
import { aDoor, get, page } from './door.ts'
import { bringIn, must, zipOf } from './world.ts'

const door = aDoor(2_000)
const log = pino({ level: 'silent' })
const OWN = { host: 'site.localhost', 'user-agent': 'Mozilla/5.0 (X11; Linux x86_64) Firefox/140.0' }
const TAG = '<script src="/~rope/count.js" async></script>'
const HTML = '<!doctype html><title>Low water</title><p>Walk at <a href="https://tides.example/">low water</a>.'
const tell = (body: unknown, headers: Record<string, string> = {}) =>
  get(door, '/~rope/count', {
    method: 'POST',
    headers: { ...OWN, ...headers },
    body: Buffer.from(typeof body === 'string' ? body : JSON.stringify(body)),
  })
async function turn(countsPages: boolean): Promise<void> {
  must(await door.world.services.counting.change(door.world.owner, { countsPages }))
  await door.delivering.refresh()
}
async function load(): Promise<void> {
  door.delivering.delivery.clicks.flush()
  await loadClickLogs(door.world.db, clickFolder(door.world.folder), log)
}

test('nothing is counted until the site turns it on: no script, no place that takes anything', async () => {
  const { world } = door
  await bringIn(world, zipOf({ 'low.html': HTML }))
  must(await world.services.publications.create(world.owner, { all: true }))
  await door.delivering.refresh()
  assert.ok(!(await get(door, '/low.html', { headers: OWN })).body.toString().includes('count.js'))
  assert.equal((await get(door, '/~rope/count.js', { headers: OWN })).status, 404)
  assert.notEqual((await tell(['v', '/low.html', ''])).status, 204)
})

test('turned on, pages of the site and behind front doors bring the script at their end, and nothing else changes', async () => {
  const before = (await get(door, '/low.html', { headers: OWN })).body.toString()
  await turn(true)
  const after = await get(door, '/low.html', { headers: OWN })
  assert.equal(after.body.toString(), before + TAG)
  assert.match((await get(door, '/~rope/count.js', { headers: OWN })).body.toString(), /sendBeacon/)
  door.behind = page('<!doctype html><p>theirs')
  assert.equal((await get(door, '/theirs')).body.toString(), `<!doctype html><p>theirs${TAG}`)
  for (const [what, behind] of [
    ['a piece of a page', page('<p>piece')],
    ['a page that was not found', page('<!doctype html>no', {}, 404)],
    ['one whose policy refuses it', page('<!doctype html>x', { 'Content-Security-Policy': "script-src 'none'" })],
    ['what is no page', page('<!doctype html>', { 'Content-Type': 'text/plain' })],
  ] as const) {
    door.behind = behind
    assert.ok(!(await get(door, '/theirs')).body.toString().includes('count.js'), what)
  }
  door.behind = page('<!doctype html>x', { 'Content-Security-Policy': "script-src 'nonce-k7'" })
  assert.ok((await get(door, '/theirs')).body.toString().endsWith(' nonce="k7"></script>'))
})

test('what pages tell is counted once; nobody who asked not to be, nothing that is not there, nothing too large', async () => {
  const { world } = door
  for (const [body, headers, status] of [
    [['v', '/low.html', 'https://news.example/x'], {}, 204],
    [['v', '/low', ''], {}, 204],
    [['o', '/low.html', 'https://tides.example/', 0], {}, 204],
    [['v', '/low.html', ''], { 'user-agent': 'Googlebot/2.1' }, 204],
    [['v', '/low.html', ''], { 'sec-gpc': '1' }, 204],
    [['v', '/made-up.html', ''], {}, 204],
    ['no JSON', {}, 204],
    ['x'.repeat(5_000), {}, 413],
    [['v', '/theirs', ''], { host: 'door.localhost' }, 204],
  ] as const)
    assert.equal((await tell(body, headers)).status, status, JSON.stringify(body).slice(0, 60))
  assert.equal((await get(door, '/~rope/count', { headers: OWN })).status, 405)
  await load()
  await load()
  const seen = must(await world.services.counting.seen(world.owner, { days: 1, limit: 10 }))
  assert.deepEqual(seen.total, { views: 2, links: 1, bots: 1 })
  assert.deepEqual(
    seen.pages.map(({ host, path, people, others }) => [host, path, people, others]),
    [
      ['site.localhost', '/low.html', 1, 1],
      ['door.localhost', '/theirs', 1, 0],
    ],
  )
  assert.deepEqual(
    seen.links.map(({ path, address, people }) => [path, address, people]),
    [['/low.html', 'https://tides.example/', 1]],
  )
})

/** Clicks as they stand when they are loaded: by this many visitors, this many each, within a minute or over the day. */
async function click(id: string, visitors: readonly (readonly [visitor: string, clicks: number, apartMs: number])[]): Promise<void> {
  const { clicks } = door.delivering.delivery
  const day = Date.UTC(2026, 9, 5, 10)
  for (const [visitor, count, apartMs] of visitors)
    for (let i = 0; i < count; i++)
      clicks.append(
        `${new Date(day + i * apartMs).toISOString()}\t${id}\tperson\t${visitor.padStart(16, '0')}\tphone\ten\tnews.example\t\\N`,
        () => {},
      )
  await load()
}
async function countedOf(id: string): Promise<Record<string, unknown>> {
  const [found] = await rows<Record<string, unknown>>(
    door.world.db,
    `SELECT (SELECT coalesce(sum(clicks), 0)::int FROM click_rollups WHERE short_link_id = $1 AND visit = 'person') AS days,
       (SELECT coalesce(sum(clicks), 0)::int FROM click_hours WHERE short_link_id = $1 AND visit = 'person') AS hours,
       (SELECT coalesce(sum(clicks), 0)::int FROM click_hours WHERE short_link_id = $1 AND visit = 'rush') AS rush,
       (SELECT coalesce(sum(clicks), 0)::int FROM click_sources WHERE short_link_id = $1 AND kind = 'device') AS sources,
       (SELECT count(*)::int FROM clicks WHERE short_link_id = $1 AND visit = 'person') AS single,
       (SELECT coalesce(sum(visitors), 0)::int FROM click_visitors WHERE short_link_id = $1) AS visitors`,
    [id],
  )
  return found ?? {}
}

test('who clicks faster than people do is taken for a robot, and for a person again by another rule; all that was counted follows', async () => {
  const { world } = door
  const { id } = must(await world.services.shortLinks.create(world.owner, { destination: 'https://tides.example/', slug: 'low' }))
  must(await world.services.counting.change(world.owner, { botRule: { perMinute: 10, perDay: 25, unseenPerDay: 500 } }))
  await click(id, [
    ['a', 3, 1_000],
    ['b', 12, 1_000],
    ['c', 30, 600_000],
    ['d', 9, 1_000],
  ])
  await judgeClicks(world.db)
  assert.deepEqual(await countedOf(id), { days: 12, hours: 12, rush: 42, sources: 12, single: 12, visitors: 2 })
  await judgeClicks(world.db)
  assert.deepEqual(await countedOf(id), { days: 12, hours: 12, rush: 42, sources: 12, single: 12, visitors: 2 })
  must(await world.services.counting.change(world.owner, { botRule: { perMinute: 100, perDay: 25, unseenPerDay: 8 } }))
  const judged = must(await world.services.counting.judge(world.owner))
  // Pages are counted here, and of these visitors nobody looked at one: nine is too many.
  assert.deepEqual([judged.clicks > 0, (await countedOf(id)).days], [true, 3])
  await turn(false)
  must(await world.services.counting.judge(world.owner))
  assert.deepEqual(await countedOf(id), { days: 24, hours: 24, rush: 30, sources: 24, single: 24, visitors: 3 })
  assert.ok(!(await world.services.counting.judge(world.editor)).ok)
})

test('single clicks go when the site no longer keeps them, and what was counted stays', async () => {
  const { world } = door
  const { id } = must(await world.services.shortLinks.create(world.owner, { destination: 'https://tides.example/', slug: 'high' }))
  await click(id, [['a', 4, 1_000]])
  assert.ok((await keptDays(world.db)).includes('2026-10-05'))
  must(await world.services.counting.change(world.owner, { keptDays: 30 }))
  await dropOldClicks(world.db, '2026-11-04')
  assert.equal((await countedOf(id)).single, 4)
  // Another site keeps them: only this one's go.
  const other = randomUUID()
  await rows(world.db, `INSERT INTO sites (id, name, language, time_zone) VALUES ($1, 'Other', 'en', 'UTC')`, [other])
  await dropOldClicks(world.db, '2026-11-05')
  assert.deepEqual(
    [(await countedOf(id)).single, (await countedOf(id)).days, (await keptDays(world.db)).includes('2026-10-05')],
    [0, 4, true],
  )
  await rows(world.db, 'UPDATE sites SET clicks_kept_days = 10')
  await clearClicks(world.db, '2026-11-06')
  assert.equal((await keptDays(world.db)).includes('2026-10-05'), false)
  // A click of that day that comes late makes it again, and is not taken for one that cannot be stored.
  await click(id, [['b', 1, 1_000]])
  await load()
  assert.deepEqual(await rows(world.db, 'SELECT lines FROM set_aside_lines'), [])
  assert.equal((await countedOf(id)).days, 5)
})
