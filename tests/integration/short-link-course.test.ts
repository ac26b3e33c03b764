import assert from 'node:assert/strict'
import { once } from 'node:events'
import { createServer, type IncomingMessage, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { after, before, test } from 'node:test'
import pino from 'pino'
import type { ShortLinkNew } from '../../src/contract/short-links.ts'
import { rows } from '../../src/data/database.ts'
import { countedAnswer } from '../../src/delivery/answers.ts'
import { clickFolder } from '../../src/delivery/click-log.ts'
import { loadClickLogs } from '../../src/jobs/clicks.ts'
import { watchShortLinks } from '../../src/jobs/short-link-watch.ts'
import { type Delivering, deliver } from './delivering.ts'
import { makeWorld, must, type World } from './world.ts'

const log = pino({ level: 'silent' })
const NOON = Date.UTC(2031, 4, 1, 12)
let world: World
let delivering: Delivering
before(async () => {
  world = await makeWorld()
  delivering = await deliver(world)
})
after(() => delivering.stop())

const make = async (wanted: Partial<ShortLinkNew> & { slug: string }) => {
  const made = must(
    await world.services.shortLinks.create(world.editor, { destination: `https://tides.example/${wanted.slug}`, ...wanted }),
  )
  await delivering.refresh()
  return made
}
/** What is answered at a moment to a visitor. */
function ask(url: string, { nowMs = NOON, visitor = 'v', language = 'en' }: { nowMs?: number; visitor?: string; language?: string } = {}) {
  const view = delivering.delivery.store.begin()
  const entry = view?.host('short.localhost') ?? null
  assert.ok(view !== null && entry !== null)
  try {
    return countedAnswer(view, entry, {
      host: 'short.localhost',
      method: 'GET',
      url,
      language,
      agent: 'Firefox',
      nowMs,
      visitor: () => visitor,
    })
  } finally {
    view.done()
  }
}
const headersOf = (url: string): Record<string, string> => {
  const list = ask(url)?.headers ?? []
  return Object.fromEntries(list.flatMap((name, i) => (i % 2 === 0 ? [[name, list[i + 1] ?? '']] : [])))
}
const to = (...asked: Parameters<typeof ask>): string | undefined => {
  const answer = ask(...asked)
  const at = answer?.headers.indexOf('Location') ?? -1
  return at === -1 ? `${answer?.status}` : answer?.headers[at + 1]
}

test('a destination changes at its time, an offer begins and ends, as seen from outside with a moved clock', async () => {
  await make({
    slug: 'fair',
    course: {
      startsAt: '2031-05-01T12:00:00.000Z',
      endsAt: '2031-05-08T12:00:00.000Z',
      cases: [
        { when: { from: '2031-05-04T00:00:00.000Z' }, to: 'https://tides.example/last-days' },
        { when: { languages: ['de'] }, to: 'https://tides.example/de' },
      ],
    },
  })
  const day = 86_400_000
  for (const _ of ['asked', 'once more']) {
    assert.equal(to('/go/fair', { nowMs: NOON - 1 }), '404')
    assert.equal(to('/go/fair'), 'https://tides.example/fair')
    assert.equal(to('/go/fair', { language: 'de-CH' }), 'https://tides.example/de')
    assert.equal(to('/go/fair', { nowMs: NOON + 3 * day }), 'https://tides.example/last-days')
    assert.equal(to('/go/fair', { nowMs: NOON + 7 * day }), '404')
  }
  // What leads nobody on is no click.
  assert.equal(ask('/go/fair', { nowMs: NOON - 1 })?.countedAs, null)
})

test('a split gives one visitor the same page always, and visitors their shares; links differ in whom they send where', async () => {
  const others = [{ to: 'https://tides.example/b', weight: 70 }]
  const [one, two] = [
    await make({ slug: 'split', course: { split: { main: 30, others } } }),
    await make({ slug: 'split-two', course: { split: { main: 30, others } } }),
  ]
  const answers = Array.from({ length: 1_000 }, (_, n) => ask('/go/split', { visitor: `visitor ${n}` }))
  const again = Array.from({ length: 1_000 }, (_, n) => ask('/go/split', { visitor: `visitor ${n}`, nowMs: NOON + n * 1e9 }))
  assert.deepEqual(
    answers.map((each) => each?.variant),
    again.map((each) => each?.variant),
  )
  const first = answers.filter((each) => each?.variant === 0).length
  assert.ok(first > 240 && first < 360, String(first))
  const same = answers.filter((each, n) => each?.variant === ask('/go/split-two', { visitor: `visitor ${n}` })?.variant).length
  assert.ok(same < 700, `${one.id} ${two.id} ${same}`)
})

test('headers say what was chosen: search engines, referrer, caches', async () => {
  await make({ slug: 'plain' })
  await make({ slug: 'open', course: { isIndexed: true, referrer: 'origin', query: 'merge' } })
  assert.deepEqual([headersOf('/go/plain')['X-Robots-Tag'], headersOf('/go/plain')['Referrer-Policy']], ['noindex, nofollow', undefined])
  assert.deepEqual([headersOf('/go/open')['X-Robots-Tag'], headersOf('/go/open')['Referrer-Policy']], [undefined, 'origin'])
  assert.equal(headersOf('/go/open')['Cache-Control'], 'private, no-store')
  assert.equal(to('/go/open?x=1'), 'https://tides.example/open?x=1')
  assert.equal(to('/go/plain?x=1'), 'https://tides.example/plain')
})

test('after its last click a link is over within a load; a greater limit opens it again; bots do not use it up', async () => {
  const link = await make({ slug: 'few', course: { clickLimit: 3, ending: 'gone' } })
  const { clicks, visitors } = delivering.delivery
  const came = (agent: string): IncomingMessage =>
    ({ method: 'GET', headers: { 'user-agent': agent }, socket: { remoteAddress: '10.0.0.1' } }) as unknown as IncomingMessage
  const click = async (agent: string, times: number): Promise<void> => {
    for (let i = 0; i < times; i++)
      await new Promise<void>((resolve) =>
        clicks.append(visitors.clickLine(came(agent), { id: link.id, variant: null }, Date.now()), resolve),
      )
    await loadClickLogs(world.db, clickFolder(world.folder), log)
    await delivering.refresh()
  }
  const PERSON = 'Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 Chrome/126.0 Safari/537.36'
  await click('curl/8', 5)
  await click(PERSON, 2)
  assert.equal(to('/go/few'), 'https://tides.example/few')
  await click(PERSON, 1)
  assert.equal(to('/go/few'), '410')
  const now = must(await world.services.shortLinks.get(world.editor, link.id))
  assert.equal(now.state, 'over')
  // Something else of it is changed: that opens nothing.
  const same = must(await world.services.shortLinks.change(world.editor, link.id, { version: now.version, course: { referrer: 'origin' } }))
  await delivering.refresh()
  assert.equal(to('/go/few'), '410')
  must(await world.services.shortLinks.change(world.editor, link.id, { version: same.version, course: { clickLimit: 10 } }))
  await delivering.refresh()
  assert.equal(to('/go/few'), 'https://tides.example/few')
})

test('while its destination is down a link leads to its fallback, and back when it answers', async () => {
  let status = 200
  const site: Server = createServer((_, response) => response.writeHead(status).end('here')).listen(0, '127.0.0.1')
  await once(site, 'listening')
  await rows(world.db, `UPDATE sites SET inside_allowed = '{0.0.0.0/0,::/0}'`)
  const at = `http://127.0.0.1:${(site.address() as AddressInfo).port}/`
  const link = await make({ slug: 'watched', destination: at, course: { fallback: 'https://tides.example/shelter' } })
  const watch = async (): Promise<string | undefined> => {
    await rows(world.db, 'UPDATE short_links SET looked_at = NULL')
    await watchShortLinks(world.db, world.services.visits, log)
    await delivering.refresh()
    return to('/go/watched')
  }
  assert.equal(await watch(), at)
  status = 503
  assert.equal(await watch(), 'https://tides.example/shelter')
  assert.equal(must(await world.services.shortLinks.get(world.editor, link.id)).state, 'down')
  status = 200
  assert.equal(await watch(), at)
  site.close()
})
