import assert from 'node:assert/strict'
import http, { type IncomingMessage, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import { after, before, test } from 'node:test'
import { gzipSync } from 'node:zlib'
import pino from 'pino'
import type { Checked } from '../../src/contract/checks.ts'
import { SiteChange } from '../../src/contract/sites.ts'
import { rows } from '../../src/data/database.ts'
import { Checker } from '../../src/jobs/checks.ts'
import type { Services } from '../../src/services/index.ts'
import { inWords } from '../../src/words/index.ts'
import { until } from '../until.ts'
import { bringIn, makeWorld, must, type World, zipOf } from './world.ts'

let world: World
let port = 0
/** Every request that came, when, and by whom. */
const asked: { host: string; method: string; url: string; at: number; agent: string; etag: string }[] = []

const PROSE = 'The boat leaves at ten past seven and the tide does not ask who is still on the quay with a mug of tea. '.repeat(12)
const page = (title: string, body = PROSE): string => `<!doctype html><title>${title}</title><h1>${title}</h1><p>${body}`
const html = (response: ServerResponse, status: number, body: string, more: Record<string, string> = {}): void =>
  void response.writeHead(status, { 'Content-Type': 'text/html; charset=utf-8', ...more }).end(body)

type Site = (request: IncomingMessage, response: ServerResponse, path: string) => void
const plain: Site = (_, response, path) => html(response, path === '/there' || path === '/' ? 200 : 404, page('Tides'))
let turned = 'Tides'
/** What answers at `http://NAME.localhost`. */
const SITES: Readonly<Record<string, Site>> = {
  well: plain,
  missing: plain,
  failing: (_, response) => html(response, 503, 'later'),
  moved: (_, response, path) =>
    path === '/there' ? html(response, 200, page('Tides')) : void response.writeHead(301, { Location: '/there' }).end(),
  'for-now': (_, response, path) =>
    path === '/there' ? html(response, 200, page('Tides')) : void response.writeHead(302, { Location: '/there' }).end(),
  soft: (_, response) => html(response, 200, page('Page not found')),
  front: (_, response, path) => (path === '/' ? html(response, 200, page('Front')) : void response.writeHead(302, { Location: '/' }).end()),
  named: (_, response, path) => html(response, path === '/x' ? 200 : 404, page('404')),
  refused: (_, response) => html(response, 403, 'robots stay out'),
  closed: (_, response, path) =>
    path === '/robots.txt' ? void response.writeHead(200).end('User-agent: MapRope\nDisallow: /x') : html(response, 200, page('Secret')),
  parked: (_, response) => html(response, 200, '<title>parked.localhost</title><p>This domain is for sale'),
  round: (_, response) => void response.writeHead(302, { Location: '/x' }).end(),
  'head-lies': (request, response) => (request.method === 'HEAD' ? void response.writeHead(404).end() : html(response, 200, page('Tides'))),
  'head-breaks': (request, response) => (request.method === 'HEAD' ? void response.destroy() : html(response, 200, page('Tides'))),
  sections: (_, response) => html(response, 200, `${page('Tides')}<h2 id="noon">Noon</h2><a name="ebb">Ebb</a>`),
  turning: (_, response) => html(response, 200, page(turned, turned === 'Tides' ? PROSE : 'buy cheap things now '.repeat(80))),
  known: (request, response) =>
    request.headers['if-none-match'] === '"seven"'
      ? void response.writeHead(304).end()
      : html(response, 200, page('Tides'), { ETag: '"seven"' }),
  lossy: (_, response, path) =>
    path === '/there' ? html(response, 200, page('Shop')) : void response.writeHead(301, { Location: '/there' }).end(),
  endless: (request, response) => {
    response.writeHead(200, { 'Content-Type': 'text/html' })
    if (request.method === 'HEAD') return void response.end()
    const more = (): void => {
      if (!response.destroyed) response.write('x'.repeat(65_536), () => setImmediate(more))
    }
    more()
  },
  'many-heads': (_, response) =>
    void response.writeHead(200, Object.fromEntries(Array.from({ length: 10_000 }, (_, i) => [`X-Tide-${i}`, 'high water']))).end(),
  'large-head': (_, response) => void response.writeHead(200, { 'X-Tide': 'x'.repeat(1_000_000) }).end(),
  bomb: (_, response) => html(response, 200, '', { 'Content-Encoding': 'gzip' }),
  deeper: (_, response, path) => void response.writeHead(302, { Location: `${path}x` }).end(),
  odd: (_, response) =>
    void response
      .writeHead(200, { 'Content-Type': 'text/html; charset=utf-99' })
      .end(Buffer.from([0x3c, 0x74, 0x69, 0x74, 0x6c, 0x65, 0x3e, 0xff, 0xfe, 0x00, 0xc3])),
  'large-robots': (_, response, path) =>
    path === '/robots.txt' ? void response.writeHead(200).end('Disallow: /y\n'.repeat(4_000_000)) : plain(_, response, '/there'),
  breaks: (_, response) => void response.destroy(),
  network: (_, response) => void response.writeHead(301, { Location: `http://well.localhost:${port}/there` }).end(),
  'sends-mail': (_, response) => void response.writeHead(302, { Location: 'mailto:a@b.example' }).end(),
}
const BOMB = gzipSync(Buffer.alloc(40_000_000, '<p>tide '))

const outside = http.createServer({ maxHeaderSize: 65_536 }, (request, response) => {
  const host = request.headers.host ?? ''
  const path = request.url ?? '/'
  asked.push({
    host,
    method: request.method ?? '',
    url: path,
    at: performance.now(),
    agent: request.headers['user-agent'] ?? '',
    etag: String(request.headers['if-none-match'] ?? ''),
  })
  const name = host.replace(/\.localhost.*$/, '')
  if (name === 'bomb' && path !== '/robots.txt')
    return void response.writeHead(200, { 'Content-Type': 'text/html', 'Content-Encoding': 'gzip' }).end(BOMB)
  if (path === '/robots.txt' && name !== 'closed' && name !== 'large-robots') return void response.writeHead(404).end()
  ;(SITES[name] ?? plain)(request, response, path)
})
const at = (name: string, path = '/x'): string => `http://${name}.localhost:${port}${path}`

before(async () => {
  await new Promise<void>((resolve) => outside.listen(0, '127.0.0.1', resolve))
  port = (outside.address() as AddressInfo).port
  world = await makeWorld()
  await rows(world.db, `UPDATE sites SET inside_allowed = '{0.0.0.0/0,::/0}'`)
})
after(() => {
  outside.closeAllConnections()
  outside.close()
})

const silent = pino({ level: 'silent' })
/** Looks at what is due, as the thread for it does, while something is done. */
async function whileLooking<T>(work: () => Promise<T>): Promise<T> {
  const checker = new Checker(world.db, world.services as unknown as Services, silent)
  const running = checker.run()
  try {
    return await work()
  } finally {
    checker.stop()
    await running
  }
}
const all = async (query: object = {}): Promise<Checked[]> =>
  must(await world.services.checks.list(world.editor, { limit: 200, ...query })).items
const one = async (address: string): Promise<Checked | undefined> => (await all({ address }))[0]
/** Until everything that is known was looked at. */
const allSeen = () => until(async () => (await all()).every(({ verdict }) => verdict !== null), 'a look at everything', 120_000)

const EXPECTED: Readonly<Record<string, readonly [verdict: string, ...also: string[]]>> = {
  'well/there': ['lands'],
  'missing/x': ['missing'],
  'failing/x': ['failing'],
  'moved/x': ['moved', 'lands'],
  'for-now/x': ['moved-for-now', 'lands'],
  'soft/x': ['soft-missing'],
  'front/x': ['soft-missing'],
  'named/x': ['lands'],
  'refused/x': ['refused'],
  'closed/x': ['refused'],
  'parked/x': ['parked'],
  'round/x': ['goes-round'],
  'head-lies/x': ['lands'],
  'head-breaks/x': ['lands'],
  'sections/x': ['lands'],
  'turning/x': ['lands'],
  'known/x': ['lands'],
  'lossy/x?account=id-4471': ['number-lost', 'moved', 'lands'],
  'network/x': ['lands'],
  'endless/x': ['lands'],
  'many-heads/x': ['unreachable'],
  'large-head/x': ['unreachable'],
  'bomb/x': ['lands'],
  'deeper/x': ['goes-round'],
  'odd/x': ['lands'],
  'large-robots/x': ['lands'],
  'breaks/x': ['unreachable'],
  'sends-mail/x': ['unreachable'],
}

test('every destination that something leads to is known, looked at politely, and told by what was seen', {
  timeout: 240_000,
}, async () => {
  const { services, owner } = world
  must(await services.partners.create(owner, { name: 'Lossy Lane', sites: [`lossy.localhost`], account: 'id-4471' }))
  must(await services.partners.create(owner, { name: 'A network', sites: ['network.localhost'] }))
  const links = Object.keys(EXPECTED).map(
    (place) => `<p><a href="${at(place.slice(0, place.indexOf('/')), place.slice(place.indexOf('/')))}">x</a>`,
  )
  await bringIn(
    world,
    zipOf({
      'here.html': `<title>Here</title>${links.join('')}<a href="${at('sections')}#noon">1</a><a href="${at('sections')}#ebb">2</a><a href="${at('sections')}#flood">3</a>`,
      'other.html': `<title>Other</title><a href="/here.html">in</a><a href="/nowhere.html">out</a><a href="${at('well', '/there')}">again</a><a href="mailto:a@b.example">mail</a>`,
    }),
  )
  must(await services.publications.create(owner, { all: true }))
  must(await services.shortLinks.create(owner, { destination: at('led', '/there'), slug: 'tides' }))
  must(await services.redirects.create(owner, { from: '/old', to: at('rows', '/there') }))
  await whileLooking(async () => {
    await until(async () => (await all()).length >= Object.keys(EXPECTED).length + 4, 'all destinations')
    await allSeen()
  })
  const seen = await all()
  const saidOf = (address: string) => {
    const found = seen.find((each) => each.address === address)
    return found === undefined ? null : [found.verdict, ...found.also]
  }
  for (const [place, verdicts] of Object.entries(EXPECTED)) {
    const [name = '', ...rest] = place.split('/')
    assert.deepEqual(saidOf(at(name, `/${rest.join('/')}`)), verdicts, place)
  }
  assert.deepEqual(saidOf('http://site.localhost:4999/here.html'), ['lands'])
  assert.deepEqual(saidOf('http://site.localhost:4999/nowhere.html'), ['missing'])
  assert.deepEqual(saidOf(at('led', '/there')), ['lands'])
  assert.deepEqual(saidOf(at('rows', '/there')), ['lands'])
  assert.equal(seen.find(({ address }) => address === at('well', '/there'))?.uses, 2)
  const moved = await one(at('moved'))
  assert.equal(moved?.better, at('moved', '/there'))
  assert.match(inWords(moved?.evidence?.says ?? ''), /moved for good/)
  assert.match(inWords((await one(at('sections')))?.evidence?.says ?? ''), /no section #flood$/)
  for (const { evidence } of seen) assert.ok(inWords(evidence?.says ?? '').length > 10)
})

test('no site was asked twice within its pace, nobody was asked by POST, and who asks says where from', () => {
  const byHost = new Map<string, number[]>()
  for (const { host, at: when } of asked) byHost.set(host, [...(byHost.get(host) ?? []), when])
  const gaps = [...byHost].flatMap(([host, times]) => times.slice(1).map((time, i) => [host, time - (times[i] ?? 0)] as const))
  assert.ok(gaps.length > 20)
  // Requests are sent in time; how long each is under way differs by some milliseconds.
  assert.deepEqual(
    gaps.filter(([, gap]) => gap < 1_900),
    [],
  )
  assert.deepEqual([...new Set(asked.map(({ method }) => method))].sort(), ['GET', 'HEAD'])
  assert.ok(asked.every(({ agent }) => agent === 'Mozilla/5.0 (compatible; MapRope/1; +http://site.localhost:4999/)'))
  assert.ok(!asked.some(({ host, url }) => host.startsWith('closed.') && url !== '/robots.txt'), 'robots are turned away there')
  const first = (name: string) =>
    asked.filter(({ host, url }) => host.startsWith(`${name}.`) && url !== '/robots.txt').map(({ method }) => method)
  assert.deepEqual(first('missing'), ['HEAD', 'GET'])
  assert.deepEqual(first('refused'), ['HEAD', 'GET'])
})

test('a look that somebody asks for comes first, by conditional requests, and tells what has changed since', {
  timeout: 60_000,
}, async () => {
  const { services, editor } = world
  asked.length = 0
  turned = 'Cheap things'
  const { job } = must(await services.checks.start(editor, { addresses: [at('known'), at('turning'), at('new', '/there')] }))
  await whileLooking(() => until(async () => must(await services.jobs.get(editor, job)).state === 'done', 'the looks', 50_000))
  const { done, total, report } = must(await services.jobs.get(editor, job))
  assert.deepEqual([done, total, report], [3, 3, { looked: 3, verdicts: { lands: 2, changed: 1 } }])
  assert.deepEqual(
    asked.filter(({ host }) => host.startsWith('known.')).map(({ method, etag }) => [method, etag]),
    [['GET', '"seven"']],
  )
  const turning = await one(at('turning'))
  assert.deepEqual([turning?.verdict, turning?.also], ['changed', ['lands']])
  assert.equal(inWords(turning?.evidence?.says ?? ''), 'it has become another page: “Cheap things”, which was “Tides”')
  const details = must(await services.checks.get(editor, turning?.id ?? ''))
  assert.deepEqual(
    details.past.map(({ verdict, until: end }) => [verdict, end === null]),
    [
      ['changed', true],
      ['lands', false],
    ],
  )
  assert.deepEqual(
    details.usedBy.map(({ kind, name, links }) => [kind, name, links]),
    [['page', '/here.html', 1]],
  )
  assert.equal((await one(at('new', '/there')))?.uses, 0)
})

test('what somebody finds fine is fine until something else is said', async () => {
  const { services, editor, contributor } = world
  const turning = await one(at('turning'))
  const id = turning?.id ?? ''
  must(await services.checks.fine(editor, id, { reason: 'they sell things now' }))
  assert.equal((await one(at('turning')))?.fine?.reason, 'they sell things now')
  must(await services.checks.fine(editor, id, { reason: null }))
  assert.equal((await one(at('turning')))?.fine, null)
  assert.equal((await services.checks.fine({ ...contributor, can: () => false }, id, { reason: 'x' })).ok, false)
})

test('what leads to an address that has moved leads to the new one: pages as drafts, short links and rows at once, taken back as one', async () => {
  const { services, owner, contributor } = world
  const link = must(await services.shortLinks.create(owner, { destination: at('moved'), slug: 'moved' }))
  const row = must(await services.redirects.create(owner, { from: '/moved', to: at('moved') }))
  await services.checks.follow(owner.siteId)
  const sourceOf = async () =>
    must(await services.pages.source(owner, must(await services.pages.list(owner, { limit: 1, path: '/here.html' })).items[0]?.id ?? ''))
      .source
  const destinationOf = async () => must(await services.shortLinks.get(owner, link.id)).destination
  const rowTo = async () => must(await services.redirects.get(owner, row.id)).to
  const before = [await sourceOf(), await destinationOf(), await rowTo()]
  const asked = { address: at('moved'), to: at('moved', '/there') }
  const look = must(await services.checks.mend(owner, { ...asked, dryRun: true }))
  assert.deepEqual([look.id, look.links, look.changed], [null, 1, { pages: 1, shortLinks: 1, redirects: 1 }])
  assert.deepEqual([await sourceOf(), await destinationOf(), await rowTo()], before, 'a look changes nothing')
  const done = must(await services.checks.mend(owner, { ...asked, dryRun: false }))
  assert.deepEqual(done.changed, look.changed)
  assert.deepEqual([await destinationOf(), await rowTo()], [at('moved', '/there'), at('moved', '/there')])
  assert.equal(
    await sourceOf(),
    before[0]?.replace(`"${at('moved')}"`, `"${at('moved', '/there')}"`),
    'nothing else of the page is another',
  )
  await services.checks.follow(owner.siteId)
  assert.equal((await one(at('moved')))?.uses, 0)
  const [step] = must(await services.steps.list(owner, { kind: 'partners', limit: 1 })).items
  assert.deepEqual(step?.kind === 'partners' ? step.mended : null, { address: at('moved'), to: at('moved', '/there') })
  must(await services.steps.undo(owner, { kind: 'partners', id: done.id ?? '' }))
  assert.deepEqual([await sourceOf(), await destinationOf(), await rowTo()], before)
  assert.equal((await services.checks.mend(contributor, { ...asked, dryRun: true })).ok, false)
  await services.checks.follow(owner.siteId)
})

test('lists say of each link what was seen where it leads, as soon as it is seen', async () => {
  const { services, editor } = world
  const ask = async (query: object = {}) => must(await services.placements.list(editor, { limit: 100, ...query }))
  const { items } = await ask()
  const of = (address: string) =>
    items.filter(({ href }) => href === address).map(({ lands, verdict, findings }) => [lands, verdict, findings.includes('does not land')])
  assert.deepEqual(of(at('missing')), [[false, 'missing', true]])
  assert.deepEqual(of(at('moved')), [[true, 'moved', false]])
  assert.deepEqual(of(at('refused')), [[null, 'refused', false]])
  assert.deepEqual(of(`${at('sections')}#noon`), [[true, 'lands', false]])
  assert.deepEqual(of('/here.html'), [[true, 'lands', false]])
  assert.deepEqual(
    (await ask({ verdict: 'missing' })).items.map(({ href }) => href),
    [at('missing'), '/nowhere.html'],
  )
  const missing = await one(at('missing'))
  must(await services.checks.fine(editor, missing?.id ?? '', { reason: 'it comes back in spring' }))
  assert.deepEqual(
    (await ask({ verdict: 'missing' })).items.map(({ lands, findings }) => [lands, findings.includes('does not land')]),
    [
      [true, false],
      [false, true],
    ],
  )
})

test('what is no longer led to is let go, what is led to anew is known, and a page that comes is found by the links to it', {
  timeout: 60_000,
}, async () => {
  const { services, owner } = world
  const find = async (path: string) => must(await services.pages.list(owner, { limit: 1, path })).items[0]?.id ?? ''
  const id = await find('/other.html')
  const source = must(await services.pages.source(owner, id))
  const from = source.source.indexOf(at('well', '/there'))
  must(
    await services.pages.change(owner, id, {
      version: source.version,
      patchSets: [[{ from, to: from + at('well', '/there').length, insert: at('fresh', '/there') }]],
    }),
  )
  await bringIn(world, zipOf({ 'nowhere.html': '<title>Somewhere</title>' }))
  must(await services.publications.create(owner, { all: true }))
  await whileLooking(async () => {
    await until(async () => (await one(at('fresh', '/there')))?.verdict === 'lands', 'the new destination')
    await until(async () => (await one('http://site.localhost:4999/nowhere.html'))?.verdict === 'lands', 'the page that came')
  })
  assert.equal((await one(at('well', '/there')))?.uses, 1)
})

test('what is never to be visited is not, and visited sites are told whatever address the owner chose', { timeout: 60_000 }, async () => {
  const { services, owner, editor, db } = world
  asked.length = 0
  const { version } = must(await services.sites.get(owner))
  assert.equal(SiteChange.safeParse({ version, neverAsked: ['*'] }).success, false, 'not every address at once')
  must(
    await services.sites.change(owner, { version, neverAsked: [`http://never.localhost:${port}/*`], asksAs: 'https://about.example/us' }),
  )
  await services.checks.follow(owner.siteId)
  await rows(db, 'UPDATE asked_hosts SET free_at = now()')
  const { job } = must(await services.checks.start(editor, { addresses: [at('never'), at('known')] }))
  await whileLooking(() => until(async () => must(await services.jobs.get(editor, job)).state === 'done', 'the looks', 50_000))
  assert.deepEqual(
    [...new Set(asked.map(({ host, agent }) => `${host.split('.')[0]} ${agent}`))],
    ['known Mozilla/5.0 (compatible; MapRope/1; +https://about.example/us)'],
  )
  assert.deepEqual([(await one(at('never')))?.verdict, (await one(at('never')))?.dueAt], [null, null])
  must(await services.sites.change(owner, { version: version + 1, neverAsked: [] }))
  await services.checks.follow(owner.siteId)
  assert.notEqual((await one(at('never')))?.dueAt, null, 'it is visited once it may be')
})

test('two who look at once never ask a site at the same time, and one that is gone in the middle is gone on from', {
  timeout: 60_000,
}, async () => {
  const { services, editor, db } = world
  asked.length = 0
  const addresses = Array.from({ length: 12 }, (_, i) => at(`many-${i % 4}`, `/there?${i}`))
  await rows(db, `UPDATE asked_hosts SET free_at = now()`)
  const { job } = must(await services.checks.start(editor, { addresses }))
  // Taken by a process that then ends: held for as long as it could have been at it.
  await rows(db, `UPDATE destinations SET due_at = now() + interval '3 seconds' WHERE host LIKE 'many-0%'`)
  await rows(db, `UPDATE asked_hosts SET free_at = now() + interval '3 seconds' WHERE host LIKE 'many-0%'`)
  await whileLooking(() =>
    whileLooking(() => until(async () => must(await services.jobs.get(editor, job)).state === 'done', 'all looks', 50_000)),
  )
  assert.equal(must(await services.jobs.get(editor, job)).done, 12)
  for (const host of new Set(asked.map((each) => each.host))) {
    const times = asked.filter((each) => each.host === host).map((each) => each.at)
    for (const [i, time] of times.slice(1).entries()) assert.ok(time - (times[i] ?? 0) > 1_900, `${host}: ${time - (times[i] ?? 0)} ms`)
  }
})
