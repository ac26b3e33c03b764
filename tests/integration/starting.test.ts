import assert from 'node:assert/strict'
import { type ChildProcess, execFileSync, spawn } from 'node:child_process'
import { chmodSync, copyFileSync, lstatSync, mkdirSync, mkdtempSync, readFileSync, rmSync, statSync } from 'node:fs'
import { createServer } from 'node:http'
import { type AddressInfo, connect } from 'node:net'
import { tmpdir } from 'node:os'
import path from 'node:path'
import { after, before, test } from 'node:test'
import pg from 'pg'
import { clustersElsewhere } from '../../bin/cluster-place.mjs'
import { startPostgres } from '../../bin/postgres.mjs'
import { supervise } from '../../bin/supervise.mjs'
import { ownPort } from '../ports.ts'
import { type Copy, startCopy } from './copy.ts'

const isRoot = process.getuid?.() === 0

async function asked(url: string, sql: string): Promise<string> {
  const client = new pg.Client(url)
  await client.connect()
  try {
    const { rows } = await client.query<{ said: string }>(sql)
    return rows[0]?.said ?? ''
  } finally {
    await client.end()
  }
}

test('below a home that nobody else may enter the database starts elsewhere, again by its link, and a copy of the link is refused', async (t) => {
  if (!isRoot) return t.skip('an ordinary user has it in the data folder always')
  const home = mkdtempSync(path.join(tmpdir(), 'map-rope-closed-'))
  const folder = path.join(home, 'site', '.data')
  mkdirSync(folder, { recursive: true })
  let elsewhere: string | null = null
  try {
    for (let start = 1; start <= 2; start++) {
      const cluster = await startPostgres(folder, { forTests: true })
      assert.match(cluster.url, /^postgres:/)
      assert.ok(cluster.elsewhere !== null && (elsewhere === null || elsewhere === cluster.elsewhere))
      elsewhere = cluster.elsewhere
      cluster.stop()
    }
    const listed = () => clustersElsewhere().find((each) => each.folder === elsewhere)
    assert.deepEqual([listed()?.of, listed()?.isOrphan], [folder, false])
    execFileSync('cp', ['-a', folder, path.join(home, 'copy')])
    await assert.rejects(startPostgres(path.join(home, 'copy'), { forTests: true }), /a copy without its database/)
    rmSync(folder, { recursive: true })
    assert.equal(listed()?.isOrphan, true, 'its data folder is gone')
  } finally {
    rmSync(home, { recursive: true, force: true })
    if (elsewhere !== null) rmSync(elsewhere, { recursive: true, force: true })
  }
})

test('the data folder holds the database: a copy of it starts on another path and under another user', async () => {
  const shelf = mkdtempSync(path.join(tmpdir(), 'map-rope-shelf-'))
  chmodSync(shelf, 0o755)
  const [folder, copied, theirs] = [path.join(shelf, 'first'), path.join(shelf, 'a copy'), path.join(shelf, 'theirs')]
  const run = (command: string, ...args: string[]): string => execFileSync(command, args, { encoding: 'utf8' })
  try {
    const first = await startPostgres(folder, { forTests: true })
    assert.equal(first.elsewhere, null)
    assert.ok(lstatSync(path.join(folder, 'pg')).isDirectory(), 'no link leads out')
    if (isRoot) assert.equal(statSync(folder).mode & 0o777, 0o710)
    await asked(first.url, "CREATE TABLE kept AS SELECT 'all of it' AS said")
    first.stop()
    run('cp', '-a', folder, copied)
    run('cp', '-r', folder, theirs) // whoever copies so owns it all, and others may read it
    const second = await startPostgres(copied, { forTests: true })
    assert.equal(await asked(second.url, 'SELECT said FROM kept'), 'all of it')
    second.stop()
    if (!isRoot) return
    const third = await startPostgres(theirs, { forTests: true })
    assert.equal(await asked(third.url, 'SELECT said FROM kept'), 'all of it')
    third.stop()
    run('chown', '-R', 'nobody:nogroup', theirs)
    for (const file of ['postgres.mjs', 'cluster-place.mjs'])
      copyFileSync(path.resolve(import.meta.dirname, '../../bin', file), path.join(shelf, file))
    const script = `const { startPostgres } = await import(${JSON.stringify(path.join(shelf, 'postgres.mjs'))})
      const cluster = await startPostgres(${JSON.stringify(theirs)}, { forTests: true }); cluster.stop(); console.log('started')`
    run('chmod', '-R', 'a+rX', path.join(shelf, 'postgres.mjs'), path.join(shelf, 'cluster-place.mjs'))
    assert.match(run('runuser', '-u', 'nobody', '--', process.execPath, '--input-type=module', '-e', script), /started/)
  } finally {
    rmSync(shelf, { recursive: true, force: true })
  }
})

test('a database whose postmaster is killed is started again, where it was, and not once it is stopped', async () => {
  const folder = mkdtempSync(path.join(tmpdir(), 'map-rope-kept-'))
  chmodSync(folder, 0o755)
  const told: string[] = []
  const cluster = await startPostgres(path.join(folder, 'data'), { forTests: true, isKept: true, say: (words) => told.push(words) })
  try {
    await asked(cluster.url, "CREATE TABLE kept AS SELECT 'still there' AS said")
    const pid = Number(readFileSync(path.join(folder, 'data', 'pg', 'data', 'postmaster.pid'), 'utf8').split('\n')[0])
    process.kill(pid, 'SIGKILL')
    for (let tries = 0; told.length < 2 && tries < 300; tries++) await new Promise((resolve) => setTimeout(resolve, 100))
    assert.match(told.join(' '), /ended\. It is started again in 1 s\. The database is running again/)
    assert.equal(await asked(cluster.url, 'SELECT said FROM kept'), 'still there')
  } finally {
    cluster.stop()
  }
  await new Promise((resolve) => setTimeout(resolve, 1_500))
  assert.equal(told.length, 2)
  rmSync(folder, { recursive: true, force: true })
})

const isAlive = (pid: number): boolean => {
  try {
    process.kill(pid, 0)
    return true
  } catch {
    return false
  }
}

test('a SIGTERM to npm alone, as process managers send it, ends server, stand-ins and database', async () => {
  const folder = mkdtempSync(path.join(tmpdir(), 'map-rope-managed-'))
  const port = await ownPort()
  const { MAPROPE_TEST_DATABASE_URL: _url, ...environment } = process.env
  const npm = spawn('npm', ['start'], {
    cwd: path.resolve(import.meta.dirname, '../..'),
    env: { ...environment, PORT: String(port), MAPROPE_DATA: folder, MAPROPE_LOG: 'error', NODE_ENV: '' },
    stdio: ['ignore', 'pipe', 'inherit'],
  })
  await new Promise<void>((resolve, reject) => {
    npm.stdout.on('data', (said: Buffer) => said.toString().includes('is ready') && resolve())
    npm.once('exit', () => reject(new Error('npm start ended')))
  })
  const starter = Number(readFileSync(path.join(folder, 'running'), 'utf8'))
  const children = readFileSync(`/proc/${starter}/task/${starter}/children`, 'utf8').trim().split(' ').map(Number)
  const database = Number(readFileSync(path.join(folder, 'pg', 'data', 'postmaster.pid'), 'utf8').split('\n')[0])
  const all = [starter, ...children, database]
  assert.ok(all.length >= 4 && all.every(isAlive), JSON.stringify(all))
  npm.kill('SIGTERM')
  for (let tries = 0; tries < 150 && all.some(isAlive); tries++) await new Promise((resolve) => setTimeout(resolve, 100))
  assert.deepEqual(all.filter(isAlive), [])
  rmSync(folder, { recursive: true, force: true })
})

const program = (script: string) => async (): Promise<ChildProcess> => {
  const child = spawn(process.execPath, ['-e', script], { stdio: 'ignore' })
  await new Promise((resolve) => child.once('spawn', resolve))
  return child
}

test('a process that ends by itself is started again, told, and not once it is stopped', async () => {
  const told: string[] = []
  const kept = await supervise(program('setTimeout(() => {}, 60_000)'), {
    name: 'sleeper',
    say: (words) => told.push(words),
    firstPauseMs: 5,
  })
  const first = kept.child
  first?.kill('SIGKILL')
  for (let i = 0; i < 200 && (kept.child === null || kept.child === first); i++) await new Promise((resolve) => setTimeout(resolve, 10))
  assert.notEqual(kept.child?.pid, first?.pid)
  assert.equal(kept.child?.exitCode, null)
  assert.equal(told.length, 2)
  await kept.stop()
  await new Promise((resolve) => setTimeout(resolve, 50))
  assert.equal(told.length, 2)
})

test('the pause before a process is started again grows with each end in a row', async () => {
  const pauses: number[] = []
  const say = (words: string): void => {
    const pause = /again in ([\d.]+) s/.exec(words)?.[1]
    if (pause !== undefined) pauses.push(Number(pause))
  }
  const kept = await supervise(program(''), { name: 'quitter', say, firstPauseMs: 2 })
  for (let i = 0; i < 300 && pauses.length < 4; i++) await new Promise((resolve) => setTimeout(resolve, 10))
  await kept.stop()
  assert.deepEqual(pauses.slice(0, 4), [0.002, 0.004, 0.008, 0.016])
})

let copy: Copy
before(async () => {
  copy = await startCopy()
})
after(() => copy.stop())

/** Sends the beginning of a request and resets the connection a moment later. */
function reset(lines: readonly string[], afterMs: number): Promise<void> {
  return new Promise((resolve) => {
    const socket = connect(copy.port, '127.0.0.1', () => {
      socket.write(lines.join('\r\n'))
      setTimeout(() => {
        socket.resetAndDestroy()
        resolve()
      }, afterMs)
    })
    socket.on('error', () => resolve())
  })
}

/** A site behind a door that takes its time at every stage: an answer in pieces, a body read slowly, an upgrade that comes late. */
async function slowSite(): Promise<string> {
  const server = createServer((request, response) => {
    request.on('data', () => request.pause() && setTimeout(() => request.resume(), 15))
    response.writeHead(200, { 'Content-Type': 'text/html' })
    const pieces = setInterval(() => response.write('<a href="https://tides.example/">tides</a>'), 5)
    setTimeout(() => response.end(), 60)
    response.on('close', () => clearInterval(pieces))
  })
  server.on('upgrade', (_request, socket) => {
    socket.on('error', () => {})
    setTimeout(() => {
      socket.write('HTTP/1.1 101 Switching Protocols\r\nConnection: Upgrade\r\nUpgrade: websocket\r\n\r\n')
      socket.pipe(socket)
    }, 15)
  })
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  after(() => {
    server.closeAllConnections()
    server.close()
  })
  return `http://127.0.0.1:${(server.address() as AddressInfo).port}`
}

test('connections that are reset, at any stage of any request and on any host, end nothing', async () => {
  const made = await fetch(`${copy.url}/api/v1/front-doors`, {
    method: 'POST',
    headers: { authorization: `Bearer ${copy.token}`, 'content-type': 'application/json' },
    body: JSON.stringify({ host: 'slow-door.localhost', origin: await slowSite() }),
  })
  assert.equal(made.status, 201)
  const hosts = ['localhost', 'slow-ferry.localhost', 'sferry.localhost', 'logbook.localhost', 'slow-door.localhost', 'nobody.example']
  const upgrade = ['Connection: Upgrade', 'Upgrade: websocket', 'Sec-WebSocket-Key: AAAAAAAAAAAAAAAAAAAAAA==', 'Sec-WebSocket-Version: 13']
  const bearer = `Authorization: Bearer ${copy.token}`
  const all: Promise<void>[] = []
  for (let i = 0; i < 1_980; i++) {
    const host = `Host: ${hosts[i % hosts.length]}:${copy.port}`
    const requests = [
      ['GET / HTTP/1.1', host, ...upgrade, '', ''],
      ['GET / HTTP/1.1', host, ...upgrade, '', 'first words after it'],
      ['GET / HTTP/1.1', host, '', ''],
      ['HEAD / HTTP/1.1', host, '', 'GET / HTTP/1.1', host, '', ''],
      ['POST /sign-in HTTP/1.1', host, 'Content-Type: application/x-www-form-urlencoded', 'Content-Length: 5000', '', 'email=a'],
      ['POST /api/v1/short-links HTTP/1.1', host, bearer, 'Transfer-Encoding: chunked', '', '5', '{"des', ''],
      [
        'POST /api/v1/imports HTTP/1.1',
        host,
        bearer,
        'Content-Type: multipart/form-data; boundary=x',
        'Content-Length: 90000',
        '',
        '--x',
        '',
      ],
      ['POST / HTTP/1.1', host, 'Expect: 100-continue', 'Content-Length: 10', '', ''],
      ['GET / HTTP/1.1', host],
      ['CONNECT slow-ferry.localhost:80 HTTP/1.1', host, '', ''],
      ['nonsense', ''],
    ]
    // Every request meets every host, and each pair several stages.
    all.push(reset(requests[Math.floor(i / hosts.length) % requests.length] ?? [], (i * 7) % 80))
    if (all.length % 60 === 0) await Promise.all(all.splice(0))
  }
  await Promise.all(all)
  assert.equal(copy.server.exitCode, null)
  const answer = await fetch(`${copy.url}/healthz`)
  assert.equal(answer.status, 200)
})
