import assert from 'node:assert/strict'
import { before, test } from 'node:test'
import { rows } from '../../src/data/database.ts'
import { makeWorld, must, type World } from './world.ts'

let world: World
before(async () => {
  world = await makeWorld()
})

test('a pasted address becomes a short link with the best free slug', async () => {
  const made = must(
    await world.services.shortLinks.create(world.editor, { destination: ' http://https://gannet-line.example/waxed-smock?p=4471 ' }),
  )
  assert.deepEqual(
    [made.address, made.slug, made.destination, made.clicks, made.status],
    ['http://short.localhost:4999/go/smock', 'smock', 'https://gannet-line.example/waxed-smock?p=4471', 0, 302],
  )
  const next = must(await world.services.shortLinks.suggest(world.editor, { destination: 'https://other.example/waxed-smock' }))
  assert.ok(next.suggestions.length > 0 && next.suggestions.every(({ slug }) => slug !== 'smock'))
})

const refused = [
  ['a taken slug', { destination: 'https://tides.example/', slug: 'SMOCK' }, 'slug-taken'],
  ['a reserved slug', { destination: 'https://tides.example/', slug: 'robots' }, 'slug-reserved'],
  ['a slug with a slash', { destination: 'https://tides.example/', slug: 'a/b' }, 'slug-malformed'],
  ['code instead of an address', { destination: 'javascript:alert(1)' }, 'address-forbidden-scheme'],
  ['a mail address', { destination: 'a@b.example' }, 'address-not-outside'],
  ['another short link', { destination: 'http://short.localhost:4999/go/smock' }, 'address-not-outside'],
  ['a host that is not for short links', { destination: 'https://tides.example/', host: 'site.localhost' }, 'no-short-host'],
] as const
for (const [name, wanted, fault] of refused) {
  test(`refuses ${name}`, async () => {
    const answer = await world.services.shortLinks.create(world.editor, wanted)
    assert.equal(answer.ok ? 'made' : answer.fault, fault)
  })
}

test('of many who want one slug at once, one gets it', async () => {
  const answers = await Promise.all(
    Array.from({ length: 8 }, (_, i) =>
      world.services.shortLinks.create(world.editor, { destination: `https://tides.example/${i}`, slug: 'tide' }),
    ),
  )
  assert.deepEqual(answers.map((answer) => (answer.ok ? 'made' : answer.fault)).sort(), [
    'made',
    ...Array.from({ length: 7 }, () => 'slug-taken'),
  ])
  assert.equal(
    (await rows(world.db, `SELECT 1 FROM short_links WHERE destination LIKE 'https://tides.example/_'`)).length,
    1,
    'nothing half-made',
  )
})

test('a new destination keeps the slug and is in the history; an outdated change is told', async () => {
  const made = must(await world.services.shortLinks.create(world.editor, { destination: 'https://tides.example/old', slug: 'move' }))
  const changed = must(await world.services.shortLinks.change(world.editor, made.id, { version: 1, destination: '/timetables' }))
  assert.deepEqual([changed.slug, changed.destination, changed.version], ['move', 'http://site.localhost:4999/timetables', 2])
  const history = await rows<{ destination: string }>(
    world.db,
    'SELECT destination FROM short_link_changes WHERE short_link_id = $1 ORDER BY version',
    [made.id],
  )
  assert.deepEqual(
    history.map(({ destination }) => destination),
    ['https://tides.example/old', 'http://site.localhost:4999/timetables'],
  )
  const late = await world.services.shortLinks.change(world.editor, made.id, { version: 1, title: 'late' })
  assert.equal(late.ok ? '' : late.fault, 'moved-on')
})

test('one that is taken away is gone, and its slug free again', async () => {
  const made = must(await world.services.shortLinks.create(world.editor, { destination: 'https://tides.example/x', slug: 'brief' }))
  assert.equal((await world.services.shortLinks.remove(world.contributor, made.id)).ok, false)
  must(await world.services.shortLinks.remove(world.editor, made.id))
  assert.equal((await world.services.shortLinks.get(world.editor, made.id)).ok, false)
  must(await world.services.shortLinks.create(world.editor, { destination: 'https://tides.example/y', slug: 'brief' }))
})
