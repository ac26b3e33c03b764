import assert from 'node:assert/strict'
import { Agent, request as ask, type IncomingMessage } from 'node:http'
import { connect } from 'node:net'
import { test } from 'node:test'
import { gzipSync } from 'node:zlib'
import { portOf, sendBytes } from './asking.ts'
import { aDoor, get, LINK, MARKED, page } from './door.ts'

// What HTTP asks of whoever stands between a client and a site, beyond what the pages themselves need.
const door = aDoor(10_000)

/** What the door answers to bytes as they are. */
const raw = async (bytes: string): Promise<string> => (await sendBytes(portOf(door.server), bytes)).toString('latin1')
const HEAD = 'Host: door.localhost\r\nConnection: close\r\n'

test('several headers of one name stay several, in their order', async () => {
  door.behind = (_request, response) =>
    void response
      .writeHead(
        200,
        [
          ['Content-Type', 'text/html'],
          ['Link', '</a.css>; rel=preload'],
          ['Link', '</b.css>; rel=preload'],
          ['Set-Cookie', 'a=1'],
          ['Set-Cookie', 'b=2'],
        ].flat(),
      )
      .end(LINK)
  const answer = await raw(`GET / HTTP/1.1\r\n${HEAD}\r\n`)
  assert.match(answer, /\r\nlink: <\/a\.css>; rel=preload\r\nlink: <\/b\.css>; rel=preload\r\n/)
  assert.match(answer, /\r\nset-cookie: a=1\r\nset-cookie: b=2\r\n/)
})

test('bytes beyond ASCII in headers pass as they are, both ways', async () => {
  door.behind = (request, response) =>
    void response.writeHead(200, { 'Content-Type': 'text/plain', 'X-Back': String(request.headers['x-there']) }).end('x')
  const utf8 = Buffer.from('caf\u00e9').toString('latin1')
  const answer = await raw(`GET / HTTP/1.1\r\n${HEAD}X-There: ${utf8}\r\n\r\n`)
  assert.ok(answer.includes(`\r\nx-back: ${utf8}\r\n`), answer)
})

test('a path goes through as it was asked for, and a request in full is understood', async () => {
  door.behind = (request, response) => void response.writeHead(200, { 'Content-Type': 'text/plain' }).end(request.url)
  for (const path of ['/a%2fb/../c', '/caf%C3%A9?x=%20&y', '//double', '/a?b?c', '/%'])
    assert.equal((await get(door, path)).body.toString(), path)
  const full = await raw(`GET http://door.localhost/full?x=1 HTTP/1.1\r\n${HEAD}\r\n`)
  assert.match(full, /\r\n\r\n(?:[0-9a-f]+\r\n)?\/full\?x=1/)
})

test('what belongs to one connection goes no further, whoever names it', async () => {
  door.behind = (_request, response) =>
    void response
      .writeHead(200, {
        'Content-Type': 'text/plain',
        Connection: 'close, X-Hop',
        'X-Hop': '1',
        'Keep-Alive': 'timeout=3',
        'X-Kept': '2',
        'Proxy-Authenticate': 'Basic',
      })
      .end('x')
  const { headers } = await get(door, '/', {
    headers: { 'proxy-authorization': 'Basic eA==', upgrade: 'h2c', connection: 'x-mine', 'x-mine': '1' },
  })
  assert.deepEqual([headers['x-hop'], headers['proxy-authenticate'], headers['x-kept']], [undefined, undefined, '2'])
  const asked: IncomingMessage['headers'] = door.seen[0]?.headers ?? {}
  assert.deepEqual([asked['proxy-authorization'], asked['x-mine'], asked.upgrade], [undefined, undefined, undefined])
})

test('an early hint before the answer is no answer', async () => {
  door.behind = (_request, response) => {
    response.writeEarlyHints({ link: '</style.css>; rel=preload' })
    response.writeHead(200, { 'Content-Type': 'text/html' }).end(LINK)
  }
  const answer = await get(door, '/')
  assert.deepEqual([answer.status, answer.body.toString()], [200, MARKED])
})

test('answers without a body have none, and the connection behind is used again', async () => {
  const sockets = new Set<unknown>()
  for (const [status, method] of [
    [204, 'GET'],
    [304, 'GET'],
    [200, 'GET'],
    [204, 'DELETE'],
    [200, 'HEAD'],
    [404, 'HEAD'],
  ] as const) {
    door.behind = (request, response) => {
      if (method !== 'HEAD') sockets.add(request.socket)
      response.writeHead(status, { 'Content-Type': 'text/html' }).end()
    }
    const answer = await get(door, '/', { method })
    assert.deepEqual([answer.status, answer.body.length], [status, 0])
  }
  assert.equal(sockets.size, 1, 'one connection for all that may have a body')
})

test('a page of another status is marked like any page', async () => {
  for (const status of [404, 410, 500, 503]) {
    door.behind = page(LINK, { 'Retry-After': '7' }, status)
    const answer = await get(door, '/')
    assert.deepEqual([answer.status, answer.body.toString(), answer.headers['retry-after']], [status, MARKED, '7'])
  }
})

test('a long page comes whole, marked, in pieces as it comes, packed or not', async () => {
  const count = 20_000
  const long = `<p>${LINK} words</p>\n`.repeat(count)
  const expected = `<p>${MARKED} words</p>\n`.repeat(count)
  door.behind = page(long)
  assert.equal((await get(door, '/')).body.toString() === expected, true)
  door.behind = page(long, { 'Content-Length': String(long.length) })
  const told = await get(door, '/')
  assert.equal(told.body.toString() === expected, true)
  assert.equal(told.headers['content-length'], undefined, 'its length is not known before it has passed')
  door.behind = page(gzipSync(long), { 'Content-Encoding': 'gzip' })
  const packed = await get(door, '/', { headers: { 'accept-encoding': 'gzip' } })
  const { gunzipSync } = await import('node:zlib')
  assert.equal(gunzipSync(packed.body).toString() === expected, true)
})

test('a short page has its new length', async () => {
  door.behind = page(LINK, { 'Content-Length': String(LINK.length), 'Content-MD5': 'x', Digest: 'y' })
  const { headers } = await get(door, '/')
  assert.deepEqual([headers['content-length'], headers['content-md5'], headers.digest], [String(MARKED.length), undefined, undefined])
})

test('a slow reader holds the site behind back, and still gets everything', async () => {
  const size = 96_000_000 // more than all the buffers on the way take
  let sent = 0
  door.behind = (_request, response) => {
    response.writeHead(200, { 'Content-Type': 'application/octet-stream' })
    const more = (): void => {
      while (sent < size) {
        sent += 64_000
        if (!response.write(Buffer.alloc(64_000, 1))) return void response.once('drain', more)
      }
      response.end()
    }
    more()
  }
  const response = await new Promise<IncomingMessage>((resolve, reject) => {
    ask({ host: '127.0.0.1', port: portOf(door.server), path: '/big', headers: { host: 'door.localhost' }, agent: false }, resolve)
      .on('error', reject)
      .end()
  })
  response.pause()
  await new Promise((resolve) => setTimeout(resolve, 500))
  assert.ok(sent < size, 'nobody holds so much for a client that does not read')
  let got = 0
  for await (const part of response) got += (part as Buffer).length
  assert.equal(got, sent)
})

test('a page that breaks off breaks off for the reader too, and nothing else is harmed', async () => {
  door.behind = (_request, response) => {
    response.writeHead(200, { 'Content-Type': 'text/html' })
    response.write(`<p>${LINK}`)
    setTimeout(() => response.destroy(), 30)
  }
  await assert.rejects(get(door, '/'), /aborted|ECONNRESET|socket hang up/i)
  door.behind = (_request, response) => {
    response.writeHead(200, { 'Content-Type': 'text/html', 'Content-Encoding': 'gzip' })
    response.end(Buffer.from('this was never packed'))
  }
  await assert.rejects(get(door, '/', { headers: { 'accept-encoding': 'gzip' } }), /aborted|ECONNRESET|socket hang up/i)
  door.behind = page(LINK)
  assert.equal((await get(door, '/')).body.toString(), MARKED)
})

test('an upload that nobody finishes is given up behind the door too', async () => {
  const gone = new Promise<void>((resolve) => {
    door.behind = (request) => {
      request.on('error', () => {})
      request.on('close', resolve)
      request.resume()
    }
  })
  const socket = connect(portOf(door.server), '127.0.0.1')
  socket.write(`POST /upload HTTP/1.1\r\nHost: door.localhost\r\nContent-Length: 1000000\r\n\r\n${'x'.repeat(10_000)}`)
  setTimeout(() => socket.destroy(), 100)
  await gone
})

test('an upload whose length is not told comes whole', async () => {
  door.behind = (request, response) => {
    const parts: Buffer[] = []
    request.on('data', (part: Buffer) => parts.push(part))
    request.on('end', () => response.writeHead(200, { 'Content-Type': 'text/plain' }).end(String(Buffer.concat(parts))))
  }
  const answer = await raw(`POST / HTTP/1.1\r\n${HEAD}Transfer-Encoding: chunked\r\n\r\n4\r\nahoy\r\n7\r\n there!\r\n0\r\n\r\n`)
  assert.match(answer, /ahoy there!/)
  const { 'transfer-encoding': coding, 'content-length': length } = door.seen[0]?.headers ?? {}
  assert.ok(coding === 'chunked' || length === '11', 'its length is only told when it was known after all')
})

test('many at once each get their own page', async () => {
  door.behind = (request, response) => {
    setTimeout(
      () => response.writeHead(200, { 'Content-Type': 'text/html' }).end(`${request.url} ${LINK}`),
      Number(request.url?.slice(2)) % 7,
    )
  }
  const answers = await Promise.all(Array.from({ length: 120 }, (_, i) => get(door, `/n${i}`)))
  for (const [i, { body }] of answers.entries()) assert.equal(body.toString(), `/n${i} ${MARKED}`)
})

test('one connection of a client serves it page after page', async () => {
  const agent = new Agent({ keepAlive: true, maxSockets: 1 })
  const sockets = new Set<unknown>()
  const once = (): Promise<string> =>
    new Promise((resolve, reject) => {
      const asked = ask(
        { host: '127.0.0.1', port: portOf(door.server), path: '/', headers: { host: 'door.localhost' }, agent },
        (response) => {
          let body = ''
          response.setEncoding('utf8').on('data', (part: string) => {
            body += part
          })
          response.on('end', () => resolve(body))
        },
      )
      asked.on('socket', (socket) => sockets.add(socket))
      asked.on('error', reject)
      asked.end()
    })
  door.behind = page(LINK)
  for (let i = 0; i < 5; i++) assert.equal(await once(), MARKED)
  assert.equal(sockets.size, 1)
  agent.destroy()
})

test('a door that leads to itself, or round in a ring, says so; a host with a dot behind it is the same host', async () => {
  door.behind = page(LINK)
  assert.match(await raw(`GET / HTTP/1.1\r\nHost: door.localhost.\r\nConnection: close\r\n\r\n`), /rel="nofollow"/)
  const via = String(door.seen[0]?.headers.via)
  assert.match(via, /^1\.1 map-rope-[0-9a-f]{12}$/)
  // What the site behind would send back to the door, were it the door itself or another door that leads here.
  assert.match(await raw(`GET / HTTP/1.1\r\n${HEAD}Via: 1.1 elsewhere, ${via}\r\n\r\n`), /^HTTP\/1\.1 508 /)
  assert.equal(door.seen.length, 1)
  assert.match(await raw(`GET / HTTP/1.1\r\n${HEAD}Via: 1.1 map-rope-0123456789ab\r\n\r\n`), /^HTTP\/1\.1 200 /)
})

test('a client’s own word on who it is goes no further, and a header of any name does', async () => {
  door.behind = (request, response) =>
    void response
      .writeHead(200, ['Content-Type', 'text/plain', '__proto__', 'back', 'constructor', 'too'])
      .end(JSON.stringify(request.rawHeaders))
  const answer = await raw(
    `GET / HTTP/1.1\r\n${HEAD}X-Real-IP: 198.51.100.9\r\nForwarded: for=198.51.100.9\r\n__proto__: there\r\nconstructor: too\r\n\r\n`,
  )
  assert.doesNotMatch(answer, /198\.51\.100\.9/)
  assert.match(answer, /"__proto__","there"/)
  assert.match(answer, /\r\n__proto__: back\r\nconstructor: too\r\n/)
})

test('no upgrade is a way round the door: a page asked for with h2c is marked, and one asked for as a WebSocket is not sent', async () => {
  door.behind = page(LINK)
  const h2c = await raw(
    `GET / HTTP/1.1\r\nHost: door.localhost\r\nConnection: Upgrade, HTTP2-Settings, close\r\nUpgrade: h2c\r\nHTTP2-Settings: AAMAAABk\r\n\r\n`,
  )
  assert.ok(h2c.includes(MARKED), h2c)
  assert.equal(door.seen[0]?.headers['http2-settings'], undefined)
  const socket = await raw('GET / HTTP/1.1\r\nHost: door.localhost\r\nConnection: Upgrade\r\nUpgrade: websocket\r\n\r\n')
  assert.match(socket, /^HTTP\/1\.1 200 OK\r\nConnection: close\r\nContent-Length: 0\r\n/)
  assert.doesNotMatch(socket, /tides|transfer-encoding/i)
})

test('a site that talks no HTTP is told of by a page of ours', async () => {
  const { createServer } = await import('node:net')
  const odd = createServer((socket) => {
    socket.on('error', () => {})
    socket.end('220 mail.example ESMTP\r\n')
  }).listen(0, '127.0.0.1')
  await new Promise((resolve) => odd.once('listening', resolve))
  const address = odd.address()
  const port = typeof address === 'object' && address !== null ? address.port : 0
  const { world, delivering, doorId } = door
  await world.services.frontDoors.remove(world.owner, doorId)
  await world.services.frontDoors.make(world.owner, { host: 'door.localhost', origin: `http://127.0.0.1:${port}` })
  await delivering.refresh()
  const answer = await get(door, '/')
  odd.close()
  assert.equal(answer.status, 502)
  assert.match(answer.body.toString(), /does not answer/)
  assert.equal(answer.headers['retry-after'], '10')
})
