import assert from 'node:assert/strict'
import { once } from 'node:events'
import { mkdtempSync, readdirSync, readFileSync, statSync } from 'node:fs'
import { type AddressInfo, connect } from 'node:net'
import { tmpdir } from 'node:os'
import path from 'node:path'
import { after, before, test } from 'node:test'
import pino from 'pino'
import { Visitors } from '../../src/delivery/visitor.ts'
import { openEdge } from '../../src/edge/index.ts'
import { type Answer, type Asked, ask } from './asking.ts'
import { type Copy, startCopy } from './copy.ts'

let copy: Copy
before(async () => {
  copy = await startCopy({ environment: { MAPROPE_TRUSTED_PROXY: '127.0.0.1' } })
})
after(() => copy.stop())

/** One request over a connection of its own. */
const raw = (host: string, target: string, more: Omit<Asked, 'host'> = {}) =>
  ask(copy.port, target, { host: `${host}:${copy.port}`, ...more })
const FORM = { 'content-type': 'application/x-www-form-urlencoded' }
const own = (): Record<string, string> => ({ origin: copy.url, ...FORM })
const CREDENTIALS = 'email=tobin%40slow-ferry.example&password=ten-past-seven'
const signIn = (target = '/sign-in', headers: Record<string, string> = {}, body = CREDENTIALS): Promise<Answer> =>
  raw('localhost', target, {
    method: 'POST',
    headers: { ...own(), ...headers },
    write: (send, end) => {
      send(body)
      end()
    },
  })

test('a body is counted as it comes, whatever its head says: forms, calls and uploads end at their limits with 413', async () => {
  const flood = (target: string, headers: Record<string, string>): Promise<Answer> =>
    raw('localhost', target, {
      method: 'POST',
      headers: { ...headers, 'transfer-encoding': 'chunked' },
      write: (send) => {
        const piece = Buffer.alloc(1024 * 1024, 97)
        for (let i = 0; i < 30; i++) send(piece) // and never an end
      },
    })
  const form = await flood('/sign-in', own())
  assert.deepEqual([form.status, form.headers['content-type']], [413, 'text/html; charset=utf-8'])
  const call = await flood('/api/v1/rewrite', { authorization: `Bearer ${copy.token}`, 'content-type': 'application/json' })
  assert.deepEqual([call.status, (JSON.parse(call.body) as { fault: string }).fault], [413, 'body-too-large'])
  const file = await flood('/api/v1/files', { authorization: `Bearer ${copy.token}`, 'content-type': 'multipart/form-data; boundary=x' })
  assert.deepEqual([file.status, (JSON.parse(file.body) as { fault: string }).fault], [413, 'file-too-large'])
  const said = await raw('localhost', '/api/v1/rewrite', {
    method: 'POST',
    headers: { 'content-length': '900000000' },
    write: (send) => send('{'),
  })
  assert.equal(said.status, 413)
  assert.equal((await signIn()).status, 303)
})

test('whoever is still sending gets the refusal, and not a broken connection', async () => {
  const body = 'x'.repeat(40 * 1024 * 1024)
  for (let i = 0; i < 10; i++) {
    const answer = await fetch(`http://127.0.0.1:${copy.port}/api/v1/rewrite`, {
      method: 'POST',
      headers: { authorization: `Bearer ${copy.token}`, 'content-type': 'application/json' },
      body,
    })
    assert.equal(answer.status, 413)
    assert.equal(((await answer.json()) as { fault: string }).fault, 'body-too-large')
  }
})

test('a body that makes no progress is not waited for, and one that waits for us is', async (t) => {
  const server = openEdge({
    log: pino({ level: 'silent' }),
    stretchMs: 300,
    answer(incoming, response) {
      if (incoming.url === '/held') setTimeout(() => incoming.resume(), 1_000)
      else incoming.resume()
      incoming.on('end', () => response.end('all there'))
    },
    onUpgrade: (_request, socket) => socket.destroy(),
  }).listen(0, '127.0.0.1')
  t.after(() => {
    server.close()
    server.closeAllConnections()
  })
  await once(server, 'listening')
  const { port } = server.address() as AddressInfo
  const post = (target: string, bytes: number, isWhole: boolean): Promise<string> =>
    new Promise((resolve) => {
      const socket = connect(port, '127.0.0.1')
      let said = ''
      socket.on('data', (part) => {
        said += part.toString()
        if (said.includes('all there')) socket.end()
      })
      socket.on('error', () => {})
      socket.on('close', () => resolve(said))
      socket.write(`POST ${target} HTTP/1.1\r\nHost: a\r\nContent-Length: ${isWhole ? bytes : bytes + 10}\r\n\r\n`)
      socket.write(Buffer.alloc(bytes))
    })
  assert.match(await post('/slow', 10, false), /^HTTP\/1\.1 408 /)
  assert.match(await post('/held', 3_000_000, true), /all there/)
})

test('a form that is none is answered as an empty one, on every page that takes one', async () => {
  for (const target of ['/sign-in', '/enter?code=none', '/set-up?code=none'])
    for (const type of [
      'text/plain',
      'application/json',
      'multipart/form-data',
      'multipart/form-data; boundary=x',
      'application/x-www-form-urlencoded',
      '',
    ]) {
      const { status } = await raw('localhost', target, {
        method: 'POST',
        headers: { origin: copy.url, ...(type === '' ? {} : { 'content-type': type }), 'content-length': '7' },
        write: (send, end) => {
          send('{"a":1}')
          end()
        },
      })
      assert.ok([401, 403, 410, 415, 422].includes(status), `${target} ${type}: ${status}`)
    }
})

test('a call takes as many bytes and values as it needs, and says so of more', async () => {
  const call = async (target: string, body: string) => {
    const answer = await fetch(`${copy.url}/api/v1${target}`, {
      method: 'POST',
      headers: { authorization: `Bearer ${copy.token}`, 'content-type': 'application/json' },
      body,
    })
    const { fault, detail } = (await answer.json()) as { fault?: string; detail?: string }
    return [answer.status, fault, detail]
  }
  assert.deepEqual((await call('/addresses/repair', JSON.stringify({ text: 'a'.repeat(300_000) }))).slice(0, 2), [413, 'body-too-large'])
  assert.deepEqual(await call('/addresses/repair', JSON.stringify({ text: Array(30_000).fill(1) })), [
    422,
    'invalid-body',
    'it holds more than 20,000 values',
  ])
  const startedAt = performance.now()
  assert.equal((await call('/redirects/suggest', `{"from":[${'[],'.repeat(2_500_000)}[]]}`))[0], 422)
  assert.ok(performance.now() - startedAt < 3_000, 'and is not read before it is counted')
  assert.equal((await call('/rewrite', JSON.stringify({ html: 'a'.repeat(400_000) })))[0], 200)
})

test('an upload that ends within its file is refused, and ends nothing', async () => {
  const head = '--x\r\nContent-Disposition: form-data; name="file"; filename="a.zip"\r\nContent-Type: application/zip\r\n\r\n'
  for (const body of [`${head}half a file`, head, '--x', `${head}a\r\n--x--\r\n--x`, ''])
    for (const target of ['/files', '/imports', '/redirects/replay', '/redirects/rehearse']) {
      const answer = await fetch(`${copy.url}/api/v1${target}`, {
        method: 'POST',
        headers: { authorization: `Bearer ${copy.token}`, 'content-type': 'multipart/form-data; boundary=x' },
        body,
      })
      assert.ok(answer.status < 500, `${target} ${body.length}: ${answer.status}`)
    }
  assert.equal((await fetch(`${copy.url}/readyz`)).status, 200)
})

/** Sends text on a connection of its own. @returns all that comes back */
async function spoken(text: string): Promise<string> {
  const socket = connect(copy.port, '127.0.0.1')
  socket.setTimeout(3_000, () => socket.destroy())
  let said = ''
  socket.on('data', (part) => {
    said += part.toString('latin1')
  })
  socket.on('error', () => {})
  socket.write(text)
  await once(socket, 'close')
  return said
}

test('two hosts are nobody’s, and a target in full is answered by the host that it names', async () => {
  const twice = await spoken(`GET / HTTP/1.1\r\nHost: slow-ferry.localhost\r\nHost: localhost\r\nConnection: close\r\n\r\n`)
  assert.match(twice, /^HTTP\/1\.1 400 /)
  const full = await spoken(
    `GET http://slow-ferry.localhost:${copy.port}/no-such-page HTTP/1.1\r\nHost: nobody.example\r\nConnection: close\r\n\r\n`,
  )
  const plain = await spoken(`GET /no-such-page HTTP/1.1\r\nHost: slow-ferry.localhost:${copy.port}\r\nConnection: close\r\n\r\n`)
  const status = (said: string): string => said.split('\r\n')[0] ?? ''
  assert.deepEqual([status(full), status(plain)], ['HTTP/1.1 404 Not Found', 'HTTP/1.1 404 Not Found'])
  assert.match(
    await spoken(`GET http://nobody.example/ HTTP/1.1\r\nHost: slow-ferry.localhost\r\nConnection: close\r\n\r\n`),
    /^HTTP\/1\.1 421 /,
  )
  for (const odd of ['ftp://slow-ferry.localhost/', 'http://a@slow-ferry.localhost/', 'slow-ferry'])
    assert.match(await spoken(`GET ${odd} HTTP/1.1\r\nHost: slow-ferry.localhost\r\nConnection: close\r\n\r\n`), /^HTTP\/1\.1 400 /, odd)
})

test('only WebSocket is an upgrade: with any other a request is answered as without it', async () => {
  const h2c = { connection: 'Upgrade, HTTP2-Settings', upgrade: 'h2c', 'http2-settings': 'AAMAAABkAARAAAAAAAIAAAAA' }
  const [link, page, sign] = await Promise.all([
    raw('sferry.localhost', '/go/cap', { headers: h2c }),
    raw('slow-ferry.localhost', '/', { headers: h2c }),
    raw('localhost', '/sign-in', { headers: h2c }),
  ])
  assert.equal(link.status, 302)
  assert.match(page.body, /Printed on the quay/)
  assert.match(sign.body, /Sign in/)
  assert.equal((await raw('sferry.localhost', '/go/cap', { headers: { connection: 'upgrade', upgrade: 'websocket' } })).status, 426)
})

test('after signing in nobody is sent out of the studio, however the way back is written', async () => {
  for (const next of [
    '/%09/evil.example/x',
    '//evil.example',
    '/%5Cevil.example',
    '/%0a/evil.example',
    'https://evil.example/',
    '/.//evil.example',
    '/x/..//evil.example',
  ])
    assert.equal((await signIn(`/sign-in?next=${next}`)).headers.location, '/', next)
  assert.equal((await signIn('/sign-in?next=%2Flinks%3Ffinding%3Dunmarked')).headers.location, '/links?finding=unmarked')
})

test('tries that run at the same time are counted too', async () => {
  const wrong = CREDENTIALS.replace('tobin', 'deckhand').replace('seven', 'eight')
  const answers = await Promise.all(Array.from({ length: 40 }, () => signIn('/sign-in', {}, wrong)))
  const let_in = answers.filter(({ status }) => status === 401).length
  assert.ok(let_in <= 8, `${let_in} tries had their password looked at`)
  assert.equal(answers.filter(({ status }) => status === 429).length, 40 - let_in)
})

test('behind a trusted proxy that speaks https the session is bound to host and https', async () => {
  const plain = String((await signIn()).headers['set-cookie'])
  assert.match(plain, /^maprope_session=/)
  assert.doesNotMatch(plain, /Secure/)
  const origin = copy.url.replace('http:', 'https:')
  const secure = await signIn('/sign-in', { 'x-forwarded-proto': 'https', origin })
  const cookie = String(secure.headers['set-cookie'])
  assert.match(cookie, /^__Host-maprope_session=/)
  assert.match(cookie, /; Secure/)
  assert.match(cookie, /Path=\//)
  assert.doesNotMatch(cookie, /Domain/i)
  const desk = await raw('localhost', '/', { headers: { 'x-forwarded-proto': 'https', cookie: cookie.split(';')[0] ?? '' } })
  assert.equal(desk.status, 200)
})

test('what is kept on disk is its owner’s alone', () => {
  const open: string[] = []
  for (const entry of readdirSync(copy.folder, { withFileTypes: true, recursive: true })) {
    const file = path.join(entry.parentPath, entry.name)
    if ((statSync(file).mode & 0o077) !== 0) open.push(file)
  }
  assert.deepEqual(open, [])
  assert.equal(statSync(copy.folder).mode & 0o777, 0o700)
})

test('the salt of the visitors is random, and goes with its day', () => {
  const folders = [0, 1].map(() => mkdtempSync(path.join(tmpdir(), 'map-rope-salt-')))
  const asked = { method: 'GET', headers: { 'user-agent': 'Mozilla/5.0' }, socket: { remoteAddress: '203.0.113.7' } }
  const line = (visitors: Visitors, day: number): string =>
    visitors
      .clickLine(asked as unknown as Parameters<Visitors['clickLine']>[0], { id: 'x', variant: null }, Date.UTC(2026, 4, day, 12))
      .split('\t')[3] ?? ''
  const [first, again] = [0, 0].map(() => new Visitors(folders[0] ?? '', new Set()))
  const other = new Visitors(folders[1] ?? '', new Set())
  assert.ok(first !== undefined && again !== undefined)
  const monday = line(first, 4)
  assert.equal(line(again, 4), monday, 'the processes of one machine tell a visitor alike')
  assert.notEqual(line(other, 4), monday)
  const salts = (): string[] => readdirSync(folders[0] ?? '')
  assert.deepEqual(salts(), ['visitor-salt-2026-05-04'])
  assert.notEqual(line(first, 5), monday)
  assert.deepEqual(salts(), ['visitor-salt-2026-05-05'])
  assert.match(readFileSync(path.join(folders[0] ?? '', 'visitor-salt-2026-05-05'), 'utf8'), /^[0-9a-f]{64}$/)
})
