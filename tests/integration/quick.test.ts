import assert from 'node:assert/strict'
import { once } from 'node:events'
import { type AddressInfo, connect, type Socket } from 'node:net'
import { after, before, test } from 'node:test'
import pino from 'pino'
import { seeded } from '../../demo/random.ts'
import { drain, openEdge } from '../../src/edge/index.ts'

type Edge = ReturnType<typeof openEdge>

/** Answers "/q/…" as short links are, and everything else as pages are. @param isQuick - whether the quick way is there */
async function anEdge(isQuick: boolean): Promise<Edge> {
  const server = openEdge({
    log: pino({ level: 'silent' }),
    ...(isQuick
      ? {
          quick: ({ url, headers }, send) => {
            if (!url.startsWith('/q/')) return false
            const answer = { status: 302, headers: ['Location', `/to${url}`, 'X-Agent', headers['user-agent'] ?? '-'], body: '' }
            setTimeout(() => send(answer), url === '/q/slow' ? 300 : 0)
            return true
          },
        }
      : {}),
    answer(request, response) {
      const { url = '', headers } = request
      if (url.startsWith('/q/'))
        response.writeHead(302, ['Location', `/to${url}`, 'X-Agent', headers['user-agent'] ?? '-', 'Content-Length', '0']).end()
      else response.writeHead(200, { 'Content-Length': url.length }).end(request.method === 'HEAD' ? undefined : url)
    },
    onUpgrade: (_request, socket) => socket.destroy(),
  })
  server.listen(0, '127.0.0.1')
  await once(server, 'listening')
  return server
}
const portOf = (server: Edge): number => (server.address() as AddressInfo).port

let quick: Edge
let full: Edge
before(async () => {
  ;[quick, full] = await Promise.all([anEdge(true), anEdge(false)])
})
after(() => {
  for (const server of [quick, full]) server.close().closeAllConnections()
})

/**
 * Sends pieces one after the other on one connection, each when the server has read the one before, and none once the server has said its
 * last: what meets a closed connection is answered with a reset, which drops what was on its way back (RFC 9112 §9.6).
 * @returns all that came until the server closed it, without what differs by design
 */
async function converse(server: Edge, pieces: readonly string[]): Promise<string> {
  const taken = once(server, 'connection').then(([other]: Socket[]) => other)
  const socket = connect(portOf(server), '127.0.0.1')
  let came = ''
  socket.on('data', (part) => {
    came += part.toString('latin1')
  })
  socket.on('error', () => {})
  await once(socket, 'connect')
  const theirs = await taken
  const isOver = () => theirs === undefined || theirs.destroyed || theirs.writableEnded
  let sent = 0
  for (const piece of pieces) {
    if (isOver()) break
    socket.write(piece, 'latin1')
    sent += piece.length
    while (!isOver() && (theirs?.bytesRead ?? 0) < sent) await new Promise((resolve) => setImmediate(resolve))
    await new Promise((resolve) => setTimeout(resolve, 1))
  }
  // A request that is not all there is waited for by both. On a busy machine an answer may come late.
  const patience = setTimeout(() => socket.destroy(), 2_000)
  if (!socket.destroyed) await once(socket, 'close')
  clearTimeout(patience)
  return came.replace(/^(?:Date|Connection|Keep-Alive): .*\r\n/gm, '')
}

const LAST = 'GET /last HTTP/1.1\r\nHost: a\r\nConnection: close\r\n\r\n'
const HEADS = [
  'GET /q/one HTTP/1.1\r\nHost: a\r\nUser-Agent: wax seal\r\n\r\n',
  'GET /q/two?x=1&x=2 HTTP/1.1\r\nhost:a\r\nuser-agent:\t blanks \t\r\nX-Other: yes\r\n\r\n',
  'HEAD /q/three HTTP/1.1\r\nHost: a\r\nConnection: Keep-Alive\r\n\r\n',
  'GET /page HTTP/1.1\r\nHost: a\r\n\r\n',
  'POST /q/four HTTP/1.1\r\nHost: a\r\nContent-Length: 4\r\n\r\nGET ',
  'GET /q/five HTTP/1.1\r\nHost: a\r\nContent-Length: 20\r\n\r\nGET /q/six HTTP/1.1\r\n',
  'POST /q/seven HTTP/1.1\r\nHost: a\r\nTransfer-Encoding: chunked\r\n\r\n3\r\nabc\r\n0\r\n\r\n',
  'GET /q/eight HTTP/1.1\r\nHost: a\r\nHost: b\r\n\r\n',
  'GET /q/nine HTTP/1.1\r\n\r\n',
  'GET /q/ten HTTP/1.0\r\nHost: a\r\n\r\n',
  'GET /q/eleven HTTP/1.1\nHost: a\n\n',
  'GET /q/twelve HTTP/1.1\r\nHost: a\r\nUser-Agent: one\r\nUser-Agent: two\r\n\r\n',
  'GET /q/thirteen HTTP/1.1\r\nHost : a\r\n\r\n',
  'GET /q/fourteen HTTP/1.1\r\nHost: a\r\n folded\r\n\r\n',
  'GET /q/fifteen HTTP/1.1\r\nHost: a\r\nUser-Agent: caf\xe9\r\n\r\n',
  'GET  /q/sixteen HTTP/1.1\r\nHost: a\r\n\r\n',
  'GET /q/seven teen HTTP/1.1\r\nHost: a\r\n\r\n',
  'GET /q/eighteen HTTP/1.1\r\nHost: a\r\nUser-Agent: a\rb\r\n\r\n',
  'GET /q/nineteen HTTP/1.1\r\nHost: a\r\nno colon here\r\n\r\n',
  'GET http://a/q/twenty HTTP/1.1\r\nHost: a\r\n\r\n',
  'get /q/lower HTTP/1.1\r\nHost: a\r\n\r\n',
  'GET /q/nul\0 HTTP/1.1\r\nHost: a\r\n\r\n',
  '\r\nGET /q/early HTTP/1.1\r\nHost: a\r\n\r\n',
  'GET /q/expects HTTP/1.1\r\nHost: a\r\nExpect: 100-continue\r\n\r\n',
  'GET /q/h2 HTTP/1.1\r\nHost: a\r\nConnection: Upgrade, HTTP2-Settings\r\nUpgrade: h2c\r\nHTTP2-Settings: AAA\r\n\r\n',
]

test('each head is answered as by the full parser, however odd it is', async () => {
  for (const head of HEADS) {
    const pieces = [head, LAST]
    assert.equal(await converse(quick, pieces), await converse(full, pieces), JSON.stringify(head))
  }
})

test('whatever comes in whatever pieces is answered as by the full parser (60 seeded conversations)', async () => {
  for (let seed = 1; seed <= 60; seed++) {
    const random = seeded(seed)
    const whole =
      Array.from({ length: 1 + Math.floor(random() * 6) }, () => HEADS[Math.floor(random() ** 2 * HEADS.length)]).join('') + LAST
    const pieces: string[] = []
    for (let at = 0; at < whole.length; ) {
      const length = random() < 0.3 ? 1 + Math.floor(random() * 40) : (HEADS[0]?.length ?? 0)
      pieces.push(whole.slice(at, at + length))
      at += length
    }
    assert.equal(await converse(quick, pieces), await converse(full, pieces), `seed ${seed}`)
  }
})

test('a connection serves many quick answers, then a page, then quick answers again', async () => {
  const pieces = [...Array.from({ length: 20 }, (_, n) => `GET /q/${n} HTTP/1.1\r\nHost: a\r\n\r\n`), HEADS[3] ?? '', HEADS[0] ?? '', LAST]
  const came = await converse(quick, pieces)
  assert.equal(came.match(/HTTP\/1\.1 302 Found/g)?.length, 21)
  assert.deepEqual(
    [...came.matchAll(/Location: \/to\/q\/(\d+)/g)].map(([, n]) => Number(n)),
    Array.from({ length: 20 }, (_, n) => n),
  )
  assert.equal(came.match(/HTTP\/1\.1 200 OK/g)?.length, 2)
})

/** Settles when nothing more goes through a socket. */
async function untilStuck(socket: Socket, text: string): Promise<number> {
  let written = 0
  for (;;) {
    const isTaken = socket.write(text)
    written += text.length
    if (isTaken) continue
    const isDrained = await Promise.race([
      once(socket, 'drain').then(() => true),
      new Promise<boolean>((resolve) => setTimeout(() => resolve(false), 700)),
    ])
    if (!isDrained) return written
  }
}

test('whoever asks on and on and never reads is not listened to any more', async () => {
  const socket = connect(portOf(quick), '127.0.0.1').pause()
  socket.on('error', () => {})
  await once(socket, 'connect')
  // One at a time, so that none of it is taken for a pipeline, which the full parser looks after.
  for (let n = 0; n < 5; n++) {
    socket.write(HEADS[0] ?? '')
    await new Promise((resolve) => setTimeout(resolve, 5))
  }
  const written = await untilStuck(socket, HEADS[0]?.repeat(1_000) ?? '')
  assert.ok(written < 64 * 1024 * 1024, String(written))
  socket.destroy()
})

test('what comes in one burst is answered one request at a time, in order, and whoever asks meanwhile waits for a few of them', async () => {
  for (const isQuick of [true, false])
    for (const path of ['/q/', '/page/']) {
      let [open, most, answered] = [0, 0, 0]
      const busy = (): void => {
        answered++
        for (const until = performance.now() + 0.1; performance.now() < until; );
      }
      const server = openEdge({
        log: pino({ level: 'silent' }),
        ...(isQuick && path === '/q/'
          ? {
              quick: ({ url }, send) => {
                busy()
                send({ status: 302, headers: ['Location', `/to${url}`], body: '' })
                return true
              },
            }
          : {}),
        answer(request, response) {
          most = Math.max(most, ++open)
          response.once('close', () => open--)
          busy()
          setImmediate(() => response.writeHead(302, { Location: `/to${request.url}`, 'Content-Length': 0 }).end())
        },
        onUpgrade: (_request, socket) => socket.destroy(),
      })
      server.listen(0, '127.0.0.1')
      await once(server, 'listening')
      const [CONNECTIONS, BURST] = [12, 300]
      const burst = Array.from({ length: BURST }, (_, n) => `GET ${path}${n} HTTP/1.1\r\nHost: a\r\n\r\n`).join('')
      const came = Array.from({ length: CONNECTIONS }, () => '')
      const sockets = came.map((_, i) => {
        const socket = connect(portOf(server), '127.0.0.1').on('error', () => {})
        socket.on('data', (part) => {
          came[i] += part.toString('latin1')
        })
        socket.write(burst)
        return socket
      })
      while (answered < CONNECTIONS) await new Promise((resolve) => setImmediate(resolve))
      const before = answered
      const quiet = connect(portOf(server), '127.0.0.1')
      quiet.write(`GET ${path}quiet HTTP/1.1\r\nHost: a\r\n\r\n`)
      await once(quiet, 'data')
      const waited = answered - before
      assert.ok(waited < (CONNECTIONS * BURST) / 8, `${path} ${isQuick}: ${waited} before the one that asked last`)
      while (came.some((text) => text.split('Location').length <= BURST)) await new Promise((resolve) => setTimeout(resolve, 10))
      for (const text of came)
        assert.deepEqual(
          [...text.matchAll(/Location: \/to\/[a-z]+\/(\d+)/g)].map(([, n]) => Number(n)),
          Array.from({ length: BURST }, (_, n) => n),
        )
      if (path !== '/q/' || !isQuick) assert.ok(most <= CONNECTIONS + 1, `${most} at once`)
      for (const socket of [...sockets, quiet]) socket.destroy()
      server.close().closeAllConnections()
    }
})

test('a server that stops lets go of connections on which nothing is asked, and finishes what is', async () => {
  const server = await anEdge(true)
  const idle = connect(portOf(server), '127.0.0.1')
  idle.write(HEADS[0] ?? '')
  await once(idle, 'data')
  const closed = once(idle, 'close')
  const asking = connect(portOf(server), '127.0.0.1')
  asking.write('GET /q/slow HTTP/1.1\r\nHost: a\r\n\r\n')
  await new Promise((resolve) => setTimeout(resolve, 50))
  const answered = once(asking, 'data')
  const startedAt = performance.now()
  await drain(server)
  await closed
  assert.match(String((await answered)[0]), /^HTTP\/1\.1 302 Found\r\nLocation: \/to\/q\/slow/)
  assert.ok(performance.now() - startedAt < 5_000)
})
