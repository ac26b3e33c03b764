import assert from 'node:assert/strict'
import { readdirSync } from 'node:fs'
import path from 'node:path'
import { after, before, test } from 'node:test'
import { unzipSync } from 'fflate'
import pg from 'pg'
import { OPERATIONS } from '../../src/contract/api.ts'
import { until } from '../until.ts'
import { type Asked, ask, BROWSER, callApi } from './asking.ts'
import { type Copy, startCopy } from './copy.ts'
import { zipOf } from './world.ts'

let copy: Copy
before(async () => {
  copy = await startCopy()
})
after(() => copy.stop())

/** One request as it goes over the wire; `host` picks who answers. */
const raw = (host: string, target: string, { headers, ...more }: Omit<Asked, 'host'> = {}) =>
  ask(copy.port, target, { host: `${host}:${copy.port}`, headers: { 'user-agent': BROWSER, ...headers }, ...more })
const api = <T = Record<string, unknown>>(method: string, target: string, body?: unknown) => callApi<T>(copy, method, target, body)
const clicksOf = async (slug: string): Promise<number> =>
  (await api<{ items: { clicks: number }[] }>('GET', `/short-links?slug=${slug}`)).body.items[0]?.clicks ?? -1

test('a click survives kill -9 straight after its answer, and is counted once', async () => {
  const made = await api<{ address: string; clicks: number }>('POST', '/short-links', {
    destination: 'https://tides.example/',
    slug: 'killed',
  })
  assert.deepEqual([made.status, made.body.clicks], [201, 0])
  await until(async () => (await raw('sferry.localhost', '/go/killed', { method: 'HEAD' })).status === 302)
  for (let round = 1; round <= 3; round++) {
    const answer = await raw('sferry.localhost', '/go/killed')
    assert.equal(answer.headers.location, 'https://tides.example/')
    const gone = new Promise((resolve) => copy.server.once('exit', resolve))
    copy.server.kill('SIGKILL')
    await gone
    copy.server = await copy.start()
    await until(async () => (await clicksOf('killed')) === round)
  }
  await new Promise((resolve) => setTimeout(resolve, 1500))
  assert.equal(await clicksOf('killed'), 3)
})

test('the host decides who answers', async () => {
  assert.match((await raw('slow-ferry.localhost', '/')).body, /Printed on the quay/)
  assert.equal((await raw('sferry.localhost', '/go/nobody')).status, 404)
  assert.equal((await raw('stranger.localhost', '/')).status, 421)
  assert.equal((await raw('localhost', '/')).headers.location, '/sign-in')
  for (const host of ['localhost', 'sferry.localhost', 'slow-ferry.localhost']) assert.equal((await raw(host, '/readyz')).status, 200)
})

test('signing in gives a cookie of the studio alone, and the way in is the way out', async () => {
  const form = 'email=tobin%40slow-ferry.example&password=ten-past-seven'
  const own = { origin: copy.url, 'content-type': 'application/x-www-form-urlencoded' }
  const wrong = await raw('localhost', '/sign-in', { method: 'POST', headers: own, body: form.replace('seven', 'eight') })
  assert.deepEqual([wrong.status, wrong.headers['set-cookie']], [401, undefined])
  const right = await raw('localhost', '/sign-in?next=//elsewhere.example', { method: 'POST', headers: own, body: form })
  assert.deepEqual([right.status, right.headers.location], [303, '/'])
  const cookie = String(right.headers['set-cookie'])
  assert.match(cookie, /HttpOnly/)
  assert.match(cookie, /SameSite=Lax/)
  assert.doesNotMatch(cookie, /Domain/i)
  const session = { cookie: cookie.split(';')[0] ?? '' }
  const desk = await raw('localhost', '/', { headers: session })
  assert.equal(desk.status, 200)
  const policy = String(desk.headers['content-security-policy'])
  assert.match(policy, /default-src 'self'/)
  assert.doesNotMatch(policy.split(';').find((part) => part.includes('script-src')) ?? '', /unsafe/)
  assert.deepEqual([desk.headers['x-content-type-options'], desk.headers['x-frame-options']], ['nosniff', 'DENY'])
  // A cookie alone, sent along by a browser from another site, moves nothing.
  for (const headers of [{ origin: 'http://slow-ferry.localhost' }, { 'sec-fetch-site': 'same-site' }, {}]) {
    const answer = await raw('localhost', '/api/v1/publications', {
      method: 'POST',
      headers: { ...session, ...headers, 'content-type': 'application/json' },
      body: '{"all":true}',
    })
    assert.deepEqual([answer.status, (JSON.parse(answer.body) as { fault: string }).fault], [403, 'cross-site'])
  }
  await raw('localhost', '/sign-out', { method: 'POST', headers: { ...session, origin: copy.url } })
  assert.equal((await raw('localhost', '/', { headers: session })).headers.location, '/sign-in')
})

test('a contributor’s screen offers no rules to change, and the API refuses them', async () => {
  const form = 'email=deckhand%40slow-ferry.example&password=ten-past-seven'
  const signed = await raw('localhost', '/sign-in', {
    method: 'POST',
    headers: { origin: copy.url, 'content-type': 'application/x-www-form-urlencoded' },
    body: form,
  })
  const session = { cookie: String(signed.headers['set-cookie']).split(';')[0] ?? '', origin: copy.url, 'content-type': 'application/json' }
  const refused = await raw('localhost', '/api/v1/rules', { method: 'PUT', headers: session, body: '{"version":1,"rules":[]}' })
  assert.deepEqual([refused.status, (JSON.parse(refused.body) as { fault: string }).fault], [403, 'forbidden'])
})

test('an import goes its way through the API: dry run, report, carrying out, publishing, export', async () => {
  const page = '<TITLE>Brought in</TITLE>\r\n<A HREF=http://gannet-line.localhost/x>Smock</A>'
  const form = new FormData()
  form.set('file', new Blob([new Uint8Array(zipOf({ 'brought/in.html': page }))]), 'site.zip')
  form.set('dryRun', 'true')
  const started = await api<{ job: string }>('POST', '/imports', form)
  assert.equal(started.status, 202)
  type Job = { state: string; done: number; total: number; report: { new: number; isDryRun: boolean } | null }
  const finished = (id: string) =>
    until(async () => {
      const { body } = await api<Job>('GET', `/jobs/${id}`)
      return body.state === 'done' ? body : null
    })
  assert.deepEqual((await finished(started.body.job)).report?.new, 1)
  const carried = await api<{ job: string }>('POST', `/imports/${started.body.job}/apply`, { dryRun: false })
  assert.equal((await finished(carried.body.job)).report?.isDryRun, false)
  const { body: list } = await api<{ items: { title: string; state: string }[] }>('GET', '/pages?path=/brought/in.html')
  assert.deepEqual([list.items[0]?.title, list.items[0]?.state], ['Brought in', 'new'])
  assert.equal((await api('POST', '/publications', { all: true })).status, 201)
  const live = await until(async () => {
    const answer = await raw('slow-ferry.localhost', '/brought/in.html')
    return answer.status === 200 ? answer.body : null
  })
  assert.equal(live, page.replace('/x>', '/x rel="sponsored nofollow noopener" target="_blank">'))
  const zip = await fetch(`${copy.url}/api/v1/exports/site.zip`, { headers: { Authorization: `Bearer ${copy.token}` } })
  assert.equal(Buffer.from(unzipSync(new Uint8Array(await zip.arrayBuffer()))['brought/in.html'] ?? []).toString(), live)
})

test('what cannot be used is refused as problem details, with the reason', async () => {
  const cases = [
    ['POST', '/addresses/repair', { text: 'javascript:alert(1)' }, 422, 'address-forbidden-scheme'],
    ['POST', '/addresses/repair', { words: 'x' }, 422, 'invalid-body'],
    ['POST', '/short-links', { destination: 'https://tides.example/', status: 200 }, 422, 'invalid-body'],
    ['GET', '/pages?limit=9999', undefined, 422, 'invalid-body'],
    ['GET', '/jobs/not-an-id', undefined, 404, 'not-found'],
    ['GET', '/nowhere', undefined, 404, 'not-found'],
  ] as const
  for (const [method, target, body, status, fault] of cases) {
    const answer = await api<{ fault: string; title: string }>(method, target, body)
    assert.deepEqual([answer.status, answer.body.fault], [status, fault], target)
    assert.ok(answer.body.title.length > 10)
  }
  const nobody = await fetch(`${copy.url}/api/v1/pages`)
  assert.deepEqual([nobody.status, nobody.headers.get('content-type')], [401, 'application/problem+json'])
})

test('the OpenAPI document names every endpoint there is, and no other', async () => {
  const { body } = await api<{ openapi: string; paths: Record<string, Record<string, unknown>> }>('GET', '/openapi.json')
  assert.match(body.openapi, /^3\.1/)
  const told = Object.entries(body.paths)
    .flatMap(([route, methods]) => Object.keys(methods).map((method) => `${method} ${route}`))
    .sort()
  assert.deepEqual(
    told,
    OPERATIONS.map(([, operation]) => operation)
      .map(({ method, path: route }) => `${method} ${route}`)
      .sort(),
  )
  const folder = path.resolve(import.meta.dirname, '../../src/pages/api/v1')
  const files = readdirSync(folder, { recursive: true })
    .map(String)
    .filter((file) => file.endsWith('.ts') && !/(?:^|\/)_|openapi|\.\.\./.test(file))
  const routes = new Set(
    files.map(
      (file) =>
        `/${file
          .replace(/\.ts$/, '')
          .replace(/\/?index$/, '')
          .replace('[id]', '{id}')}`,
    ),
  )
  assert.deepEqual([...routes].sort(), [...new Set(OPERATIONS.map(([, { path: route }]) => route))].sort())
})

test('with the database gone the studio says so and loses nothing, and visitors notice nothing', async () => {
  const base = process.env.MAPROPE_TEST_DATABASE_URL ?? ''
  const { body: list } = await api<{ items: { id: string; version: number }[] }>('GET', '/pages?path=/about.html')
  const page = list.items[0]
  assert.ok(page)
  const admin = new pg.Client({ connectionString: base })
  await admin.connect()
  const name = new URL(copy.databaseUrl).pathname.slice(1)
  await admin.query(`ALTER DATABASE ${name} ALLOW_CONNECTIONS false`)
  await admin.query('SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = $1', [name])
  const change = { version: page.version, patchSets: [[{ from: 0, to: 0, insert: '<!-- kept -->' }]] }
  const away = await until(async () => {
    const answer = await api<{ fault: string }>('PATCH', `/pages/${page.id}`, change)
    return answer.status === 503 ? answer : null
  })
  assert.equal(away.body.fault, 'database-away')
  assert.equal((await raw('localhost', '/readyz')).status, 503)
  assert.equal((await raw('sferry.localhost', '/go/smock')).status, 302)
  assert.equal((await raw('slow-ferry.localhost', '/')).status, 200)
  const before = await admin.query(`ALTER DATABASE ${name} ALLOW_CONNECTIONS true`).then(() => clicksOf('smock'))
  assert.ok(before >= 0)
  const saved = await until(async () => {
    const answer = await api<{ version: number }>('PATCH', `/pages/${page.id}`, change)
    return answer.status === 200 ? answer : null
  })
  assert.equal(saved.body.version, page.version + 1)
  await until(async () => (await clicksOf('smock')) >= before)
  await admin.end()
})

test('every file goes out with a policy that lets nothing in it run', async () => {
  const drawing = await raw('slow-ferry.localhost', '/files/boat.svg')
  assert.equal(drawing.status, 200)
  assert.match(String(drawing.headers['content-security-policy']), /^sandbox; default-src 'none'/)
  assert.equal(drawing.headers['x-content-type-options'], 'nosniff')
})
