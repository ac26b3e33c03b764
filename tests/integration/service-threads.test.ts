import assert from 'node:assert/strict'
import { randomUUID } from 'node:crypto'
import { after, test } from 'node:test'
import { whileWanted } from '../../src/apart/index.ts'
import { inTransaction } from '../../src/data/database.ts'
import { beginJob, claimJob, closeJob, insertJob } from '../../src/data/jobs.ts'
import { ServiceThreads, withPatience } from '../../src/services/index.ts'
import { until } from '../until.ts'
import { bringIn, makeWorld, must, zipOf } from './world.ts'

const world = await makeWorld()
const threads = new ServiceThreads(world.settings, { waits: true })
const carried = threads.carry(world.services)
after(() => threads.close())

const RULES = [
  {
    id: 'o',
    name: 'Outside',
    isOn: true,
    isBinding: false,
    when: { is: 'kind' as const, of: ['outside' as const] },
    what: { hints: ['nofollow' as const] },
  },
]

test('calls that are carried out in a thread answer as those that are not, and refuse what their caller may not', async () => {
  const { services, owner, contributor } = world
  await bringIn(world, zipOf({ 'a.html': '<title>A</title><p><a href="https://lanterns.example/">here</a> <a href="/none">x</a>' }))
  assert.deepEqual(await carried.placements.list(owner, { limit: 10 }), await services.placements.list(owner, { limit: 10 }))
  assert.deepEqual(await carried.placements.csv(owner, {}, null), await services.placements.csv(owner, {}, null))
  assert.equal(must(await carried.placements.list(owner, { limit: 10 })).total, 2)
  assert.deepEqual(await carried.rules.impact(owner, { rules: RULES }), await services.rules.impact(owner, { rules: RULES }))
  assert.equal(must(await carried.rules.impact(owner, { rules: RULES })).links, 1)
  assert.deepEqual(await carried.desk.look(owner), await services.desk.look(owner))
  assert.deepEqual(await carried.publications.review(owner, { all: true }), await services.publications.review(owner, { all: true }))
  const change = { selection: { filter: { kind: 'outside' }, except: [] }, change: { do: 'bake' as const }, dryRun: false }
  const refused = await carried.bulkChanges.make(contributor, change)
  assert.equal(refused.ok ? '' : refused.fault, 'forbidden')
})

test('while a large site is judged, this thread answers; the next look finds it judged', async () => {
  const { owner } = world
  const many = Array.from({ length: 6_000 }, (_, i) => `<p><a href="https://s${i % 97}.example/${i}">word ${i}</a>`).join('')
  await bringIn(world, zipOf(Object.fromEntries(Array.from({ length: 6 }, (_, i) => [`p${i}.html`, many]))))
  let longest = 0
  let last = performance.now()
  const beat = setInterval(() => {
    longest = Math.max(longest, performance.now() - last)
    last = performance.now()
  }, 5).unref()
  const took = await timeOf(async () => assert.equal(must(await carried.rules.impact(owner, { rules: RULES })).links, 36_001))
  clearInterval(beat)
  const again = await timeOf(async () => assert.equal(must(await carried.placements.list(owner, { limit: 1 })).total, 36_002))
  assert.ok(longest < took / 2, `this thread stood still for ${longest} of ${took} ms`)
  assert.ok(again < took, `it was kept: ${again} of ${took} ms`)
})

test('what nobody waits for any more does not keep its thread', async () => {
  const { db, owner } = world
  const blocker = await db.pool.connect()
  try {
    await blocker.query('BEGIN')
    await blocker.query('LOCK TABLE placements IN ACCESS EXCLUSIVE MODE') // whoever looks at links waits for ever
    const gone = new AbortController()
    const waiting = whileWanted(gone.signal, () => carried.publications.review(owner, { all: true }))
    const stuck = whileWanted(gone.signal, () => carried.placements.csv(owner, { text: 'none' }, null))
    gone.abort()
    const ended = await Promise.race([Promise.all([waiting, stuck]), new Promise((resolve) => setTimeout(resolve, 15_000, 'still there'))])
    assert.notEqual(ended, 'still there')
  } finally {
    await blocker.query('ROLLBACK')
    blocker.release()
  }
  assert.ok((await carried.desk.look(owner)).ok)
})

test('a call that is over its time and does not stop ends its thread; what else that had in hand is told, and the next call is answered', async () => {
  const small = await makeWorld()
  const { db, owner, settings } = small
  const strict = new ServiceThreads(settings, { waits: true, limits: { deadlineMs: 5_000, stopsWithinMs: 500 } })
  const hurried = strict.carry(small.services)
  const blocker = await db.pool.connect()
  const said = (result: { ok: true } | { ok: false; fault: string }): string => (result.ok ? 'ok' : result.fault)
  try {
    await until(async () => (await hurried.desk.look(owner)).ok) // the thread is there, however long it took to begin
    await bringIn(small, zipOf({ 'held.html': '<p><a href="https://lanterns.example/">held</a>' }))
    await blocker.query('BEGIN')
    await blocker.query('LOCK TABLE placements IN ACCESS EXCLUSIVE MODE')
    const first = hurried.publications.unpublished(owner) // it waits for the database itself, and hears nothing
    await new Promise((resolve) => setTimeout(resolve, 3_000))
    const second = hurried.publications.unpublished(owner)
    assert.equal(said(await first), 'work-too-slow')
    assert.equal(said(await second), 'work-broke')
    await blocker.query('ROLLBACK')
    assert.equal(said(await hurried.placements.list(owner, { limit: 1 })), 'ok')
  } finally {
    await blocker.query('ROLLBACK')
    blocker.release()
    await strict.close()
  }
})

test('while the links of a site are read first, a look says how far that is, and finds them when it is over', async () => {
  const { db, owner } = world
  const impatient = new ServiceThreads(world.settings)
  const { placements } = impatient.carry(world.services)
  await bringIn(world, zipOf({ 'more.html': '<p><a href="https://lanterns.example/">one more</a>' }))
  const blocker = await db.pool.connect()
  try {
    await blocker.query('BEGIN')
    await blocker.query('LOCK TABLE placements IN ACCESS EXCLUSIVE MODE') // reading them takes as long as this is held
    const told = await placements.list(owner, { limit: 1 })
    assert.equal(told.ok ? 'found' : told.fault, 'links-being-read')
    assert.equal(typeof (told.ok ? null : told.detail.done), 'number')
    await blocker.query('ROLLBACK')
    for (let tries = 0; ; tries++) {
      const found = await placements.list(owner, { limit: 1 })
      if (found.ok) {
        assert.equal(found.value.total, 36_003)
        break
      }
      assert.equal(found.fault, 'links-being-read')
      assert.ok(tries < 100, 'they are never read')
    }
  } finally {
    await blocker.query('ROLLBACK')
    blocker.release()
    await impatient.close()
  }
})

test('the Desk says what else there is while links are read, and how far that is, and has them at a later look', async () => {
  const { services, owner } = world
  await bringIn(world, zipOf({ 'later.html': '<p><a href="https://lanterns.example/">another</a>' }))
  const early = must(await withPatience(0, () => services.desk.look(owner)))
  assert.equal(typeof early.reading, 'number')
  assert.ok(early.pages > 0 && early.links === 0)
  const late = must(await services.desk.look(owner))
  assert.equal(late.reading, null)
  assert.equal(late.links, 36_004)
})

test('a list is taken up beside a review that a call is at, and waits for another list', async () => {
  const { db, owner } = world
  const { siteId, personId } = owner
  const list = () => inTransaction(db, (transaction) => insertJob(db, { siteId, personId, kind: 'redirects', input: {} }, transaction))
  const review = randomUUID()
  assert.ok(await beginJob(db, { id: review, siteId, kind: 'phrases', personId, total: 1 }))
  const [first, second] = [await list(), await list()]
  assert.notEqual(await claimJob(db, first), null)
  assert.equal(await claimJob(db, second), null)
  for (const id of [first, second, review]) await closeJob(db, id, { state: 'done' })
})

async function timeOf(work: () => Promise<void>): Promise<number> {
  const before = performance.now()
  await work()
  return performance.now() - before
}
