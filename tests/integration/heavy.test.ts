import assert from 'node:assert/strict'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { after, test } from 'node:test'
import pino from 'pino'
import { closeApart } from '../../src/apart/index.ts'
import { rows } from '../../src/data/database.ts'
import { insert, selectOne } from '../../src/data/plain.ts'
import { hosts, jobs, sites } from '../../src/data/tables/index.ts'
import { ImportThreads } from '../../src/jobs/import-threads.ts'
import { openJobQueue } from '../../src/jobs/index.ts'
import { inWords } from '../../src/words/index.ts'
import { until } from '../until.ts'
import { actorOf, bringIn, makeWorld, must, pageAt, reportOf, zipOf } from './world.ts'

test('Markdown that would take hours, or more memory than there is, is refused by name, and the rest is taken', async () => {
  const world = await makeWorld()
  let longest = 0
  let last = performance.now()
  const beat = setInterval(() => {
    longest = Math.max(longest, performance.now() - last)
    last = performance.now()
  }, 10)
  const job = await bringIn(
    world,
    zipOf({
      'slow.md': `# Slow\n\n${'*a_'.repeat(20_000)}`,
      'deep.md': `# Deep\n\n${'> '.repeat(40_000)}`,
      'well.md': '# Well\n\nThis one is *short*.',
    }),
  )
  clearInterval(beat)
  const report = reportOf(job)
  const outcome = Object.fromEntries(report.items.map(({ name, outcome, reason }) => [name, `${outcome} ${reason?.slice(0, 22) ?? ''}`]))
  assert.equal(outcome['slow.md'], 'refused This takes too long to')
  // On a machine that has much to do its time is over before its memory is.
  assert.match(outcome['deep.md'] ?? '', /^refused This takes (?:more memory|too long to)$/)
  assert.equal(outcome['well.md'], 'new ')
  // The work itself takes ten seconds before it is given up: whoever else is answered here was not kept waiting by it.
  assert.ok(longest < 3_000, `this thread stood still for ${longest} ms`)
  await closeApart()
})

test('rules on HTML that somebody sends are put on apart, as they are on pages', async () => {
  const { services, owner } = await makeWorld()
  must(
    await services.rules.save(owner, {
      version: 0,
      rules: [
        { id: 'o', name: 'Outside', isOn: true, isBinding: false, when: { is: 'kind', of: ['outside'] }, what: { hints: ['nofollow'] } },
      ],
    }),
  )
  const answer = must(await services.rules.rewrite(owner, { html: '<p><a href="https://tides.example/">x</a>', path: '/a' }))
  assert.equal(answer.html, '<p><a href="https://tides.example/" rel="nofollow">x</a>')
  assert.equal(answer.links[0]?.because.rel, 'rule 1: Outside')
  await closeApart()
})

test('a job that ended its process twice has failed, and is not begun again', async () => {
  const world = await makeWorld()
  const { siteId, personId } = world.owner
  const updatedAt = new Date(Date.now() - 5 * 60_000)
  const make = async (begun: number, kind = 'import') =>
    (await insert(world.db, jobs, { siteId, kind, state: 'running', input: {}, personId, begun, updatedAt })).id
  const [twice, once, list] = [await make(2), await make(1), await make(2, 'short-links')]
  const queue = await openJobQueue(world.db, true, pino({ level: 'silent' }), world.settings)
  await queue.rescue()
  const state = async (id: string) => (await selectOne(world.db, jobs, ['state'], { id }))?.state
  assert.equal(await state(twice), 'failed')
  assert.equal(await state(once), 'waiting')
  const message = async (id: string) => String(inWords((await selectOne(world.db, jobs, ['message'], { id }))?.message))
  assert.match(await message(twice), /Nothing was changed/)
  assert.match(await message(list), /What was done until then stays/)
  await queue.stop()
})

/** What is too much of a page, and the word that its refusal holds. */
const TOO_MUCH: readonly (readonly [name: string, fault: string, html: string])[] = [
  ['large', 'page-too-large', `<p>${'x'.repeat(8 * 1024 * 1024)}`],
  ['linked', 'page-too-many-links', '<a href="/x">y</a>'.repeat(20_001)],
  ['deep', 'page-too-deep', '<div>'.repeat(1_001)],
  ['listed', 'page-lists-too-deep', '<ul><li>'.repeat(101)],
]

test('what is too much of a page is refused by name on every way in, and what just fits is taken', async () => {
  const world = await makeWorld()
  const { services, owner } = world
  const fits = `<p>${'<a href="/x">y</a>'.repeat(19_000)}${'<div>'.repeat(999)}${'</div>'.repeat(999)}${'<ul><li>'.repeat(100)}`
  const report = reportOf(
    await bringIn(world, zipOf({ 'fits.html': fits, ...Object.fromEntries(TOO_MUCH.map(([name, , html]) => [`${name}.html`, html])) })),
  )
  assert.equal(report.items.find(({ name }) => name === 'fits.html')?.outcome, 'new', 'fits')
  const page = must(await services.pages.create(owner, { path: '/given.html', title: 'Given' }))
  for (const [name, fault, html] of TOO_MUCH) {
    const item = report.items.find((each) => each.name === `${name}.html`)
    assert.equal(item?.outcome, 'refused', name)
    assert.match(item?.reason ?? '', /MB|links|nested/, name)
    const { source, version } = must(await services.pages.source(owner, page.id))
    const at = source.length
    const patched = await services.pages.change(owner, page.id, { version, patchSets: [[{ from: at, to: at, insert: html }]] })
    assert.equal(patched.ok ? '' : patched.fault, fault, `${name}, written in the editor`)
    const rewritten = await services.rules.rewrite(owner, { html })
    assert.equal(rewritten.ok ? '' : rewritten.fault, fault, `${name}, sent to the rewrite call`)
  }
  // A page that came here before there were limits is not locked: what is too much already may stay so.
  const id = await pageAt(world, '/fits.html')
  const before = must(await services.pages.source(owner, id))
  const insert = '<a href="/x">y</a>'.repeat(1_500)
  const refused = await services.pages.change(owner, id, { version: before.version, patchSets: [[{ from: 3, to: 3, insert }]] })
  assert.equal(refused.ok ? '' : refused.fault, 'page-too-many-links')
  await closeApart()
})

/** A site that answers a little now and then, just more than is too slow, and never ends. */
async function drippingSite(): Promise<string> {
  const server = createServer((_request, response) => {
    response.writeHead(200, { 'Content-Type': 'text/xml' })
    const drip = setInterval(() => response.write(' '.repeat(100)), 50)
    response.on('close', () => clearInterval(drip))
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  after(() => {
    server.closeAllConnections()
    server.close()
  })
  return `http://127.0.0.1:${(server.address() as AddressInfo).port}/sitemap.xml`
}
test('one slow site holds no other site’s import up; cancelled, it ends at once; a restart takes it up again', async () => {
  const world = await makeWorld()
  const { db, services, owner } = world
  await rows(db, `UPDATE sites SET inside_allowed = '{0.0.0.0/0,::/0}'`)
  const other = await insert(db, sites, { name: 'Other', timeZone: 'UTC' })
  await insert(db, hosts, { siteId: other.id, host: 'other.localhost', kind: 'site', isMain: true })
  const them = await actorOf(db, { siteId: other.id, email: 'o@other.example', name: 'O', role: 'owner', passwordHash: 'x' })
  const threads = new ImportThreads(db, world.settings, pino({ level: 'silent' }))
  const join = async (): Promise<void> => {}
  const state = async (id: string) => (await selectOne(db, jobs, ['state'], { id }))?.state
  const slow = must(await services.imports.fetch(owner, { address: await drippingSite(), dryRun: true }))
  const slowOne = threads.carryOut(slow, join)
  await until(async () => (await state(slow)) === 'running', 'it', 10_000)
  // Another of the same site waits for its turn; another site's does not.
  const behind = must(await services.imports.start(owner, { name: 'a.zip', bytes: zipOf({ 'a.html': '<p>a' }) }, () => ({ dryRun: true })))
  await threads.carryOut(behind, join)
  assert.equal(await state(behind), 'waiting')
  const quick = must(await services.imports.start(them, { name: 'b.zip', bytes: zipOf({ 'b.html': '<p>b' }) }, () => ({ dryRun: false })))
  await threads.carryOut(quick, join)
  assert.equal(await state(quick), 'done')
  assert.equal(await state(slow), 'running')
  must(await services.jobs.cancel(owner, slow))
  const asked = Date.now()
  await slowOne
  assert.equal(await state(slow), 'cancelled')
  assert.ok(Date.now() - asked < 8_000, 'it ended soon, whatever it waited for')
  // A process that is told to stop leaves what it was at for the next start, and does not hold it against it.
  const again = must(await services.imports.fetch(owner, { address: await drippingSite(), dryRun: true }))
  const begun = threads.carryOut(again, join)
  await until(async () => (await state(again)) === 'running', 'it', 10_000)
  await threads.close()
  await begun
  assert.equal(await state(again), 'waiting')
  assert.deepEqual(await rows(db, 'SELECT begun FROM jobs WHERE id = $1', [again]), [{ begun: 0 }])
})
