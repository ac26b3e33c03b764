import assert from 'node:assert/strict'
import { once } from 'node:events'
import { request as ask, createServer, type IncomingMessage, type RequestListener, type Server, type ServerResponse } from 'node:http'
import { type AddressInfo, connect } from 'node:net'
import { after, before, beforeEach, test } from 'node:test'
import { brotliCompressSync, brotliDecompressSync, deflateSync, gunzipSync, gzipSync, inflateSync } from 'node:zlib'
import pino from 'pino'
import { rows } from '../../src/data/database.ts'
import { ClickLog } from '../../src/delivery/click-log.ts'
import type { Delivery } from '../../src/delivery/delivery.ts'
import { upgradeDoor } from '../../src/delivery/front-door/index.ts'
import { respond } from '../../src/delivery/respond.ts'
import { SnapshotStore } from '../../src/delivery/snapshot.ts'
import { Visitors } from '../../src/delivery/visitor.ts'
import { makeWorld, must, type World } from './world.ts'

const log = pino({ level: 'silent' })
const LINK = '<a href="https://tides.example/">x</a>'
const MARKED = '<a href="https://tides.example/" rel="nofollow">x</a>'
let world: World
let delivery: Delivery
let door: Server
let origin: Server
let behind: RequestListener
let seen: IncomingMessage[] = []
let doorId = ''

const portOf = (server: Server): number => (server.address() as AddressInfo).port

before(async () => {
  world = await makeWorld()
  origin = createServer((request, response) => {
    seen.push(request)
    behind(request, response)
  }).listen(0, '127.0.0.1')
  await once(origin, 'listening')
  await rows(world.db, 'UPDATE sites SET may_visit_private = true')
  const made = must(
    await world.services.frontDoors.make(world.owner, { host: 'door.localhost', origin: `http://origin.localhost:${portOf(origin)}` }),
  )
  doorId = made.id
  await saveRule(0)
  const store = new SnapshotStore(world.db, { dataFolder: world.folder, port: 4999, log })
  await store.start()
  delivery = { store, clicks: new ClickLog(world.folder, log), visitors: new Visitors('secret', new Set()), log, doorTimeoutMs: 400 }
  const entryOf = (request: IncomingMessage) => store.current?.hosts.get((request.headers.host ?? '').replace(/:\d+$/, ''))
  door = createServer((request, response) => {
    const entry = entryOf(request)
    if (store.current === null || entry === undefined) return void response.writeHead(421).end()
    respond(delivery, store.current, entry, 'door.localhost', request, response)
  }).listen(0, '127.0.0.1')
  door.on('upgrade', (request, socket, head) => {
    const entry = entryOf(request)
    if (entry !== undefined) upgradeDoor(delivery, entry, request, socket, head)
  })
  await once(door, 'listening')
})
after(async () => {
  door.close()
  origin.close()
  origin.closeAllConnections()
  await delivery.store.stop()
  delivery.clicks.close()
})
beforeEach(() => {
  seen = []
})

async function saveRule(version: number, hint: 'nofollow' | 'ugc' = 'nofollow'): Promise<void> {
  must(
    await world.services.rules.save(world.owner, {
      version,
      rules: [{ id: 'o', name: 'o', isOn: true, isBinding: false, when: { is: 'kind', of: ['outside'] }, what: { hints: [hint] } }],
    }),
  )
}

interface Answer {
  readonly status: number
  readonly headers: IncomingMessage['headers']
  readonly body: Buffer
}
function get(path: string, options: { method?: string; headers?: Record<string, string>; body?: Buffer } = {}): Promise<Answer> {
  return new Promise((resolve, reject) => {
    const sent = ask(
      {
        host: '127.0.0.1',
        port: portOf(door),
        path,
        method: options.method ?? 'GET',
        headers: { host: `door.localhost:${portOf(door)}`, ...options.headers },
        agent: false,
      },
      (response) => {
        const parts: Buffer[] = []
        response.on('data', (part: Buffer) => parts.push(part))
        response.on('end', () => resolve({ status: response.statusCode ?? 0, headers: response.headers, body: Buffer.concat(parts) }))
        response.on('error', reject)
      },
    )
    sent.on('error', reject)
    sent.end(options.body)
  })
}
const page =
  (body: string | Buffer, headers: Record<string, string> = {}, status = 200): RequestListener =>
  (_request, response) =>
    void response.writeHead(status, { 'Content-Type': 'text/html', ...headers }).end(body)

test('pages are marked, other things go through byte for byte', async () => {
  behind = page(`<p>${LINK}`)
  assert.equal((await get('/')).body.toString(), `<p>${MARKED}`)
  behind = page(`{"html":"${LINK}"}`, { 'Content-Type': 'application/json', ETag: '"strong"', 'Content-Length': String(LINK.length + 11) })
  const json = await get('/data.json')
  assert.equal(json.body.toString(), `{"html":"${LINK}"}`)
  assert.equal(json.headers.etag, '"strong"')
})

for (const [coding, pack, open] of [
  ['gzip', gzipSync, gunzipSync],
  ['deflate', deflateSync, inflateSync],
  ['br', brotliCompressSync, brotliDecompressSync],
] as const)
  test(`${coding} is opened, marked and packed again`, async () => {
    behind = page(pack(`<p>${LINK}`), { 'Content-Encoding': coding })
    const answer = await get('/', { headers: { 'accept-encoding': 'gzip, deflate, br, zstd' } })
    assert.equal(answer.headers['content-encoding'], coding)
    assert.equal(open(answer.body).toString(), `<p>${MARKED}`)
    assert.equal(seen[0]?.headers['accept-encoding'], 'gzip, deflate, br')
  })

test('a coding nobody here can open goes through as it is', async () => {
  behind = page('packed somehow', { 'Content-Encoding': 'zstd', ETag: '"z"' })
  const answer = await get('/')
  assert.deepEqual([answer.body.toString(), answer.headers.etag], ['packed somehow', '"z"'])
})

test('the encoding is told by the header, by a mark, or by the page itself', async () => {
  const words = (text: string) => Buffer.from(text.replace('x<', 'caf\u00e9<'), 'latin1')
  behind = page(words(LINK), { 'Content-Type': 'text/html; charset=windows-1252' })
  assert.deepEqual((await get('/')).body, words(MARKED))
  behind = page(words(`<meta charset=iso-8859-1>${LINK}`))
  assert.deepEqual((await get('/')).body, words(`<meta charset=iso-8859-1>${MARKED}`))
  const wide = (text: string) => Buffer.concat([Buffer.from([0xff, 0xfe]), Buffer.from(text, 'utf16le')])
  behind = page(wide(LINK), { 'Content-Type': 'text/html; charset=utf-8' })
  assert.deepEqual((await get('/')).body, wide(MARKED), 'a byte order mark beats the header')
})

test('HEAD has the headers of the page and no body', async () => {
  behind = page(LINK, { 'Content-Length': String(LINK.length), ETag: '"h"' })
  const answer = await get('/', { method: 'HEAD' })
  assert.equal(seen[0]?.method, 'HEAD')
  assert.deepEqual([answer.status, answer.body.length, answer.headers['content-length']], [200, 0, undefined])
  assert.match(answer.headers.etag ?? '', /^W\/"h-s-mr\d+"$/)
})

test('a range of a page is answered with the whole page, a range of a file with the range', async () => {
  behind = (request, response) => {
    if (request.headers.range === undefined) return page(LINK)(request, response as ServerResponse & { req: IncomingMessage })
    response.writeHead(206, { 'Content-Type': 'text/html', 'Content-Range': `bytes 0-3/${LINK.length}` }).end(LINK.slice(0, 4))
  }
  const whole = await get('/', { headers: { range: 'bytes=0-3' } })
  assert.deepEqual([whole.status, whole.body.toString()], [200, MARKED])
  behind = (_request, response) =>
    void response.writeHead(206, { 'Content-Type': 'video/mp4', 'Content-Range': 'bytes 0-3/10' }).end('0123')
  const piece = await get('/film.mp4', { headers: { range: 'bytes=0-3' } })
  assert.deepEqual([piece.status, piece.body.toString(), piece.headers['content-range']], [206, '0123', 'bytes 0-3/10'])
})

test('a marked page never has the strong tag of the page behind it; it is fresh until the rules change', async () => {
  behind = (request, response) => {
    if (request.headers['if-none-match'] === '"v1"') return void response.writeHead(304, { ETag: '"v1"' }).end()
    response.writeHead(200, { 'Content-Type': 'text/html', ETag: '"v1"', 'Last-Modified': new Date(0).toUTCString() }).end(LINK)
  }
  const first = await get('/')
  const tag = first.headers.etag ?? ''
  assert.match(tag, /^W\/"v1-s-mr\d+"$/)
  assert.equal(first.headers['last-modified'], undefined)
  const again = await get('/', { headers: { 'if-none-match': tag, 'if-modified-since': new Date().toUTCString() } })
  assert.deepEqual([again.status, again.headers.etag], [304, tag])
  await saveRule(1, 'ugc')
  let changed = await get('/', { headers: { 'if-none-match': tag } })
  const startedAt = Date.now()
  while (changed.status !== 200 && Date.now() - startedAt < 2_000) {
    await new Promise((resolve) => setTimeout(resolve, 50))
    changed = await get('/', { headers: { 'if-none-match': tag } })
  }
  assert.equal(changed.body.toString(), MARKED.replace('nofollow', 'ugc'), 'within two seconds')
  await saveRule(2)
  await new Promise((resolve) => setTimeout(resolve, 600))
})

test('uploads go through whole, and the client is named to the site behind', async () => {
  const parts: Buffer[] = []
  behind = (request, response) => {
    request.on('data', (part: Buffer) => parts.push(part))
    request.on('end', () => response.writeHead(201).end('taken'))
  }
  const body = Buffer.alloc(3_000_000, 7)
  const answer = await get('/upload', {
    method: 'POST',
    body,
    headers: {
      'content-type': 'application/octet-stream',
      connection: 'close, x-private',
      'x-private': '1',
      'x-kept': '2',
      te: 'trailers',
    },
  })
  assert.deepEqual([answer.status, answer.body.toString()], [201, 'taken'])
  assert.equal(Buffer.concat(parts).equals(body), true)
  const headers: IncomingMessage['headers'] = seen[0]?.headers ?? {}
  assert.deepEqual([headers['x-private'], headers.te, headers['x-kept']], [undefined, undefined, '2'])
  assert.deepEqual(
    [headers.host, headers['x-forwarded-for'], headers['x-forwarded-host'], headers['x-forwarded-proto'], headers.via],
    [`origin.localhost:${portOf(origin)}`, '127.0.0.1', `door.localhost:${portOf(door)}`, 'http', '1.1 map-rope'],
  )
})

test('redirects and cookies that name the site behind lead to the door', async () => {
  const at = `http://origin.localhost:${portOf(origin)}`
  behind = (_request, response) =>
    void response
      .writeHead(302, {
        Location: `${at}/new?x=1#y`,
        'Set-Cookie': ['a=1; Domain=.origin.localhost; Path=/', 'b=2; HttpOnly'],
        Refresh: `3; url=${at}/slow`,
      })
      .end()
  const { headers } = await get('/old')
  const here = `http://door.localhost:${portOf(door)}`
  assert.deepEqual([headers.location, headers.refresh], [`${here}/new?x=1#y`, `3; url=${here}/slow`])
  assert.deepEqual(headers['set-cookie'], ['a=1; Domain=door.localhost; Path=/', 'b=2; HttpOnly'])
  behind = (_request, response) => void response.writeHead(302, { Location: 'https://elsewhere.example/' }).end()
  assert.equal((await get('/out')).headers.location, 'https://elsewhere.example/')
})

test('a WebSocket is joined through', async () => {
  origin.once('upgrade', (_request, socket) => {
    socket.write('HTTP/1.1 101 Switching Protocols\r\nUpgrade: websocket\r\nConnection: Upgrade\r\n\r\n')
    socket.on('data', (data: Buffer) => socket.write(`echo ${data}`))
  })
  const socket = connect(portOf(door), '127.0.0.1')
  socket.write(
    'GET /chat HTTP/1.1\r\nHost: door.localhost\r\nConnection: Upgrade\r\nUpgrade: websocket\r\nSec-WebSocket-Key: eA==\r\nSec-WebSocket-Version: 13\r\n\r\n',
  )
  let got = ''
  socket.on('data', (data) => {
    got += data
    if (got.endsWith('\r\n\r\n')) socket.write('ahoy')
  })
  for (let tries = 0; tries < 100 && !got.includes('echo ahoy'); tries++) await new Promise((resolve) => setTimeout(resolve, 20))
  socket.destroy()
  assert.match(got, /^HTTP\/1\.1 101 [\s\S]*echo ahoy$/)
})

test('what comes slowly is passed on as it comes', async () => {
  let finish = (): void => {}
  behind = (_request, response) => {
    response.writeHead(200, { 'Content-Type': 'text/html; charset=utf-8' })
    response.write(`<p>first ${LINK}`)
    finish = () => response.end('<p>second')
  }
  const early = await new Promise<string>((resolve, reject) => {
    const sent = ask(
      { host: '127.0.0.1', port: portOf(door), path: '/', headers: { host: 'door.localhost' }, agent: false },
      (response) => {
        response.once('data', (part: Buffer) => {
          resolve(part.toString())
          response.resume()
        })
      },
    )
    sent.on('error', reject)
    sent.end()
  })
  finish()
  assert.equal(early, `<p>first ${MARKED}`)
})

test('when the client is gone, the site behind is no longer asked', async () => {
  const gone = new Promise<void>((resolve) => {
    behind = (_request, response) => {
      response.writeHead(200, { 'Content-Type': 'text/html' })
      const timer = setInterval(() => response.write('x'.repeat(1_000)), 10)
      response.on('close', () => {
        clearInterval(timer)
        resolve()
      })
    }
  })
  const sent = ask({ host: '127.0.0.1', port: portOf(door), path: '/', headers: { host: 'door.localhost' }, agent: false }, (response) => {
    response.once('data', () => sent.destroy())
  })
  sent.on('error', () => {})
  sent.end()
  await gone
})

test('a site that is slow or down is told by pages of ours', async () => {
  behind = () => {}
  const slow = await get('/')
  assert.equal(slow.status, 504)
  assert.match(slow.body.toString(), /taking too long/)
  must(await world.services.frontDoors.remove(world.owner, doorId))
  must(await world.services.frontDoors.make(world.owner, { host: 'door.localhost', origin: 'http://127.0.0.1:9' }))
  await delivery.store.refresh()
  const down = await get('/')
  assert.equal(down.status, 502)
  assert.match(down.body.toString(), /does not answer/)
})

test('a door never opens onto a private network unless an owner allows it, nor onto the studio', async () => {
  await rows(world.db, 'UPDATE sites SET may_visit_private = false')
  for (const address of ['http://127.0.0.1:80', 'http://10.1.2.3', 'http://inner.localhost', 'http://[::1]:8080'])
    assert.equal((await world.services.frontDoors.make(world.owner, { host: 'b.localhost', origin: address })).ok, false, address)
  assert.equal((await world.services.frontDoors.make(world.owner, { host: 'localhost', origin: 'https://a.example' })).ok, false)
  assert.equal((await world.services.frontDoors.make(world.editor, { host: 'c.localhost', origin: 'https://a.example' })).ok, false)
})
