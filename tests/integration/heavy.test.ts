import assert from 'node:assert/strict'
import { test } from 'node:test'
import pino from 'pino'
import { closeApart } from '../../src/apart/index.ts'
import { rows } from '../../src/data/database.ts'
import { openJobQueue } from '../../src/jobs/index.ts'
import { bringIn, makeWorld, must, reportOf, zipOf } from './world.ts'

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
  const outcome = Object.fromEntries(report.items.map(({ name, outcome, reason }) => [name, [outcome, reason?.slice(0, 22)]]))
  assert.deepEqual(outcome, {
    'slow.md': ['refused', 'This takes too long to'],
    'deep.md': ['refused', 'This takes more memory'],
    'well.md': ['new', undefined],
  })
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
  const { Job } = world.db.models
  const make = (begun: number) =>
    Job.create({ siteId: world.owner.siteId, kind: 'import', state: 'running', input: {}, personId: world.owner.personId }).then(
      async ({ id }) => {
        await rows(world.db, `UPDATE jobs SET begun = $2, updated_at = now() - interval '5 minutes' WHERE id = $1`, [id, begun])
        return id
      },
    )
  const [twice, once] = [await make(2), await make(1)]
  const queue = await openJobQueue(world.db, true, pino({ level: 'silent' }))
  await queue.rescue()
  const state = async (id: string): Promise<unknown> => (await Job.findByPk(id))?.get('state')
  assert.equal(await state(twice), 'failed')
  assert.equal(await state(once), 'waiting')
  await queue.stop()
})
