import assert from 'node:assert/strict'
import { once } from 'node:events'
import { createServer, type Server } from 'node:http'
import { after, before, test } from 'node:test'
import pino from 'pino'
import { MissedQuery } from '../../src/contract/missed.ts'
import { SCANNED_MIN } from '../../src/core/routing/index.ts'
import { rows } from '../../src/data/database.ts'
import { clickFolder } from '../../src/delivery/click-log.ts'
import { respond } from '../../src/delivery/respond.ts'
import { EdgeRequest } from '../../src/edge/index.ts'
import { batchOf } from '../../src/jobs/click-batch.ts'
import { loadClickLogs } from '../../src/jobs/clicks.ts'
import { type Asked, ask, BROWSER, portOf } from './asking.ts'
import { type Delivering, deliver } from './delivering.ts'
import { bringIn, makeWorld, must, type World, zipOf } from './world.ts'

let world: World
let delivering: Delivering
let server: Server<typeof EdgeRequest>
let behind: Server

before(async () => {
  world = await makeWorld()
  await bringIn(
    world,
    zipOf({
      'index.html': '<title>Front</title>',
      'timetables.html': '<title>Timetables</title>',
      'rooms-by-the-quay.html': '<title>Rooms &amp; beds by the quay</title>',
      '404.html': '<title>Lost</title><main><h1>Adrift</h1><!-- suggestions --><p>End</p></main>',
    }),
  )
  must(await world.services.publications.create(world.owner, { all: true }))
  behind = createServer((request, response) => {
    response.writeHead(request.url === '/there' ? 200 : 404, { 'Content-Type': 'text/html' }).end('<p>theirs')
  }).listen(0, '127.0.0.1')
  await once(behind, 'listening')
  await rows(world.db, `UPDATE sites SET inside_allowed = '{0.0.0.0/0,::/0}'`)
  must(
    await world.services.frontDoors.make(world.owner, {
      host: 'door.localhost',
      origin: `http://origin.localhost:${portOf(behind)}`,
    }),
  )
  delivering = await deliver(world)
  server = createServer({ IncomingMessage: EdgeRequest }, (request, response) => {
    const host = (request.headers.host ?? '').replace(/:\d+$/, '')
    if (!respond(delivering.delivery, host, request, response)) response.writeHead(421).end()
  }).listen(0, '127.0.0.1')
  await once(server, 'listening')
})
after(async () => {
  server.close()
  behind.close()
  await delivering.stop()
})

const get = (path: string, { host = 'site.localhost', headers, ...more }: Asked = {}) =>
  ask(portOf(server), path, { host, headers: { 'User-Agent': BROWSER, ...headers }, ...more })
const load = () => loadClickLogs(world.db, clickFolder(world.folder), pino({ level: 'silent' }))
const list = async (query: object = {}) => must(await world.services.missed.list(world.editor, MissedQuery.parse(query)))
async function missingTo(host: string, to: string): Promise<void> {
  const { items } = must(await world.services.hosts.list(world.owner))
  const found = items.find((each) => each.host === host)
  must(await world.services.hosts.change(world.owner, found?.id ?? '', { version: found?.version ?? 0, missingTo: to }))
  await delivering.refresh()
}

test('a missing page is told by the site’s own page, with what may be meant for the address that was asked for', async () => {
  const answer = await get('/rooms-by-quay')
  assert.equal(answer.status, 404)
  assert.match(
    answer.body,
    /<h1>Adrift<\/h1>.*<ul><li><a href="\/rooms-by-the-quay\.html">Rooms &#38; beds by the quay<\/a><\/li><\/ul><p>End/,
  )
  assert.doesNotMatch((await get('/timetabels')).body, /Rooms/)
  assert.match((await get('/timetabels')).body, /<a href="\/timetables\.html">/)
  assert.match((await get('/zzzz')).body, /<h1>Adrift<\/h1>(?!.*<ul>)/)
  assert.doesNotMatch((await get('/lost.png')).body, /Adrift/, 'a picture is none')
  assert.equal((await get('/lost', { method: 'HEAD' })).body, '')
})

test('a host can lead missing pages elsewhere: those that people ask for, and never in a circle', async () => {
  await missingTo('site.localhost', '/timetables.html')
  const answer = await get('/nowhere')
  assert.deepEqual([answer.status, answer.location], [302, 'http://site.localhost:4999/timetables.html'])
  for (const path of ['/lost.png', '/favicon.ico', '/humans.txt', '/.well-known/x', '/app.js', '/.hidden'])
    assert.equal((await get(path)).status, 404, path)
  assert.equal((await get('/nowhere', { headers: { Accept: 'application/json' } })).status, 404)
  await missingTo('site.localhost', '/not-there')
  assert.equal((await get('/not-there')).status, 404)
  await missingTo('site.localhost', '')
  const { items } = must(await world.services.hosts.list(world.owner))
  const refused = await world.services.hosts.change(world.owner, items[0]?.id ?? '', {
    version: items[0]?.version ?? 0,
    missingTo: 'javascript:alert(1)',
  })
  assert.equal(refused.ok ? '' : refused.fault, 'destination-refused')
})

test('behind a front door the site’s own answer stays, unless that is set otherwise', async () => {
  const through = (path: string) => get(path, { host: 'door.localhost' })
  assert.equal((await through('/gone')).body, '<p>theirs')
  await missingTo('door.localhost', 'page')
  const ours = await through('/gone')
  assert.equal(ours.status, 404)
  assert.match(ours.body, /Adrift/)
  assert.equal((await through('/there')).body, '<p>theirs')
  assert.equal((await through('/gone.png')).body, '<p>theirs')
  await missingTo('door.localhost', 'http://site.localhost:4999/timetables.html')
  assert.equal((await through('/gone')).location, 'http://site.localhost:4999/timetables.html')
})

test('what is asked for in vain is counted once by path: people and others apart, noise by its kind alone, and gone when it is answered', async () => {
  await load()
  await rows(world.db, 'DELETE FROM missed')
  await rows(world.db, 'DELETE FROM missed_noise')
  for (let i = 0; i < 3; i++) await get('/room-by-quay', { headers: { Referer: 'https://islands.example/list' } })
  await get('/room-by-quay', { headers: { 'User-Agent': 'Googlebot/2.1' } })
  await get('/room-by-quay?x=1', { method: 'HEAD' })
  await get('/once')
  await get('/favicon.ico')
  await get('/.env')
  await get('/x.php')
  await load()
  await load()
  const found = await list()
  assert.deepEqual(
    found.items.map(({ host, path, people, others, week, referrers, suggestions }) => [
      host,
      path,
      people,
      others,
      week,
      referrers,
      suggestions[0]?.to,
    ]),
    [
      ['site.localhost', '/room-by-quay', 3, 2, 3, [{ referrer: 'islands.example', visits: 3 }], '/rooms-by-the-quay.html'],
      ['site.localhost', '/once', 1, 0, 1, [], undefined],
    ],
  )
  assert.deepEqual(found.noise, [
    { kind: 'scanner', visits: 2 },
    { kind: 'icon', visits: 1 },
  ])
  const once = found.items.find(({ path }) => path === '/once')
  must(await world.services.missed.ignore(world.editor, { ids: [once?.id ?? ''], isIgnored: true }))
  assert.deepEqual(
    (await list({ ignored: '1' })).items.map(({ path }) => path),
    ['/once'],
  )
  must(await world.services.redirects.create(world.editor, { from: '/room-by-quay', to: '/rooms-by-the-quay.html' }))
  assert.deepEqual((await list()).items, [])
})

test('who asks for many addresses and sees no page is no visitor, and an ending that a page has is none of a scanner', async () => {
  await rows(world.db, 'DELETE FROM missed')
  await rows(world.db, 'DELETE FROM missed_noise')
  must(await world.services.redirects.create(world.editor, { from: '/old.php', to: '/timetables.html' }))
  for (let n = 0; n < SCANNED_MIN; n++) await get(`/door-${n}`, { headers: { 'User-Agent': 'Mozilla/5.0 Tries/1.0' } })
  for (let n = 1; n < SCANNED_MIN; n++) await get(`/walk-${n % 3}`)
  await get('/other.php')
  await load()
  const { items } = await list()
  assert.deepEqual(items.map(({ path }) => path).sort(), ['/other.php', '/walk-0', '/walk-1', '/walk-2'])
  assert.deepEqual((await list()).noise, [{ kind: 'scanner', visits: SCANNED_MIN }])
})

test('the last time an address was asked for is the last, whoever came', async () => {
  const [{ id: siteId } = { id: '' }] = await rows<{ id: string }>(world.db, 'SELECT id FROM sites')
  const line = (second: number, visitor: string): string =>
    `missed\t2026-11-30T10:00:0${second}.000Z\t${siteId}\tsite.localhost\t/turns\tperson\t\t${visitor.repeat(16)}`
  const { batch } = await batchOf([line(1, 'a'), line(2, 'b'), line(3, 'a')].join('\n'), { node: 'n', segment: 's', from: 0, to: 1 })
  assert.deepEqual(
    batch.missed.paths.map(({ people, firstAt, lastAt }) => [people, firstAt.slice(17, 19), lastAt.slice(17, 19)]),
    [[3, '01', '03']],
  )
})

test('a site can only fill so much: beyond that, new addresses are counted as one', async () => {
  const [{ id } = { id: '' }] = await rows<{ id: string }>(world.db, 'SELECT id FROM sites')
  await rows(
    world.db,
    `INSERT INTO missed (site_id, host, path, people, first_at, last_at) SELECT $1, 'site.localhost', '/flood-' || n, 2, now(), now() FROM generate_series(1, 100000) n`,
    [id],
  )
  await get('/one-more')
  await get('/flood-7')
  await load()
  const [{ people } = { people: 0 }] = await rows<{ people: number }>(world.db, `SELECT people::int FROM missed WHERE path = '/flood-7'`)
  assert.equal(people, 3)
  assert.deepEqual(await rows(world.db, `SELECT 1 FROM missed WHERE path = '/one-more'`), [])
  assert.deepEqual(await rows(world.db, `SELECT visits::int FROM missed_noise WHERE kind = 'overflow'`), [{ visits: 1 }])
})
