import assert from 'node:assert/strict'
import http from 'node:http'
import type { AddressInfo } from 'node:net'
import { after, before, beforeEach, test } from 'node:test'
import { SiteChange } from '../../src/contract/sites.ts'
import { ALL_INSIDE, isOutOfBounds } from '../../src/core/address/index.ts'
import { rows } from '../../src/data/database.ts'
import { askOutside, OutOfBounds, resolver } from '../../src/outside/index.ts'
import { bringIn, makeWorld, must, type World, zipOf } from './world.ts'

let world: World
let port = 0
/** What the outside world was asked for. */
let asked: string[] = []
const outside = http.createServer((request, response) => {
  asked.push(`${request.headers.host} ${request.url}`)
  const { pathname, searchParams } = new URL(request.url ?? '/', 'http://outside.localhost')
  const sendOn = (status: number, to: string): void => void response.writeHead(status, { Location: to }).end()
  if (pathname === '/one') return sendOn(301, `http://partner.localhost:${port}/two?id=7`)
  if (pathname === '/two') return sendOn(302, '/end?from=two')
  if (pathname === '/round') return sendOn(302, '/about')
  if (pathname === '/about') return sendOn(302, '/round')
  if (pathname === '/deeper') return sendOn(302, `/deeper?n=${Number(searchParams.get('n') ?? 0) + 1}`)
  if (pathname === '/nowhere') return sendOn(302, 'javascript:alert(1)')
  if (pathname === '/closed') return void response.writeHead(403).end()
  if (pathname === '/gone') return void response.writeHead(410).end()
  if (pathname === '/large')
    return void response.writeHead(200, { 'Content-Type': 'text/html' }).end(`<title>Long</title>${'x'.repeat(1_000_000)}`)
  if (pathname === '/broken') return void response.writeHead(200, { 'Content-Length': '100' }).write('half', () => response.destroy())
  response.writeHead(200, { 'Content-Type': 'text/html; charset=utf-8' }).end('<title>Tides &amp; times</title>')
})

before(async () => {
  await new Promise<void>((resolve) => outside.listen(0, '127.0.0.1', resolve))
  port = (outside.address() as AddressInfo).port
  world = await makeWorld()
  await bringIn(world, zipOf({ 'here.html': '<title>Here</title>' }))
  must(
    await world.services.shortLinks.create(world.owner, {
      destination: `http://tides.localhost:${port}/one?id=7&utm_source=x`,
      slug: 'tides',
    }),
  )
  must(await world.services.shortLinks.create(world.owner, { destination: 'http://site.localhost:4999/here.html', slug: 'here' }))
})
after(() => outside.close())
const allow = (isAllowed: boolean) => rows(world.db, 'UPDATE sites SET inside_allowed = $1', [isAllowed ? ['0.0.0.0/0', '::/0'] : []])
beforeEach(async () => {
  asked = []
  await allow(true)
})
const visit = async (address: string) => must(await world.services.visits.visit(world.contributor, address))

test('a destination is followed stop by stop, with what each added and dropped, to where it lands', async () => {
  const { hops, lands, title } = await visit('http://short.localhost:4999/go/tides')
  assert.deepEqual(
    hops.map(({ address, status, kind, added, dropped }) => [new URL(address).host.split(':')[0], status, kind, added, dropped]),
    [
      ['short.localhost', 302, 'short link', [], []],
      ['tides.localhost', 301, 'hop', ['id', 'utm_source'], []],
      ['partner.localhost', 302, 'hop', [], ['utm_source']],
      ['partner.localhost', 200, 'lands', ['from'], ['id']],
    ],
  )
  assert.deepEqual([lands, title], [true, 'Tides & times'])
  const { verdict, also } = await visit('http://short.localhost:4999/go/tides')
  assert.deepEqual([verdict, also], ['moved', ['lands']])
})

test('where a partner’s number is lost on the way, the stop is named', async () => {
  must(await world.services.partners.create(world.owner, { name: 'Tides', sites: ['tides.example'], account: 'id-4471' }))
  const { hops } = await visit(`http://tides.localhost:${port}/one?id=id-4471`)
  assert.deepEqual(
    hops.map(({ lost }) => lost),
    [[], ['Tides'], []],
  )
})

test('an address of ours that a redirect leads on from is followed as visitors follow it', async () => {
  const { services, owner } = world
  await bringIn(world, zipOf({ 'there.html': '<title>There</title>' }))
  must(await services.publications.create(owner, { all: true }))
  must(await services.redirects.create(owner, { from: '/old', to: '/there.html' }))
  must(await services.redirects.create(owner, { from: '/gone', status: 410 }))
  const kinds = async (path: string) => (await visit(`http://site.localhost:4999${path}`)).hops.map(({ kind, status }) => [kind, status])
  assert.deepEqual(await kinds('/old'), [
    ['hop', 301],
    ['lands', 200],
  ])
  assert.deepEqual(await kinds('/THERE.html'), [
    ['hop', 301],
    ['lands', 200],
  ])
  assert.deepEqual(await kinds('/gone'), [['fails', 410]])
  assert.deepEqual(
    must(await services.addresses.landing(world.contributor, ['/old', 'there.html', '/gone', '/nothing', 'https://x.example/'])),
    {
      nowhere: ['/gone', '/nothing'],
    },
  )
})

test('a page that is not published yet is there for whoever writes, and not for visitors', async () => {
  const { services, owner } = world
  await bringIn(world, zipOf({ 'soon.html': '<title>Soon</title>' }))
  const url = new URL('http://site.localhost:4999/soon.html')
  const asVisitors = async () => (await services.visits.see(owner.siteId, url)).judged[0].verdict
  assert.equal((await visit(url.href)).verdict, 'lands')
  assert.equal(await asVisitors(), 'missing')
  must(await services.publications.create(owner, { all: true }))
  assert.equal(await asVisitors(), 'lands')
})

test('our own short links and pages are looked up and not called: nothing is counted', async () => {
  const here = await visit('http://short.localhost:4999/go/here')
  assert.deepEqual(
    here.hops.map(({ kind, status }) => [kind, status]),
    [
      ['short link', 302],
      ['lands', 200],
    ],
  )
  const gone = await visit('http://site.localhost:4999/missing.html')
  assert.deepEqual([gone.lands, gone.hops[0]?.why], [false, 'no-page'])
  const unknown = await visit('http://short.localhost:4999/go/unknown')
  assert.equal(unknown.hops[0]?.why, 'no-short-link')
  assert.deepEqual(asked, [])
  const clicks = await rows<{ n: string }>(world.db, 'SELECT count(*) AS n FROM clicks')
  assert.equal(Number(clicks[0]?.n), 0)
})

for (const [name, path, as, why, most] of [
  ['a circle', '/round', 'goes-round', 'in-a-circle', 2],
  ['a way without an end', '/deeper', 'goes-round', 'too-many-hops', 10],
  ['an address that nobody may follow', '/nowhere', 'unreachable', 'no-address', 1],
  ['an answer that there is nothing', '/gone', 'missing', null, 1],
  ['a door that is closed to robots', '/closed', 'refused', null, 1],
  ['an answer that breaks off', '/broken', 'unreachable', 'broke-off', 1],
] as const)
  test(`a visit ends, and says why: ${name}`, async () => {
    const { hops, lands, verdict } = await visit(`http://tides.localhost:${port}${path}`)
    assert.deepEqual([lands, verdict, hops[hops.length - 1]?.why], [false, as, why])
    assert.equal(asked.length, most)
  })

test('of a long page no more is read than its title needs', async () => {
  const { body } = must(await askOutside(new URL(`http://tides.localhost:${port}/large`), ALL_INSIDE))
  assert.ok(body.length < 600_000, `${body.length} bytes`)
  assert.equal((await visit(`http://tides.localhost:${port}/large`)).title, 'Long')
})

test('private networks are out of bounds until the owner allows them, however they are written, and nobody there is asked', async () => {
  await allow(false)
  for (const host of [
    'localhost',
    'tides.localhost',
    '127.0.0.1',
    '2130706433',
    '0x7f.1',
    '0177.0.0.1',
    '127.1',
    '[::1]',
    '[::ffff:127.0.0.1]',
    '[::ffff:7f00:1]',
    '10.1.2.3',
    '172.16.0.1',
    '192.168.1.1',
    '169.254.169.254',
    '100.64.0.1',
    '0.0.0.0',
    '[fe80::1]',
    '[fd00::1]',
    '[64:ff9b::a00:1]',
    '[::127.0.0.1]',
    '[::7f00:1]',
    '[2002:7f00:1::]',
    '[::ffff:0:127.0.0.1]',
  ]) {
    const { hops, lands } = await visit(`http://${host}:${port}/`)
    assert.equal(lands, false, host)
    assert.match(hops[0]?.why ?? '', /^(?:this-machine|private-network)$/, host)
  }
  assert.deepEqual(asked, [])
  // A short link of our own is no way round.
  const through = await visit('http://short.localhost:4999/go/tides')
  assert.deepEqual([through.lands, through.hops.length, asked.length], [false, 2, 0])
})

test('public addresses are not taken for private ones', () => {
  for (const host of ['8.8.8.8', '172.32.0.1', '192.169.0.1', '[2606:4700::1111]', 'example.org'])
    assert.equal(isOutOfBounds(host), false, host)
})

test('an owner allows hosts, addresses and ranges by name, and nothing beside them', async () => {
  const allowed = ['10.1.0.0/16', '192.168.1.7', 'tides.localhost', 'fd00:1::/32']
  const out = (host: string): boolean => isOutOfBounds(host, allowed)
  assert.deepEqual(['10.1.2.3', '192.168.1.7', 'tides.localhost', '[fd00:1::5]'].map(out), [false, false, false, false])
  assert.deepEqual(
    ['10.2.2.3', '192.168.1.8', 'other.localhost', '[fd00:2::5]', '[::ffff:10.2.0.1]', 'localhost'].map(out),
    Array(6).fill(true),
  )
  assert.equal(out('[::ffff:10.1.2.3]'), false, 'an address of IPv4 in other clothes is what it is')
  const { services, owner, editor } = world
  const { version } = must(await services.sites.get(owner))
  const refused = await services.sites.change(editor, { version, insideAllowed: ['127.0.0.1'] })
  assert.equal(refused.ok ? '' : refused.fault, 'forbidden')
  await allow(false)
  assert.equal((await visit(`http://tides.localhost:${port}/`)).lands, false)
  const now = must(await services.sites.change(owner, { version, insideAllowed: ['tides.localhost'] }))
  assert.deepEqual(now.insideAllowed, ['tides.localhost'])
  assert.equal((await visit(`http://tides.localhost:${port}/`)).lands, true)
  assert.equal((await visit(`http://127.0.0.1:${port}/`)).lands, false)
  assert.deepEqual(
    ['10.0.0.0/8', '::1', 'nas.example', 'Nas', '10.0.0.0/99', 'a b', 'http://nas'].map(
      (entry) => SiteChange.safeParse({ version, insideAllowed: [entry] }).success,
    ),
    [true, true, true, true, false, false, false],
  )
  await allow(true)
})

test('a name is looked at where the connection is made: one that leads to this machine is refused', async () => {
  const found = await new Promise<unknown>((resolve) => resolver([])('any.localhost', {}, (error) => resolve(error)))
  assert.equal(found instanceof OutOfBounds && found.place, 'this-machine')
  const allowed = await new Promise<unknown>((resolve) => resolver(['127.0.0.0/8'])('any.localhost', {}, (_, address) => resolve(address)))
  assert.equal(allowed, '127.0.0.1')
})

test('what is no web address is refused, and asks nobody', async () => {
  for (const typed of ['javascript:alert(1)', 'mailto:mara@slow-ferry.example', 'ftp://tides.example/', '']) {
    const answer = await world.services.visits.visit(world.editor, typed)
    assert.equal(answer.ok ? 'visited' : answer.fault, 'address-unreadable', typed)
  }
  assert.deepEqual(asked, [])
})
