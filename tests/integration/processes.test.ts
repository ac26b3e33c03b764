import assert from 'node:assert/strict'
import { type ChildProcess, spawn } from 'node:child_process'
import { once } from 'node:events'
import { statSync } from 'node:fs'
import path from 'node:path'
import { after, before, test } from 'node:test'
import { ask } from './asking.ts'
import { type Copy, startCopy } from './copy.ts'

let copy: Copy
let at: Record<string, string>
let studio: ChildProcess
/** Delivery owns the port, and reaches the studio through its socket: as npm start has it. */
before(async () => {
  copy = await startCopy()
  await copy.kill(copy.server)
  at = { MAPROPE_STUDIO_AT: path.join(copy.folder, 'studio.sock') }
  studio = await copy.start({ ...at, MAPROPE_ROLE: 'studio,jobs' })
  await copy.start({ ...at, MAPROPE_ROLE: 'delivery' })
})
after(() => copy.stop())

const visit = (host: string, target: string) => ask(copy.port, target, { host: `${host}:${copy.port}` })
const call = (target: string, options: RequestInit = {}): Promise<Response> =>
  fetch(`${copy.url}/api/v1${target}`, {
    ...options,
    headers: { authorization: `Bearer ${copy.token}`, 'content-type': 'application/json' },
  })

test('while the studio is away visitors notice nothing, an editor is told so, and it is there again by itself', async () => {
  assert.equal(statSync(path.join(copy.folder, 'studio.sock')).mode & 0o777, 0o600)
  const ready = async (): Promise<{ ok: boolean; studio: string }> =>
    (await (await fetch(`${copy.url}/readyz`)).json()) as { ok: boolean; studio: string }
  assert.deepEqual(await ready(), { ok: true, reasons: [], studio: 'ready' })
  assert.equal((await call('/me')).status, 200)
  await copy.kill(studio)
  assert.deepEqual(await ready(), { ok: true, reasons: [], studio: 'away' })
  const screen = await fetch(`${copy.url}/pages`)
  assert.equal(screen.status, 503)
  assert.match(await screen.text(), /The studio is starting again\..*asks again by itself/s)
  const away = await call('/me')
  assert.deepEqual([away.status, ((await away.json()) as { fault: string }).fault], [503, 'studio-away'])
  studio = await copy.start({ ...at, MAPROPE_ROLE: 'studio,jobs' })
  assert.equal((await call('/me')).status, 200)
})

test('answers and bodies pass whole between the two, with who asks', async () => {
  const source = `<p>${'a <a href="https://tides.example/">b</a> '.repeat(20_000)}</p>`
  const answer = await call('/rewrite', { method: 'POST', body: JSON.stringify({ html: source }) })
  const { html } = (await answer.json()) as { html: string }
  assert.equal(answer.status, 200)
  assert.ok(html.length > source.length)
  const zip = await call('/exports/site.zip')
  assert.equal(
    Buffer.from(await zip.arrayBuffer())
      .subarray(0, 2)
      .toString(),
    'PK',
  )
  assert.equal((await visit('localhost', '/sign-in')).status, 200)
})

test('while the studio works on something heavy, short links answer as quickly as ever', async () => {
  // Asked by a process of its own: this one would wait for its own work.
  const script = `const html = '<a href="https://tides.example/">b</a> '.repeat(120_000)
    const [url, token] = process.argv.slice(1)
    const headers = { authorization: 'Bearer ' + token, 'content-type': 'application/json' }
    process.stdout.write('begun')
    await fetch(url + '/api/v1/rewrite', { method: 'POST', headers, body: JSON.stringify({ html }) })`
  const asking = spawn(process.execPath, ['--input-type=module', '-e', script, copy.url, copy.token])
  await once(asking.stdout, 'data')
  const waits: number[] = []
  for (let i = 0; i < 60; i++) {
    const before = performance.now()
    assert.match((await visit('sferry.localhost', '/go/cap')).location ?? '', /^http/)
    waits.push(performance.now() - before)
  }
  if (asking.exitCode === null) await once(asking, 'exit')
  // Not a measurement: an answer from the thread that works would take as long as the work, which is seconds.
  assert.ok(Math.max(...waits) < 1_000, `the slowest took ${Math.max(...waits)} ms`)
})
