import assert from 'node:assert/strict'
import { after, before, test } from 'node:test'
import pino from 'pino'
import { rows } from '../../src/data/database.ts'
import { jobsToTakeUp } from '../../src/data/jobs.ts'
import { ImportThreads } from '../../src/jobs/import-threads.ts'
import { runStepUndo } from '../../src/jobs/steps.ts'
import { bringIn, makeWorld, must, pageAt, reportOf, type World, zipOf } from './world.ts'

const silent = pino({ level: 'silent' })
const PAGES = 900
const join = async (): Promise<void> => {}

let world: World
const opened: ImportThreads[] = []
before(async () => {
  world = await makeWorld()
  await bringIn(world, zipOf({ 'p0.html': '<title>Before</title><p>before', 'old.txt': 'before', 'p1.html': '<title>Left</title><p>left' }))
})
after(async () => {
  for (const threads of opened) await threads.close()
})

const startThreads = (): ImportThreads => {
  const threads = new ImportThreads(world.db, world.settings, silent)
  opened.push(threads)
  return threads
}

const countIn = async (job: string): Promise<number> =>
  (await rows<{ pages: number }>(world.db, 'SELECT count(*)::int AS pages FROM page_revisions WHERE step_id = $1', [job]))[0]?.pages ?? 0

/** Pages enough that somebody can do something while they come. */
const many = (what: string): Uint8Array =>
  zipOf({
    'old.txt': `after ${what}`,
    [`${what}.txt`]: what,
    ...Object.fromEntries(
      Array.from({ length: PAGES }, (_, i) => [
        `p${i}.html`,
        `<title>${what} ${i}</title>${`<p>${'word '.repeat(200)}<a href="/p${i}.html">it</a>`.repeat(20)}`,
      ]),
    ),
  })

async function begin(what: string): Promise<{ job: string; threads: ImportThreads; running: Promise<void> }> {
  const job = must(await world.services.imports.start(world.owner, { name: `${what}.zip`, bytes: many(what) }, () => ({ dryRun: false })))
  const threads = startThreads()
  const running = threads.carryOut(job, join)
  for (const endsAt = Date.now() + 30_000; (await countIn(job)) === 0; ) {
    if (Date.now() > endsAt) throw new Error('nothing has come in')
    await new Promise((resolve) => setTimeout(resolve, 10))
  }
  return { job, threads, running }
}

const sourceAt = async (path: string): Promise<string> =>
  must(await world.services.pages.source(world.owner, await pageAt(world, path))).source
const textAt = async (path: string): Promise<string | null> => {
  const [file] = await rows<{ text: string }>(
    world.db,
    `SELECT convert_from(b.bytes, 'UTF8') AS text FROM files f JOIN blobs b ON b.hash = f.draft_hash WHERE f.path = $1 AND f.removed_at IS NULL`,
    [path],
  )
  return file?.text ?? null
}
const livingPages = async (): Promise<number> =>
  (await rows<{ pages: number }>(world.db, `SELECT count(*)::int AS pages FROM pages WHERE kind = 'page' AND removed_at IS NULL`))[0]
    ?.pages ?? 0

test('a page that is in can be edited while the rest comes; stopped, all that came goes as it was, and what was edited stays', async () => {
  const { db, services, owner } = world
  const before = { first: await sourceAt('/p0.html'), second: await sourceAt('/p1.html'), pages: await livingPages() }
  const { job, running } = await begin('Stopped')
  const told = must(await services.jobs.get(owner, job))
  assert.ok(told.done <= (await countIn(job)) + 2, 'no more is told to be in than is')
  // The files stand before the pages.
  assert.equal(await textAt('/old.txt'), 'after Stopped')
  const edited = await pageAt(world, '/p1.html')
  const { source, version } = must(await services.pages.source(owner, edited))
  assert.notEqual(source, before.second)
  must(
    await services.pages.change(owner, edited, { version, patchSets: [[{ from: source.length, to: source.length, insert: '<p>mine' }]] }),
  )
  must(await services.jobs.cancel(owner, job))
  await running
  const ended = must(await services.jobs.get(owner, job))
  assert.deepEqual([ended.state, ended.message, ended.canGoOn], ['cancelled', 'Stopped. What had come in is taken back.', false])
  assert.ok((await countIn(job)) < PAGES, 'it was stopped before its end')
  const [undo = ''] = await jobsToTakeUp(db)
  await runStepUndo(db, services.steps, 'imports-undo', undo, silent)
  const undone = must(await services.jobs.get(owner, undo))
  assert.equal(undone.state, 'done')
  assert.equal(undone.report !== null && 'changedSince' in undone.report ? undone.report.changedSince : null, 1)
  assert.equal(await sourceAt('/p0.html'), before.first)
  assert.match(await sourceAt('/p1.html'), /<p>mine$/)
  assert.equal(await livingPages(), before.pages)
  assert.deepEqual([await textAt('/old.txt'), await textAt('/Stopped.txt')], ['before', null])
})

test('an import whose process ended goes on where it was, and tells of all that it brought', async () => {
  const { db, services, owner } = world
  const { job, threads, running } = await begin('Continued')
  await threads.close()
  await running
  const had = await countIn(job)
  assert.ok(had > 0 && had < PAGES, `${had} were in`)
  assert.equal(must(await services.jobs.get(owner, job)).state, 'waiting')
  // Meanwhile somebody works on what is in: that is not brought in over it.
  const edited = await pageAt(world, '/p0.html')
  const { version } = must(await services.pages.source(owner, edited))
  must(await services.pages.change(owner, edited, { version, patchSets: [[{ from: 0, to: 0, insert: '<!-- mine -->' }]] }))
  await startThreads().carryOut(job, join)
  const report = reportOf(must(await services.jobs.get(owner, job)))
  assert.deepEqual([report.new, report.changed, report.same, report.refused], [PAGES - 2 + 1, 3, 0, 0])
  assert.equal(await countIn(job), PAGES, 'each page came once')
  assert.match(await sourceAt('/p0.html'), /^<!-- mine -->/)
  assert.deepEqual([await textAt('/old.txt'), await textAt('/Continued.txt')], ['after Continued', 'Continued'])
  assert.deepEqual(await jobsToTakeUp(db), [], 'there is nothing to take back')
})
