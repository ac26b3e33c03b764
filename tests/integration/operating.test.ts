import assert from 'node:assert/strict'
import { once } from 'node:events'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { after, before, test } from 'node:test'
import { gunzipSync } from 'node:zlib'
import { dropOldAudit } from '../../src/data/audit.ts'
import { rows } from '../../src/data/database.ts'
import { dropOldJobs, insertJob } from '../../src/data/jobs.ts'
import { drain } from '../../src/edge/index.ts'
import { ask } from './asking.ts'
import { type Copy, startCopy } from './copy.ts'
import { makeWorld } from './world.ts'

const TOKEN = 'a word for whoever reads metrics'
const SITE = 'slow-ferry.localhost'
let copy: Copy

before(async () => {
  copy = await startCopy({ environment: { MAPROPE_METRICS_TOKEN: TOKEN } })
})
after(() => copy.stop())

const get = async (path: string, { host = `localhost:${copy.port}`, ...headers }: Readonly<Record<string, string>> = {}) => {
  const answer = await ask(copy.port, path, { host, headers })
  return { ...answer, body: answer.bytes }
}

test('a page goes out packed where that is taken, as another form of the same', async () => {
  const plain = await get('/', { host: SITE })
  const packed = await get('/', { host: SITE, 'accept-encoding': 'br;q=0.5, gzip' })
  assert.equal(plain.headers['content-encoding'], undefined)
  assert.equal(packed.headers['content-encoding'], 'gzip')
  assert.ok(packed.body.length < plain.body.length / 2)
  assert.deepEqual(gunzipSync(packed.body), plain.body)
  assert.notEqual(packed.headers.etag, plain.headers.etag)
  for (const { headers } of [plain, packed]) assert.equal(headers.vary, 'Accept-Encoding')
  const again = await get('/', { host: SITE, 'accept-encoding': 'gzip', 'if-none-match': String(packed.headers.etag) })
  assert.equal(again.status, 304)
  assert.equal((await get('/', { host: SITE, 'accept-encoding': 'gzip;q=0, identity' })).headers['content-encoding'], undefined)
})

test('scripts of the studio are packed, kept for good, and known again by what is in them', async () => {
  const screen = (await get('/sign-in')).body.toString()
  const style = /\/_astro\/[\w.-]+\.css/.exec(screen)?.[0] ?? ''
  const [plain, gzip, brotli] = [
    await get(style),
    await get(style, { 'accept-encoding': 'gzip' }),
    await get(style, { 'accept-encoding': 'gzip, br' }),
  ]
  assert.deepEqual(
    [plain, gzip, brotli].map(({ headers }) => headers['content-encoding']),
    [undefined, 'gzip', 'br'],
  )
  assert.deepEqual(gunzipSync(gzip.body), plain.body)
  for (const { headers } of [plain, gzip, brotli]) {
    assert.match(String(headers.etag), /^"[\w-]+"$/)
    assert.match(String(headers['cache-control']), /immutable/)
    assert.equal(headers['x-content-type-options'], 'nosniff')
  }
  assert.equal(new Set([plain, gzip, brotli].map(({ headers }) => headers.etag)).size, 3)
  assert.equal((await get(style, { 'if-none-match': String(plain.headers.etag) })).status, 304)
  assert.equal((await get('/_astro/../server/entry.mjs')).status === 200, false)
})

test('metrics are told to whoever has the word for them, and count what was answered by whom', async () => {
  assert.equal((await get('/metrics')).status, 401)
  assert.equal((await get('/metrics', { authorization: `Bearer ${TOKEN}x` })).status, 401)
  const numberOf = async (line: RegExp): Promise<number> => {
    const { status, body } = await get('/metrics', { authorization: `Bearer ${TOKEN}` })
    assert.equal(status, 200)
    return Number(line.exec(body.toString())?.[1] ?? Number.NaN)
  }
  const redirects = /^maprope_delivery_request_seconds_count\{role="delivery",status="3xx"\} (\d+)$/m
  const before = (await numberOf(redirects)) || 0
  const { items } = (await (
    await fetch(`${copy.url}/api/v1/short-links?limit=1`, { headers: { Authorization: `Bearer ${copy.token}` } })
  ).json()) as { items: { address: string }[] }
  const { host, pathname } = new URL(items[0]?.address ?? '')
  assert.equal((await get(pathname, { host })).status, 302)
  assert.equal(await numberOf(redirects), before + 1)
  assert.ok((await numberOf(/_count\{role="studio",status="2xx"\} (\d+)$/m)) > 0)
  for (const name of ['log_lag_changes', 'click_log_bytes', 'clicks_held', 'database_connections_used', 'nodejs_eventloop_lag_p99_seconds'])
    assert.ok((await numberOf(new RegExp(`^maprope_delivery_${name} (\\d[\\d.e-]*)$`, 'm'))) >= 0, name)
})

test('a request has one number from the edge to the studio, and nobody else gives it', async () => {
  const { headers } = await get('/sign-in', { 'x-request-id': 'mine' })
  assert.match(String(headers['x-request-id']), /^[\w-]{8}-\w+$/)
  assert.notEqual(headers['x-request-id'], (await get('/sign-in')).headers['x-request-id'])
})

test('without a word for metrics nobody is told any', async () => {
  const other = await startCopy()
  const answer = await fetch(`${other.url}/metrics`, { redirect: 'manual' })
  await other.stop()
  assert.notEqual(answer.status, 200)
})

test('what is being answered when a server stops is finished, and what comes then is not begun', async () => {
  let finish: () => void = () => {}
  const server = createServer((_request, response) => {
    response.write('half')
    finish = () => response.end(' and half')
  }).listen(0, '127.0.0.1')
  await once(server, 'listening')
  const at = `http://127.0.0.1:${(server.address() as AddressInfo).port}/`
  const answer = await fetch(at)
  const drained = drain(server)
  await assert.rejects(fetch(at))
  let isOver = false
  void drained.then(() => {
    isOver = true
  })
  await new Promise((resolve) => setTimeout(resolve, 150))
  assert.equal(isOver, false)
  finish()
  assert.equal(await answer.text(), 'half and half')
  await drained
})

test('a page that is being made when the process is told to stop is finished, and the process ends well', async () => {
  const other = await startCopy()
  const download = await fetch(`${other.url}/api/v1/exports/site.zip`, { headers: { Authorization: `Bearer ${other.token}` } })
  other.server.kill('SIGTERM')
  const bytes = Buffer.from(await download.arrayBuffer())
  assert.equal(bytes.toString('latin1', bytes.length - 22, bytes.length - 18), 'PK\x05\x06')
  const [code] = other.server.exitCode === null ? await once(other.server, 'exit') : [other.server.exitCode]
  assert.equal(code, 0)
  await other.stop()
})

test('jobs that are over and what was written down of who did what go by their ages', async () => {
  const { db, owner } = await makeWorld()
  const add = async (state: string, days: number): Promise<string> => {
    const id = await db.sequelize.transaction((transaction) =>
      insertJob(db, { siteId: owner.siteId, kind: 'import', input: {}, personId: null }, transaction),
    )
    await rows(db, 'UPDATE jobs SET state = $2, updated_at = now() - make_interval(days => $3) WHERE id = $1', [id, state, days])
    return id
  }
  const [, young, waiting] = [await add('done', 31), await add('failed', 29), await add('waiting', 400)]
  await dropOldJobs(db, 30)
  const left = await rows<{ id: string }>(db, 'SELECT id FROM jobs')
  assert.deepEqual(left.map(({ id }) => id).sort(), [young, waiting].sort())
  await rows(db, `INSERT INTO audit (site_id, action, at) SELECT $1, 'x', now() - make_interval(days => d) FROM unnest(ARRAY[1, 731]) d`, [
    owner.siteId,
  ])
  await dropOldAudit(db, 730)
  assert.equal((await rows(db, `SELECT 1 FROM audit WHERE action = 'x'`)).length, 1)
})
