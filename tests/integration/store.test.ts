import assert from 'node:assert/strict'
import { once } from 'node:events'
import { mkdtempSync, readdirSync, readFileSync, rmSync, truncateSync, utimesSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import path from 'node:path'
import { after, before, test } from 'node:test'
import { Worker } from 'node:worker_threads'
import { open } from 'lmdb'
import pino from 'pino'
import { rows } from '../../src/data/database.ts'
import { dropUnusedContents } from '../../src/data/unused-contents.ts'
import { DeliveryStore, Follower, type HostEntry, StorePlaces, type StoreView } from '../../src/delivery/store/index.ts'
import { until } from '../until.ts'
import { deliver } from './delivering.ts'
import { bringIn, makeWorld, must, pageAt, type World, zipOf } from './world.ts'

const log = pino({ level: 'silent' })
let world: World
before(async () => {
  world = await makeWorld()
  await bringIn(
    world,
    zipOf({
      'index.html': '<title>Front</title><p><a href="https://tides.example/">t</a>',
      'b.html': '<p>b',
      'chart.svg': '<svg xmlns="http://www.w3.org/2000/svg"/>',
    }),
  )
  must(await world.services.publications.create(world.owner, { all: true }))
  await make('first')
})

const folders: string[] = []
after(() => {
  for (const folder of folders) rmSync(folder, { recursive: true, force: true })
})
function machine(): string {
  const folder = mkdtempSync(path.join(tmpdir(), 'map-rope-machine-'))
  folders.push(folder)
  return folder
}
const make = async (slug: string): Promise<void> =>
  void must(await world.services.shortLinks.create(world.owner, { destination: `https://tides.example/${slug}`, slug }))
function look<T>(store: DeliveryStore, at: (view: StoreView, short: HostEntry) => T): T {
  const view = store.begin()
  const short = view?.host('short.localhost') ?? null
  if (view === null || short === null) throw new Error('nothing to look at')
  try {
    return at(view, short)
  } finally {
    view.done()
  }
}
const leadsTo = (store: DeliveryStore, slug: string): string | null =>
  look(store, (view, short) => view.shortLink(short.id, slug)?.destination ?? null)
test('several processes on a machine share one store, one of them writes it, and another takes over; another machine has its own', async () => {
  const [here, elsewhere] = [machine(), machine()]
  const writer = await deliver(world, { folder: here })
  const reader = await deliver(world, { folder: here })
  const far = await deliver(world, { folder: elsewhere })
  const all = [writer, reader, far].map(({ delivery }) => delivery.store)
  await make('shared')
  await until(() => all.every((store) => leadsTo(store, 'shared') !== null), 'all three answer')
  assert.equal(readdirSync(path.join(here, 'delivery')).filter((name) => name.startsWith('store-')).length, 1)
  await writer.stop()
  await make('taken-over')
  await until(() => [reader, far].every(({ delivery }) => leadsTo(delivery.store, 'taken-over') !== null), 'the other one writes now')
  await reader.stop()
  await far.stop()
})

test('a store that is cut off, overwritten, of another version or gone is built anew, and the one there was answers until then', async () => {
  const folder = machine()
  const places = new StorePlaces(folder)
  const follower = new Follower(world.db, places, log)
  await follower.catchUp()
  const damages: Readonly<Record<string, (file: string) => unknown>> = {
    'cut off': (file) => truncateSync(file, 3 * 4096),
    'cut to nothing': (file) => truncateSync(file, 0),
    overwritten: (file) => writeFileSync(file, Buffer.alloc(64 * 1024, 7)),
    'of another version': async (file) => {
      const store = open<string, string>({ path: path.dirname(file), encoding: 'string' })
      store.putSync('format', '0')
      await store.close()
    },
    gone: (file) => rmSync(path.dirname(file), { recursive: true }),
  }
  for (const [what, damage] of Object.entries(damages)) {
    const before = places.current ?? ''
    await follower.stop()
    await damage(path.join(places.folder, before, 'data.mdb'))
    let damaged = 0
    const store = new DeliveryStore(places, { port: 4999, log, onDamage: () => damaged++ })
    assert.equal(store.isOpen, false, what)
    const again = new Follower(world.db, places, log)
    await again.catchUp()
    store.look()
    assert.notEqual(places.current, before, what)
    assert.equal(leadsTo(store, 'first'), 'https://tides.example/first', what)
    await again.stop()
    await store.close()
  }
  // While a new one is built, the old one answers; it is gone once nobody needs it.
  const store = new DeliveryStore(places, { port: 4999, log })
  const held = store.begin()
  const builder = new Follower(world.db, places, log)
  await builder.rebuild()
  store.look()
  assert.equal(held?.shortLink(held.host('short.localhost')?.id ?? '', 'first')?.destination, 'https://tides.example/first')
  held?.done()
  assert.equal(leadsTo(store, 'first'), 'https://tides.example/first')
  await builder.stop()
  await store.close()
})

test('a store that is read in one thread is written by another, whoever opened it first', async () => {
  const folder = machine()
  const places = new StorePlaces(folder)
  const follower = new Follower(world.db, places, log)
  await follower.catchUp()
  await follower.stop()
  const code = `const { parentPort, workerData } = require('node:worker_threads')
    import('tsx/esm/api').then(({ register }) => { register(); return import(workerData.places) }).then(({ StorePlaces }) => {
      const { store } = new StorePlaces(workerData.folder).openCurrent()
      const before = store.get('generation')
      store.transactionSync(() => store.putSync('generation', before + '0'))
      parentPort.postMessage([before, [...store.getRange({ start: 'format', end: 'formatz' })].length])
    })`
  const read = (store: DeliveryStore): string | undefined => {
    const view = store.begin()
    const generation = view?.generation.split(' ')[1]
    view?.done()
    return generation
  }
  for (const isReaderFirst of [true, false]) {
    const reader = isReaderFirst ? new DeliveryStore(places, { port: 4999, log }) : null
    const before = reader === null ? null : read(reader)
    const thread = new Worker(code, {
      eval: true,
      workerData: { folder, places: new URL('../../src/delivery/store/places.ts', import.meta.url).href },
    })
    const [[seen, formats]] = (await once(thread, 'message')) as [[string, number]]
    if (before !== null) assert.equal(seen, before)
    assert.equal(formats, 1)
    const later = reader ?? new DeliveryStore(places, { port: 4999, log })
    await until(() => read(later) === `${seen}0`, 'what it wrote is read')
    await thread.terminate()
    await later.close()
  }
})

test('while a store is built, changes of hosts, rules and rows arrive, by the old one and where there is none', async () => {
  const { db, owner, services } = world
  await rows(
    db,
    `WITH made AS (INSERT INTO short_links (site_id, host_id, destination, title, status, slug)
       SELECT $1, h.id, 'https://tides.example/' || n, '', 302, 'many-' || n FROM hosts h, generate_series(1, 30000) n WHERE h.host = 'short.localhost' RETURNING id, host_id, slug)
     INSERT INTO short_link_slugs (host_id, slug, short_link_id) SELECT host_id, slug, id FROM made`,
    [owner.siteId],
  )
  const folder = machine()
  const places = new StorePlaces(folder)
  const follower = new Follower(db, places, log, () => {}, 0)
  await follower.catchUp()
  const store = new DeliveryStore(places, { port: 4999, log })
  const hasHost = (name: string): boolean => {
    store.look()
    return store.host(name) !== null
  }
  // The old one answers until the new one is whole.
  const name = places.current
  let isBuilt = false
  const building = follower.rebuild().then(() => {
    isBuilt = true
  })
  await make('meanwhile')
  must(await services.hosts.make(owner, { host: 'meanwhile.localhost', kind: 'short' }))
  await until(() => leadsTo(store, 'meanwhile') !== null && hasHost('meanwhile.localhost'), 'changes arrive')
  assert.deepEqual([isBuilt, places.current], [false, name], 'and did so before it was built')
  assert.equal(leadsTo(store, 'many-30000'), 'https://tides.example/30000')
  await building
  assert.notEqual(places.current, name)
  assert.deepEqual([hasHost('meanwhile.localhost'), leadsTo(store, 'meanwhile')], [true, 'https://tides.example/meanwhile'])
  // One that cannot be read is no help: the new one is asked as soon as it knows the hosts, and says what it does not have yet.
  await store.close()
  await follower.stop()
  truncateSync(path.join(places.folder, places.current ?? '', 'data.mdb'), 3 * 4096)
  const again = new Follower(db, places, log, () => {}, 0)
  let isAgain = false
  const anew = again.catchUp().then(() => {
    isAgain = true
  })
  const late = new DeliveryStore(places, { port: 4999, log })
  await until(() => {
    late.look()
    return late.isOpen
  }, 'there is one to answer from')
  await make('in-between')
  await until(() => leadsTo(late, 'in-between') !== null, 'a new row arrives')
  assert.deepEqual([isAgain, look(late, (view) => view.isFilling)], [false, true], 'before all rows are there')
  await anew
  await until(() => leadsTo(late, 'many-30000') !== null && !look(late, (view) => view.isFilling), 'and then they are')
  await again.stop()
  await late.close()
})

test('contents come to the disk before they are named, and go when nothing names them any more', async () => {
  const folder = machine()
  const places = new StorePlaces(folder)
  const follower = new Follower(world.db, places, log)
  await follower.catchUp()
  const blobs = (): string[] => readdirSync(places.blobFolder).sort()
  const live = async (): Promise<string[]> =>
    (
      await rows<{ hash: string }>(
        world.db,
        `SELECT live_hash AS hash FROM pages WHERE kind = 'page' AND live_hash IS NOT NULL UNION SELECT live_hash FROM files WHERE live_hash IS NOT NULL ORDER BY 1`,
      )
    ).map(({ hash }) => hash)
  assert.deepEqual(blobs(), await live())
  const id = await pageAt(world, '/b.html')
  const { version } = must(await world.services.pages.source(world.owner, id))
  must(await world.services.pages.change(world.owner, id, { version, patchSets: [[{ from: 0, to: 0, insert: 'now ' }]] }))
  assert.equal(blobs().length, (await live()).length, 'a draft is nothing to visitors')
  must(await world.services.publications.create(world.owner, { all: true }))
  await follower.catchUp()
  assert.equal(blobs().length, (await live()).length + 1, 'the old one may still be on its way to somebody')
  await follower.stop()
  // A process that begins later finds what was left behind.
  for (const name of blobs()) utimesSync(places.blobFile(name), new Date(0), new Date(0))
  const next = new Follower(world.db, places, log)
  await next.catchUp()
  await next.catchUp()
  assert.deepEqual(blobs(), await live())
  await next.stop()
})

test('a change costs what it changes: nothing else is read, and other pages keep what was made of them', async () => {
  const { delivery, refresh, stop } = await deliver(world, { folder: machine() })
  const deliverPage = async (at: string) => {
    const view = delivery.store.begin()
    const site = view?.host('site.localhost') ?? null
    const page = view === null || site === null ? null : view.page(site, at)
    if (view === null || site === null || page === null) throw new Error(`there is no ${at}`)
    try {
      return await delivery.pages.deliver(view, site, page)
    } finally {
      view.done()
    }
  }
  const [front, other] = [await deliverPage('/'), await deliverPage('/b.html')]
  await make('unrelated')
  await refresh()
  assert.equal(await deliverPage('/'), front, 'the very same one')
  const id = await pageAt(world, '/b.html')
  const { version } = must(await world.services.pages.source(world.owner, id))
  must(await world.services.pages.change(world.owner, id, { version, patchSets: [[{ from: 0, to: 0, insert: 'and ' }]] }))
  must(await world.services.publications.create(world.owner, { all: true }))
  await refresh()
  assert.equal(await deliverPage('/'), front)
  assert.notEqual((await deliverPage('/b.html')).etag, other.etag)
  const rules = must(await world.services.rules.list(world.owner))
  must(
    await world.services.rules.save(world.owner, {
      version: rules.version,
      rules: [{ id: 'o', name: 'o', isOn: true, isBinding: false, when: { is: 'kind', of: ['outside'] }, what: { hints: ['nofollow'] } }],
    }),
  )
  await refresh()
  assert.match((await deliverPage('/')).bytes.toString(), /rel="nofollow"/)
  await stop()
})

test('contents that nothing in the database refers to go after a day, and those of history and publications stay', async () => {
  const { services, owner, db } = await makeWorld()
  const page = must(await services.pages.create(owner, { path: '/kept.html', title: 'Kept' }))
  must(await services.publications.create(owner, { all: true }))
  const { version, source } = must(await services.pages.source(owner, page.id))
  must(await services.pages.change(owner, page.id, { version, patchSets: [[{ from: 0, to: source.length, insert: '<p>other' }]] }))
  const lost = must(await services.pages.create(owner, { path: '/lost.html', title: 'Lost', like: page.id }))
  must(await services.pages.remove(owner, lost.id, { version: lost.version, isRemoved: true }))
  const contents = async (): Promise<number> => (await rows(db, 'SELECT 1 FROM blobs')).length
  const before = await contents()
  assert.equal(await dropUnusedContents(db), 0, 'it may be wanted in a moment')
  await rows(db, `UPDATE blobs SET created_at = now() - interval '2 days'`)
  assert.equal(await dropUnusedContents(db), 1, 'that of the page that was never live')
  assert.equal(await contents(), before - 1)
  assert.equal(must(await services.pages.revision(owner, page.id, version)).source, source)
})

test('a store on disk holds nothing of drafts, and is its owner’s alone to read', async () => {
  const folder = machine()
  const { stop } = await deliver(world, { folder })
  await bringIn(world, zipOf({ 'secret.html': '<title>Not yet told</title>' }))
  const places = new StorePlaces(folder)
  assert.ok(!readFileSync(path.join(places.folder, places.current ?? '', 'data.mdb')).includes('Not yet told'))
  await stop()
})
