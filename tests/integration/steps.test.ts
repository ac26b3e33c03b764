import assert from 'node:assert/strict'
import { before, test } from 'node:test'
import pino from 'pino'
import { type StepKind, StepQuery } from '../../src/contract/steps.ts'
import { rows } from '../../src/data/database.ts'
import { runShortLinks } from '../../src/jobs/short-link-lists.ts'
import { runStepUndo } from '../../src/jobs/steps.ts'
import { bringIn, makeWorld, must, pageAt, text, type World, zipOf } from './world.ts'

const log = pino({ level: 'silent' })
let world: World
before(async () => {
  world = await makeWorld()
  const { services, owner } = world
  await bringIn(
    world,
    zipOf({ 'a.html': '<p><a href="https://gannet.example/a">a</a>', 'b.html': '<p><a href="https://gannet.example/b">b</a>' }),
  )
  must(await services.partners.create(owner, { name: 'Gannet', sites: ['gannet.example'] }))
})

/** Everything that a step may change, as it is said to whoever asks. */
async function state() {
  const { services, owner } = world
  const pages = must(await services.pages.list(owner, { limit: 50 })).items
  const sources = await Promise.all(pages.map(async ({ id, path }) => [path, must(await services.pages.source(owner, id)).source]))
  const links = await rows(
    world.db,
    'SELECT slug, destination, status, tags, title FROM short_links WHERE removed_slugs IS NULL ORDER BY slug',
  )
  const redirects = await rows(world.db, 'SELECT source, destination FROM redirects WHERE removed_at IS NULL ORDER BY source')
  const { rules, partnersArePaid } = must(await services.rules.list(owner))
  const phrases = await rows(world.db, 'SELECT words, destination FROM phrases ORDER BY words')
  return { sources, links, redirects, rules, partnersArePaid, phrases }
}
const newest = async (kind?: StepKind) =>
  must(await world.services.steps.list(world.owner, StepQuery.parse(kind === undefined ? {} : { kind }))).items[0]

async function takeBack(kind: StepKind, id: string) {
  const { services, owner, db } = world
  const undone = must(await services.steps.undo(owner, { kind, id }))
  if (undone.job === null) return undone
  await runStepUndo(db, services.steps, kind === 'imports' ? 'imports-undo' : 'short-links-undo', undone.job, log)
  const { state: became, report } = must(await services.jobs.get(owner, undone.job))
  assert.equal(became, 'done')
  return { ...undone, report }
}

async function listIn(csv: string): Promise<string> {
  const { services, owner, db } = world
  const job = must(await services.shortLinkLists.start(owner, text(csv), false))
  await runShortLinks(db, services.shortLinkLists, job, log)
  assert.equal(must(await services.jobs.get(owner, job)).state, 'done')
  return job
}

/** One of each kind that one call makes; each is taken back by the one list, and everything is as it was. */
const STEPS: readonly (readonly [kind: StepKind, make: () => Promise<unknown>])[] = [
  [
    'links',
    () =>
      world.services.bulkChanges.make(world.owner, {
        selection: { filter: {} },
        change: { do: 'open', opens: 'new tab' },
        dryRun: false,
      }),
  ],
  ['short-links', () => listIn('destination,slug\nhttps://gannet.example/one,one\nhttps://gannet.example/two,two\n')],
  [
    'rules',
    () =>
      world.services.rules.save(world.owner, {
        version: 0,
        rules: [{ id: 'r', name: 'r', isOn: true, isBinding: false, when: { is: 'kind', of: ['outside'] }, what: { opens: 'new tab' } }],
        partnersArePaid: false,
      }),
  ],
  [
    'phrases',
    () =>
      world.services.phrases.create(world.owner, {
        words: ['waxed smock', 'oilskin'],
        destination: 'https://gannet.example/a',
        priority: 3,
      }),
  ],
  ['imports', () => bringIn(world, zipOf({ 'a.html': '<p>another <a href="/b.html">a</a>', 'c.html': '<p>new' }), { name: 'second.zip' })],
]
for (const [kind, make] of STEPS)
  test(`a step of ${kind} stands in the list, and is taken back whole`, async () => {
    const before = await state()
    await make()
    assert.notDeepEqual(await state(), before)
    const step = await newest()
    assert.deepEqual([step?.kind, step?.by, step?.isUndone, step?.canUndo], [kind, 'owner', false, true])
    await takeBack(kind, step?.id ?? '')
    assert.deepEqual(await state(), before)
    const again = await world.services.steps.undo(world.owner, { kind, id: step?.id ?? '' })
    if (again.ok && again.value.job !== null) {
      await runStepUndo(world.db, world.services.steps, kind === 'imports' ? 'imports-undo' : 'short-links-undo', again.value.job, log)
      assert.equal(must(await world.services.jobs.get(world.owner, again.value.job)).state, 'failed', 'once and no more')
    } else assert.equal(again.ok, false, 'once and no more')
  })

test('an older change of the rules is taken back, and what was saved since stays', async () => {
  const { services, owner } = world
  const before = must(await services.rules.list(owner))
  const rule = (id: string) =>
    ({ id, name: id, isOn: true, isBinding: false, when: { is: 'kind', of: ['outside'] }, what: { opens: 'new tab' } }) as const
  must(await services.rules.save(owner, { version: before.version, rules: [...before.rules, rule('old')] }))
  const step = await newest('rules')
  must(await services.rules.save(owner, { version: before.version + 1, rules: [...before.rules, rule('old'), rule('new')] }))
  const undone = await takeBack('rules', step?.id ?? '')
  assert.deepEqual([undone.back, undone.left], [1, []])
  const now = must(await services.rules.list(owner))
  assert.deepEqual(
    now.rules.map(({ id }) => id),
    [...before.rules.map(({ id }) => id), 'new'],
  )
  const again = await services.steps.undo(owner, { kind: 'rules', id: step?.id ?? '' })
  assert.equal(again.ok, false, 'once and no more')
  must(await services.rules.save(owner, { version: now.version, rules: [...before.rules] }))
})

test('what leads to a partner, pointed elsewhere, comes back as one, from wherever it is taken back', async () => {
  const { services, owner } = world
  must(await services.shortLinks.create(owner, { destination: 'https://gannet.example/short', slug: 'smock' }))
  must(await services.redirects.create(owner, { from: '/old-shop', to: 'https://gannet.example/shop' }))
  const before = await state()
  const partner = must(await services.partners.list(owner)).items[0]
  const move = async () => {
    must(
      await services.partnerMoves.make(owner, {
        ...{ partnerId: partner?.id ?? '', to: { do: 'lead to', address: 'https://other.example/' }, dryRun: false },
      }),
    )
    const [bulk] = await rows<{ id: string }>(world.db, 'SELECT bulk_change_id AS id FROM partner_moves ORDER BY at DESC LIMIT 1')
    return bulk?.id ?? ''
  }
  await move()
  const step = await newest()
  assert.deepEqual(step?.kind === 'partners' ? [step.placements, step.shortLinks, step.redirects] : step, [2, 1, 1])
  assert.equal((await newest('links'))?.isUndone, true, 'its part of the pages is no step of its own')
  const { back, left } = await takeBack('partners', step?.id ?? '')
  assert.deepEqual([back, left], [4, []])
  assert.deepEqual(await state(), before)
  // By the id of the part that the pages are, as an older screen has it: all of it comes back.
  await takeBack('links', await move())
  assert.deepEqual(await state(), before)
})

test('what was changed since is left, and told: short links of a list, pages of an import', async () => {
  const { services, owner } = world
  const job = await listIn('destination,slug\nhttps://gannet.example/x,kept-x\nhttps://gannet.example/y,kept-y\n')
  const [link] = await rows<{ id: string; version: number }>(world.db, `SELECT id, version FROM short_links WHERE slug = 'kept-x'`)
  must(await services.shortLinks.change(owner, link?.id ?? '', { version: link?.version ?? 0, destination: 'https://tides.example/mine' }))
  const undone = await takeBack('short-links', job)
  assert.deepEqual('report' in undone ? undone.report : null, { givenBack: 1, changedSince: 1 })
  const slugs = await rows<{ slug: string }>(world.db, `SELECT slug FROM short_links WHERE slug LIKE 'kept-%' AND removed_slugs IS NULL`)
  assert.deepEqual(slugs, [{ slug: 'kept-x' }])
  await bringIn(world, zipOf({ 'a.html': '<p>brought', 'b.html': '<p>brought' }), { name: 'third.zip' })
  const step = await newest('imports')
  const id = await pageAt(world, '/a.html')
  const { version, source } = must(await services.pages.source(owner, id))
  must(await services.pages.change(owner, id, { version, patchSets: [[{ from: source.length, to: source.length, insert: ' and mine' }]] }))
  const pages = await takeBack('imports', step?.id ?? '')
  assert.deepEqual('report' in pages ? pages.report : null, { givenBack: 1, changedSince: 1 })
  assert.match(must(await services.pages.source(owner, id)).source, /brought and mine/)
})

test('who may not change a kind sees its steps and cannot take them back; who may not see it does not', async () => {
  const { services, editor, contributor } = world
  const items = must(await services.steps.list(contributor, StepQuery.parse({}))).items
  assert.ok(items.length > 0 && items.every(({ canUndo }) => !canUndo))
  const step = items.find(({ kind }) => kind === 'rules')
  const refused = await services.steps.undo(contributor, { kind: 'rules', id: step?.id ?? '' })
  assert.equal(refused.ok ? '' : refused.fault, 'forbidden')
  const blind = { ...editor, can: () => false }
  assert.equal((await services.steps.list(blind, StepQuery.parse({}))).ok, false)
})

test('the list is paged by time, and none stands in it twice', async () => {
  const { services, owner } = world
  const seen: string[] = []
  let cursor: string | undefined
  do {
    const page = must(await services.steps.list(owner, StepQuery.parse({ limit: 3, ...(cursor === undefined ? {} : { cursor }) })))
    seen.push(...page.items.map(({ kind, id }) => `${kind} ${id}`))
    cursor = page.next ?? undefined
  } while (cursor !== undefined)
  const all = must(await services.steps.list(owner, StepQuery.parse({ limit: 100 }))).items.map(({ kind, id }) => `${kind} ${id}`)
  assert.deepEqual(seen, all)
  assert.equal(new Set(seen).size, seen.length)
})

test('drafts stay whose they are when their links change along with many others, and so publishing still asks', async () => {
  const { services, owner, editor } = world
  must(await services.publications.create(owner, { all: true }))
  const id = await pageAt(world, '/b.html')
  const { version, source } = must(await services.pages.source(owner, id))
  must(
    await services.pages.change(editor, id, {
      version,
      patchSets: [[{ from: source.length, to: source.length, insert: '<p><a href="/a.html">x</a>' }]],
    }),
  )
  const made = must(
    await services.bulkChanges.make(owner, { selection: { filter: {} }, change: { do: 'tag', add: ['seen'], remove: [] }, dryRun: false }),
  )
  const whose = async () => must(await services.publications.review(owner, { pages: [id] })).items.map(({ by, isMine }) => [by, isMine])
  assert.deepEqual(await whose(), [['editor', false]])
  must(await services.bulkChanges.undo(owner, made.id ?? ''))
  assert.deepEqual(await whose(), [['editor', false]])
})

test('taking an import back goes on where its process ended, and a second one finds it taken back', async () => {
  const { services, owner } = world
  await bringIn(world, zipOf({ 'gone-on.html': '<title>Goes on</title>' }))
  const [step] = must(await services.steps.list(owner, StepQuery.parse({ kind: 'imports', limit: 1 }))).items
  const input = { kind: 'imports', step: step?.id ?? '' } as const
  const by = async () => ({
    siteId: owner.siteId,
    personId: owner.personId,
    job: must(await services.jobs.start(owner, 'imports-undo', input)),
  })
  const first = await by()
  assert.equal((await services.steps.undoNext(first, input, null))?.given, 1)
  assert.equal((await services.steps.undoNext(first, input, null))?.given, 0, 'the same job, after a restart')
  assert.equal(await services.steps.undoNext(await by(), input, null), null)
  assert.equal(await services.steps.undoNext(first, { kind: 'imports', step: first.job }, null), null, 'a job that is no import')
})
