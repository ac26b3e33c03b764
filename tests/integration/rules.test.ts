import assert from 'node:assert/strict'
import { before, test } from 'node:test'
import type { Rule } from '../../src/core/rules/index.ts'
import { rows } from '../../src/data/database.ts'
import { bringIn, makeWorld, must, type World, zipOf } from './world.ts'

const rule = (id: string, when: Rule['when'], what: Rule['what']): Rule => ({
  id,
  name: id,
  isOn: true,
  isBinding: false,
  when,
  what,
})
const STANDARD = [
  rule('paid', { is: 'partner' }, { hints: ['sponsored', 'nofollow'] }),
  rule('outside', { is: 'kind', of: ['outside'] }, { opens: 'new tab' }),
]

let world: World
before(async () => {
  world = await makeWorld()
  await bringIn(
    world,
    zipOf({
      'a.html':
        '<a href="https://gannet-line.example/x?a=1&amp;b=2">smock</a> <a href="https://tides.example/">tides</a> <a href="b.html">b</a>',
      'b.html': '<a href="http://short.localhost:4999/go/smock">short</a> <a href="missing.html">gone</a>',
    }),
  )
  must(await world.services.partners.create(world.owner, { name: 'Gannet & Line', sites: ['https://www.gannet-line.example/shop'] }))
  must(await world.services.shortLinks.create(world.owner, { destination: 'https://gannet-line.example/smocks', slug: 'smock' }))
})

test('a contributor cannot change rules, and reads them', async () => {
  assert.equal((await world.services.rules.save(world.contributor, { version: 0, rules: STANDARD })).ok, false)
  assert.equal((await world.services.rules.list(world.contributor)).ok, true)
})

test('the impact is told before anything is saved, with the tag before and after', async () => {
  const found = must(await world.services.rules.impact(world.editor, { rules: STANDARD }))
  assert.deepEqual([found.looked, found.links, found.pages], [5, 3, 2])
  const paid = found.groups.find((group) => group.after.rel === 'sponsored nofollow noopener')
  assert.deepEqual([paid?.links, paid?.pages], [2, 2])
  assert.equal(paid?.examples[0]?.tagBefore, '<a href="https://gannet-line.example/x?a=1&amp;b=2" rel="sponsored nofollow">')
  assert.equal(
    paid?.examples[0]?.tagAfter,
    '<a href="https://gannet-line.example/x?a=1&amp;b=2" rel="sponsored nofollow noopener" target="_blank">',
  )
  assert.equal(must(await world.services.rules.list(world.editor)).version, 0)
})

test('saving keeps every version, touches no stored content, and of two savers one wins', async () => {
  const hashes = () => rows(world.db, 'SELECT draft_hash, version FROM pages ORDER BY path')
  const before = await hashes()
  const both = await Promise.all([
    world.services.rules.save(world.owner, { version: 0, rules: STANDARD }),
    world.services.rules.save(world.editor, { version: 0, rules: [] }),
  ])
  assert.equal(both.filter((answer) => answer.ok).length, 1)
  const lost = both.find((answer) => !answer.ok)
  assert.equal(lost?.ok === false ? (lost.detail.current as { version: number }).version : 0, 1)
  must(await world.services.rules.save(world.owner, { version: 1, rules: STANDARD }))
  assert.deepEqual(
    must(await world.services.rules.history(world.owner)).items.map(({ version }) => version),
    [2, 1],
  )
  assert.deepEqual(await hashes(), before)
})

test('every placement says what it is delivered with, because of whom, and whether it lands', async () => {
  const { items } = must(await world.services.placements.list(world.editor, { limit: 10 }))
  const byText = new Map(items.map((item) => [item.text, item]))
  assert.deepEqual(byText.get('smock')?.after, { rel: 'sponsored nofollow noopener', target: '_blank' })
  assert.deepEqual(byText.get('smock')?.because, { rel: 'rule 1: paid; noopener: rule 2: outside', target: 'rule 2: outside' })
  assert.deepEqual(
    [byText.get('short')?.kind, byText.get('short')?.site, byText.get('short')?.isPartner],
    ['short link', 'gannet-line.example', true],
  )
  assert.deepEqual([byText.get('b')?.lands, byText.get('gone')?.lands, byText.get('tides')?.lands], [true, false, null])
})

test('a short link’s new destination changes the marks of pages that use it', async () => {
  const [link] = must(await world.services.shortLinks.list(world.owner, { slug: 'smock', limit: 1 })).items
  assert.ok(link)
  must(await world.services.shortLinks.change(world.owner, link.id, { version: 1, destination: 'https://tides.example/table' }))
  const { items } = must(await world.services.placements.list(world.editor, { page: '/b.html', limit: 10 }))
  assert.deepEqual(items[0]?.after, { rel: 'noopener', target: '_blank' })
})

test('rewrites any HTML by the rules in force, and stores nothing', async () => {
  const found = must(
    await world.services.rules.rewrite(world.editor, { html: '<A HREF=https://gannet-line.example/>x</A>', path: '/a.html' }),
  )
  assert.equal(found.html, '<A HREF=https://gannet-line.example/ rel="sponsored nofollow noopener" target="_blank">x</A>')
  assert.deepEqual(found.links[0]?.before, { rel: null, target: null })
  assert.equal((await world.services.rules.rewrite(world.editor, { html: '', host: 'nobody.example' })).ok, false)
})

test('the Desk counts paid links that do not say so', async () => {
  must(await world.services.rules.save(world.owner, { version: 2, rules: [] }))
  const marked = must(await world.services.desk.look(world.contributor))
  assert.deepEqual([marked.unmarked.total, marked.hasRules], [0, false], 'links to partners are paid where nothing else speaks')
  must(await world.services.rules.save(world.owner, { version: 3, rules: [rule('own', { is: 'partner' }, { hints: [] })] }))
  const desk = must(await world.services.desk.look(world.contributor))
  assert.deepEqual([desk.unmarked.total, desk.unmarked.pages, desk.links, desk.hasRules], [1, 1, 5, true])
})
