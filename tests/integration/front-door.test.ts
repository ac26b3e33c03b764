import assert from 'node:assert/strict'
import { request as ask, type IncomingMessage, type ServerResponse } from 'node:http'
import { connect } from 'node:net'
import { test } from 'node:test'
import { brotliCompressSync, brotliDecompressSync, deflateSync, gunzipSync, gzipSync, inflateSync } from 'node:zlib'
import { rows } from '../../src/data/database.ts'
import { until } from '../until.ts'
import { portOf } from './asking.ts'
import { aDoor, get, LINK, MARKED, page, saveRule } from './door.ts'
import { must } from './world.ts'

const door = aDoor(400)

test('pages are marked, other things go through byte for byte', async () => {
  door.behind = page(`<p>${LINK}`)
  assert.equal((await get(door, '/')).body.toString(), `<p>${MARKED}`)
  door.behind = page(`{"html":"${LINK}"}`, {
    'Content-Type': 'application/json',
    ETag: '"strong"',
    'Content-Length': String(LINK.length + 11),
  })
  const json = await get(door, '/data.json')
  assert.equal(json.body.toString(), `{"html":"${LINK}"}`)
  assert.equal(json.headers.etag, '"strong"')
})

for (const [coding, pack, open] of [
  ['gzip', gzipSync, gunzipSync],
  ['deflate', deflateSync, inflateSync],
  ['br', brotliCompressSync, brotliDecompressSync],
] as const)
  test(`${coding} is opened, marked and packed again`, async () => {
    door.behind = page(pack(`<p>${LINK}`), { 'Content-Encoding': coding })
    const answer = await get(door, '/', { headers: { 'accept-encoding': 'gzip, deflate, br, zstd' } })
    assert.equal(answer.headers['content-encoding'], coding)
    assert.equal(open(answer.body).toString(), `<p>${MARKED}`)
    assert.equal(door.seen[0]?.headers['accept-encoding'], 'gzip, deflate, br')
  })

test('a coding nobody here can open goes through as it is', async () => {
  door.behind = page('packed somehow', { 'Content-Encoding': 'zstd', ETag: '"z"' })
  const answer = await get(door, '/')
  assert.deepEqual([answer.body.toString(), answer.headers.etag], ['packed somehow', '"z"'])
})

test('the encoding is told by the header, by a mark, or by the page itself', async () => {
  const words = (text: string) => Buffer.from(text.replace('x<', 'caf\u00e9<'), 'latin1')
  door.behind = page(words(LINK), { 'Content-Type': 'text/html; charset=windows-1252' })
  assert.deepEqual((await get(door, '/')).body, words(MARKED))
  door.behind = page(words(`<meta charset=iso-8859-1>${LINK}`))
  assert.deepEqual((await get(door, '/')).body, words(`<meta charset=iso-8859-1>${MARKED}`))
  const wide = (text: string) => Buffer.concat([Buffer.from([0xff, 0xfe]), Buffer.from(text, 'utf16le')])
  door.behind = page(wide(LINK), { 'Content-Type': 'text/html; charset=utf-8' })
  assert.deepEqual((await get(door, '/')).body, wide(MARKED), 'a byte order mark beats the header')
})

test('HEAD has the headers of the page and no body', async () => {
  door.behind = page(LINK, { 'Content-Length': String(LINK.length), ETag: '"h"' })
  const answer = await get(door, '/', { method: 'HEAD' })
  assert.equal(door.seen[0]?.method, 'HEAD')
  assert.deepEqual([answer.status, answer.body.length, answer.headers['content-length']], [200, 0, undefined])
  assert.match(answer.headers.etag ?? '', /^W\/"h-s-mr\d+"$/)
})

test('a range of a page is answered with the whole page, a range of a file with the range', async () => {
  door.behind = (request, response) => {
    if (request.headers.range === undefined) return page(LINK)(request, response as ServerResponse & { req: IncomingMessage })
    response.writeHead(206, { 'Content-Type': 'text/html', 'Content-Range': `bytes 0-3/${LINK.length}` }).end(LINK.slice(0, 4))
  }
  const whole = await get(door, '/', { headers: { range: 'bytes=0-3' } })
  assert.deepEqual([whole.status, whole.body.toString()], [200, MARKED])
  door.behind = (_request, response) =>
    void response.writeHead(206, { 'Content-Type': 'video/mp4', 'Content-Range': 'bytes 0-3/10' }).end('0123')
  const piece = await get(door, '/film.mp4', { headers: { range: 'bytes=0-3' } })
  assert.deepEqual([piece.status, piece.body.toString(), piece.headers['content-range']], [206, '0123', 'bytes 0-3/10'])
})

test('a marked page never has the strong tag of the page behind it; it is fresh until the rules change', async () => {
  door.behind = (request, response) => {
    if (request.headers['if-none-match'] === '"v1"') return void response.writeHead(304, { ETag: '"v1"' }).end()
    response.writeHead(200, { 'Content-Type': 'text/html', ETag: '"v1"', 'Last-Modified': new Date(0).toUTCString() }).end(LINK)
  }
  const first = await get(door, '/')
  const tag = first.headers.etag ?? ''
  assert.match(tag, /^W\/"v1-s-mr\d+"$/)
  assert.equal(first.headers['last-modified'], undefined)
  const again = await get(door, '/', { headers: { 'if-none-match': tag, 'if-modified-since': new Date().toUTCString() } })
  assert.deepEqual([again.status, again.headers.etag], [304, tag])
  await saveRule(door, 1, 'ugc')
  const other = async () => {
    const answer = await get(door, '/', { headers: { 'if-none-match': tag } })
    return answer.status === 200 && answer.body.toString()
  }
  assert.equal(await until(other, 'the new rule', 2_000), MARKED.replace('nofollow', 'ugc'))
  await saveRule(door, 2)
  await until(async () => (await get(door, '/')).body.toString() === MARKED, 'the rule as it was')
})

test('uploads go through whole, and the client is named to the site behind', async () => {
  const parts: Buffer[] = []
  door.behind = (request, response) => {
    request.on('data', (part: Buffer) => parts.push(part))
    request.on('end', () => response.writeHead(201).end('taken'))
  }
  const body = Buffer.alloc(3_000_000, 7)
  const answer = await get(door, '/upload', {
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
  const headers: IncomingMessage['headers'] = door.seen[0]?.headers ?? {}
  assert.deepEqual([headers['x-private'], headers.te, headers['x-kept']], [undefined, undefined, '2'])
  assert.deepEqual(
    [
      headers.host,
      headers['x-forwarded-for'],
      headers['x-forwarded-host'],
      headers['x-forwarded-proto'],
      headers.via?.replace(/[0-9a-f]{12}$/, '…'),
    ],
    [`origin.localhost:${portOf(door.origin)}`, '127.0.0.1', `door.localhost:${portOf(door.server)}`, 'http', '1.1 map-rope-…'],
  )
})

test('redirects and cookies that name the site behind lead to the door', async () => {
  const at = `http://origin.localhost:${portOf(door.origin)}`
  door.behind = (_request, response) =>
    void response
      .writeHead(302, {
        Location: `${at}/new?x=1#y`,
        'Set-Cookie': ['a=1; Domain=.origin.localhost; Path=/', 'b=2; HttpOnly'],
        Refresh: `3; url=${at}/slow`,
      })
      .end()
  const { headers } = await get(door, '/old')
  const here = `http://door.localhost:${portOf(door.server)}`
  assert.deepEqual([headers.location, headers.refresh], [`${here}/new?x=1#y`, `3; url=${here}/slow`])
  assert.deepEqual(headers['set-cookie'], ['a=1; Domain=door.localhost; Path=/', 'b=2; HttpOnly'])
  door.behind = (_request, response) => void response.writeHead(302, { Location: 'https://elsewhere.example/' }).end()
  assert.equal((await get(door, '/out')).headers.location, 'https://elsewhere.example/')
})

test('a WebSocket is joined through', async () => {
  door.origin.once('upgrade', (_request, socket) => {
    socket.write('HTTP/1.1 101 Switching Protocols\r\nUpgrade: websocket\r\nConnection: Upgrade\r\n\r\n')
    socket.on('data', (data: Buffer) => socket.write(`echo ${data}`))
  })
  const socket = connect(portOf(door.server), '127.0.0.1')
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
  door.behind = (_request, response) => {
    response.writeHead(200, { 'Content-Type': 'text/html; charset=utf-8' })
    response.write(`<p>first ${LINK}`)
    finish = () => response.end('<p>second')
  }
  const early = await new Promise<string>((resolve, reject) => {
    const sent = ask(
      { host: '127.0.0.1', port: portOf(door.server), path: '/', headers: { host: 'door.localhost' }, agent: false },
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
    door.behind = (_request, response) => {
      response.writeHead(200, { 'Content-Type': 'text/html' })
      const timer = setInterval(() => response.write('x'.repeat(1_000)), 10)
      response.on('close', () => {
        clearInterval(timer)
        resolve()
      })
    }
  })
  const sent = ask(
    { host: '127.0.0.1', port: portOf(door.server), path: '/', headers: { host: 'door.localhost' }, agent: false },
    (response) => {
      response.once('data', () => sent.destroy())
    },
  )
  sent.on('error', () => {})
  sent.end()
  await gone
})

test('a site that is slow or down is told by pages of ours', async () => {
  door.behind = () => {}
  const slow = await get(door, '/')
  assert.equal(slow.status, 504)
  assert.match(slow.body.toString(), /taking too long/)
  must(await door.world.services.frontDoors.remove(door.world.owner, door.doorId))
  must(await door.world.services.frontDoors.make(door.world.owner, { host: 'door.localhost', origin: 'http://127.0.0.1:9' }))
  await door.delivering.refresh()
  const down = await get(door, '/')
  assert.equal(down.status, 502)
  assert.match(down.body.toString(), /does not answer/)
})

test('a door never opens onto a private network unless an owner allows it, nor onto the studio', async () => {
  await rows(door.world.db, `UPDATE sites SET inside_allowed = '{}'`)
  for (const address of ['http://127.0.0.1:80', 'http://10.1.2.3', 'http://inner.localhost', 'http://[::1]:8080'])
    assert.equal((await door.world.services.frontDoors.make(door.world.owner, { host: 'b.localhost', origin: address })).ok, false, address)
  assert.equal((await door.world.services.frontDoors.make(door.world.owner, { host: 'localhost', origin: 'https://a.example' })).ok, false)
  assert.equal(
    (await door.world.services.frontDoors.make(door.world.editor, { host: 'c.localhost', origin: 'https://a.example' })).ok,
    false,
  )
})
