import assert from 'node:assert/strict'
import { before, test } from 'node:test'
import { rows } from '../../src/data/database.ts'
import { createServices } from '../../src/services/index.ts'
import { bringIn, makeWorld, must, pageAt, type World, zipOf } from './world.ts'

let world: World
before(async () => {
  world = await makeWorld()
  await bringIn(
    world,
    zipOf({
      'index.html':
        '<title>Front</title><p><a href="/b.html">b</a> <a href="https://tides.example/">tides</a> <a href="/gone.html">gone</a>',
      'b.html': '<title>B</title><p><a href="http://short.localhost:4999/go/coat">coat</a> <a href="http://tides.example/x">x</a>',
      'c/d.html': '<title>D</title><p><a href="https://shop.example/one">one</a> <a href="https://shop.example/two">here</a>',
      'empty.html': '<title>No links</title><p>none',
    }),
  )
})

/** What is known of the site's links, by a service that has followed it all along, and by one that begins now. */
async function bothWays() {
  const look = async (services: World['services']) => {
    const { items } = must(await services.placements.list(world.owner, { limit: 200 }))
    return { items, desk: must(await services.desk.look(world.owner)), csv: must(await services.placements.csv(world.owner, {}, null)) }
  }
  return { followed: await look(world.services), fresh: await look(createServices(world.context)) }
}
async function edit(at: string, change: (source: string) => string, actor = world.owner): Promise<void> {
  const id = await pageAt(world, at)
  const { source, version } = must(await world.services.pages.source(actor, id))
  must(await world.services.pages.change(actor, id, { version, patchSets: [[{ from: 0, to: source.length, insert: change(source) }]] }))
}
const OUTSIDE = {
  id: 'o',
  name: 'Outside',
  isOn: true,
  isBinding: false,
  when: { is: 'kind' as const, of: ['outside' as const] },
  what: { hints: ['nofollow' as const] },
}

const steps: readonly (readonly [string, () => Promise<unknown>])[] = [
  ['nothing yet', async () => {}],
  [
    'a page gets more links',
    () => edit('/b.html', (text) => `${text}<p><a href="https://shop.example/three">three</a> <a href="/c/d.html">d</a>`),
  ],
  ['a page loses its links', () => edit('/c/d.html', () => '<title>D</title><p>none')],
  ['a page without links gets one', () => edit('/empty.html', (text) => `${text} <a href="https://tides.example/">t</a>`)],
  [
    'a page that others lead to comes',
    async () => must(await world.services.pages.create(world.owner, { path: '/gone.html', title: 'Here now' })),
  ],
  [
    'a short link that a page leads to comes',
    async () => must(await world.services.shortLinks.create(world.owner, { destination: 'https://shop.example/coat', slug: 'coat' })),
  ],
  [
    'its site becomes a partner',
    async () => must(await world.services.partners.create(world.owner, { name: 'Shop', sites: ['shop.example'] })),
  ],
  [
    'it leads elsewhere',
    async () => {
      const [coat] = must(await world.services.shortLinks.list(world.owner, { slug: 'coat', limit: 1 })).items
      must(await world.services.shortLinks.change(world.owner, coat?.id ?? '', { version: 1, destination: 'https://tides.example/coat' }))
    },
  ],
  ['a rule', async () => must(await world.services.rules.save(world.owner, { version: 0, rules: [OUTSIDE] }))],
  [
    'a finding is fine',
    async () => {
      const { items } = must(await world.services.placements.list(world.owner, { limit: 200 }))
      const found = items.find(({ findings }) => findings.length > 0)
      if (found === undefined) throw new Error('nothing is found')
      must(
        await world.services.placements.markFine(world.owner, {
          pageId: found.pageId,
          ordinal: found.ordinal,
          finding: found.findings[0] ?? 'http',
          reason: 'as meant',
        }),
      )
    },
  ],
  ['a contributor links outside', () => edit('/empty.html', (text) => `${text} <a href="https://new.example/">n</a>`, world.contributor)],
  [
    'an editor accepts it',
    async () => {
      const [waiting] = must(await world.services.waiting.list(world.owner)).items
      must(await world.services.waiting.decide(world.owner, waiting?.id ?? '', true))
    },
  ],
  ['all is published', async () => must(await world.services.publications.create(world.owner, { all: true }))],
  [
    'a page goes',
    async () => {
      const id = await pageAt(world, '/b.html')
      const { version } = must(await world.services.pages.source(world.owner, id))
      must(await world.services.pages.remove(world.owner, id, { version, isRemoved: true }))
    },
  ],
  ['the last link by https to a host goes', () => edit('/', (text) => text.replace('https://tides.example/', '/c/d.html'))],
  [
    'a page before all others',
    async () =>
      must(await world.services.pages.create(world.owner, { path: '/-first.html', title: 'First', like: await pageAt(world, '/') })),
  ],
  [
    'many pages at once',
    () =>
      bringIn(world, zipOf(Object.fromEntries(Array.from({ length: 600 }, (_, i) => [`many/${i}.html`, `<p><a href="/b.html">${i}</a>`])))),
  ],
]
for (const [what, step] of steps)
  test(`links that were followed are as those read anew: ${what}`, async () => {
    await world.services.placements.list(world.owner, { limit: 1 })
    await step()
    const { followed, fresh } = await bothWays()
    assert.deepEqual(followed, fresh)
  })

test('one page that was saved is read again, and no other', async () => {
  await world.services.placements.list(world.owner, { limit: 1 })
  // Whatever is read of another page would show this.
  await rows(world.db, `UPDATE placements SET shown_text = 'read again' WHERE page_id <> $1`, [await pageAt(world, '/empty.html')])
  await edit('/empty.html', (text) => `${text}<p><a href="/c/d.html">more</a>`)
  const { items } = must(await world.services.placements.list(world.owner, { limit: 200 }))
  assert.ok(items.some(({ text }) => text === 'more'))
  assert.ok(items.every(({ text }) => text !== 'read again'))
})
