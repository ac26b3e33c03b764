import assert from 'node:assert/strict'
import { after, before, test } from 'node:test'
import { MenuBody } from '../../src/contract/menus.ts'
import type { Page } from '../../src/contract/pages.ts'
import { RedirectQuery } from '../../src/contract/redirects.ts'
import { locate } from '../../src/delivery/locate.ts'
import { type Delivering, deliver } from './delivering.ts'
import { bringIn, makeWorld, must, text, type World, zipOf } from './world.ts'

let world: World
let delivering: Delivering
before(async () => {
  world = await makeWorld()
  await bringIn(
    world,
    zipOf({
      'index.html': '<title>Front</title>',
      'walks/causeway.html': '<title>The causeway</title><a href="/index.html">home</a>',
      'walks/cliff.html': '<title>The cliff</title><a href="causeway.html">next</a>',
      'rooms.html': '<title>Rooms</title>',
    }),
  )
  must(await world.services.publications.create(world.owner, { all: true }))
  delivering = await deliver(world)
})
after(() => delivering.stop())

const pageAt = async (path: string): Promise<Page> => {
  const [page] = must(await world.services.pages.list(world.owner, { path, limit: 1 })).items
  assert.ok(page, `no page at ${path}`)
  return page
}
const rows = async () =>
  must(await world.services.redirects.list(world.owner, RedirectQuery.parse({ limit: 50 }))).items.map(({ from, to }) => [from, to])
/** What delivery says of a path: "page", where it leads, or null. */
function at(path: string): string | null {
  const view = delivering.delivery.store.begin()
  const entry = view?.host('site.localhost') ?? null
  const place = view === null || view === undefined || entry === null ? null : locate(view, entry, path)
  view?.done()
  return place === null ? null : 'moved' in place ? place.moved : 'page'
}
async function capitals(ignoresCase: boolean): Promise<void> {
  const { services, owner } = world
  const site = must(await services.sites.get(owner))
  must(await services.sites.change(owner, { ...site, ignoresCase }))
  await delivering.refresh()
}
/** What delivery has at a path of the site. */
async function isDelivered(path: string): Promise<boolean> {
  await delivering.refresh()
  const view = delivering.delivery.store.begin()
  const entry = view?.host('site.localhost') ?? null
  const page = entry === null ? null : (view?.page(entry, path) ?? null)
  view?.done()
  return page !== null
}

test('an address that differs by capitals alone leads to its page by itself, once, where the site takes them for one', async () => {
  const { services, owner } = world
  const page = await pageAt('/rooms.html')
  const named = must(await services.pageMoves.move(owner, page.id, { version: page.version, path: '/Rooms.html', leadsOld: true }))
  assert.deepEqual(await rows(), [], 'no row is needed')
  await delivering.refresh()
  assert.deepEqual(
    [at('/rooms.html'), at('/ROOMS.html'), at('/Rooms.html'), at('/roomz.html')],
    ['/Rooms.html', '/Rooms.html', 'page', null],
  )
  assert.equal(at('/WALKS/cliff.html'), '/walks/cliff.html')
  const told = must(await services.redirects.bench(owner, { address: '/rooms.html?a=1' }))
  assert.deepEqual(
    told.rope.map(({ by, status, address }) => [by, status, address.replace(/^.*:4999/, '')]),
    [
      ['capitals', 301, '/rooms.html?a=1'],
      ['page', 200, '/Rooms.html?a=1'],
    ],
  )
  const self = await services.redirects.create(owner, { from: '/rOOms.html', to: '/Rooms.html' })
  assert.equal(self.ok ? '' : self.fault, 'redirect-to-itself')
  const back = must(await services.pageMoves.move(owner, page.id, { version: named.version, path: '/rooms.html', leadsOld: true }))
  await delivering.refresh()
  assert.deepEqual([at('/Rooms.html'), at('/rooms.html')], ['/rooms.html', 'page'])
  // Where capitals matter, rows tell them apart, and nothing is led by itself.
  await capitals(false)
  assert.equal(at('/Rooms.html'), null)
  const row = must(await services.redirects.create(owner, { from: '/Rooms.html', to: '/rooms.html' }))
  const other = must(await services.redirects.create(owner, { from: '/ROOMS.html', to: '/index.html' }))
  const landed = async (address: string) =>
    must(await services.redirects.bench(owner, { address })).answer?.location?.replace(/^.*:4999/, '')
  assert.deepEqual(
    [await landed('/Rooms.html'), await landed('/ROOMS.html'), await landed('/rOOMS.html')],
    ['/rooms.html', '/index.html', undefined],
  )
  for (const { id } of [row, other]) must(await services.redirects.remove(owner, id))
  const apart = must(await services.pageMoves.move(owner, page.id, { version: back.version, path: '/Rooms.html', leadsOld: true }))
  assert.deepEqual(await rows(), [['/rooms.html', '/Rooms.html']])
  const home = must(await services.pageMoves.move(owner, page.id, { version: apart.version, path: '/rooms.html', leadsOld: false }))
  assert.equal(home.path, '/rooms.html')
  for (const { id } of must(await services.redirects.list(owner, RedirectQuery.parse({ limit: 9 }))).items)
    must(await services.redirects.remove(owner, id))
  await capitals(true)
})

test('a page that moves is found at its new address at once, its old one leads there, and menus follow', async () => {
  const { services, owner } = world
  const menu = must(await services.menus.create(owner, { name: 'main', title: 'Main' }))
  const entry = { id: 'a', kind: 'page' as const, label: 'Walk', href: '/walks/causeway.html', children: [] }
  must(
    await services.menus.change(owner, menu.id, {
      version: menu.version,
      menu: MenuBody.parse({ entries: [entry], left: [], joins: 'nowhere' }),
    }),
  )
  const page = await pageAt('/walks/causeway.html')
  const refused = await services.pageMoves.move(world.contributor, page.id, { version: page.version, path: '/x.html', leadsOld: true })
  assert.equal(refused.ok ? '' : refused.fault, 'forbidden')
  const moved = must(
    await services.pageMoves.move(owner, page.id, { version: page.version, path: '/on-foot/causeway.html', leadsOld: true }),
  )
  assert.deepEqual([moved.path, moved.state], ['/on-foot/causeway.html', page.state])
  assert.deepEqual(await rows(), [['/walks/causeway.html', '/on-foot/causeway.html']])
  assert.deepEqual([await isDelivered('/walks/causeway.html'), await isDelivered('/on-foot/causeway.html')], [false, true])
  assert.equal(must(await services.menus.get(owner, menu.id)).menu.entries[0]?.href, '/on-foot/causeway.html')
  // Moved on once more: the first address still gets there, and the review has the one-step way.
  const again = must(
    await services.pageMoves.move(owner, page.id, { version: moved.version, path: '/on-foot/the-causeway.html', leadsOld: true }),
  )
  const { items } = must(await services.redirectReview.look(owner, { cursor: 0 }))
  assert.deepEqual(
    items.map(({ kind, row, mend }) => [kind, row.from, mend]),
    [['chain', '/walks/causeway.html', { to: '/on-foot/the-causeway.html' }]],
  )
  // And back to where it was: the row for its own address would only be in the way.
  must(await services.pageMoves.move(owner, page.id, { version: again.version, path: '/walks/causeway.html', leadsOld: true }))
  assert.equal(await isDelivered('/walks/causeway.html'), true)
})

for (const [name, from, path, fault] of [
  ['to where something is', '/rooms.html', '/index.html', 'path-taken'],
  ['to no path', '/rooms.html', '/a?b', 'path-unreadable'],
  ['to another folder while it names others by where it stands', '/walks/cliff.html', '/cliff.html', 'page-links-relative'],
] as const)
  test(`a page does not move ${name}`, async () => {
    const page = await pageAt(from)
    const answer = await world.services.pageMoves.move(world.owner, page.id, { version: page.version, path, leadsOld: true })
    assert.equal(answer.ok ? 'moved' : answer.fault, fault)
    assert.equal((await pageAt(from)).version, page.version)
  })

test('a page that goes leads its address elsewhere from the moment it is gone; so does a file', async () => {
  const { services, owner } = world
  const page = await pageAt('/rooms.html')
  const wrong = await services.pages.remove(owner, page.id, { version: page.version, isRemoved: true, leadTo: 'javascript:alert(1)' })
  assert.equal(wrong.ok ? '' : wrong.fault, 'destination-refused')
  must(await services.pages.remove(owner, page.id, { version: page.version, isRemoved: true, leadTo: '/index.html' }))
  assert.equal(await isDelivered('/rooms.html'), true, 'until it is published')
  must(await services.publications.create(owner, { all: true }))
  assert.equal(await isDelivered('/rooms.html'), false)
  assert.ok((await rows()).some(([from, to]) => from === '/rooms.html' && to === '/index.html'))
  const file = must(await services.files.upload(owner, { name: 'list.txt', bytes: text('soup') }))
  must(
    await services.files.remove(owner, file.id, {
      version: file.version,
      isRemoved: true,
      evenIfUsed: true,
      leadTo: '/walks/causeway.html',
    }),
  )
  assert.ok((await rows()).some(([from, to]) => from === file.path && to === '/walks/causeway.html'))
})
