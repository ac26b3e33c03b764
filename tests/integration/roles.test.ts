import assert from 'node:assert/strict'
import { mkdtempSync } from 'node:fs'
import { request } from 'node:http'
import { tmpdir } from 'node:os'
import path from 'node:path'
import { after, before, test } from 'node:test'
import { freePort } from '../../bin/postgres.mjs'
import { type Copy, startCopy } from './copy.ts'

let copy: Copy
let deliveryPort: number
before(async () => {
  copy = await startCopy()
  deliveryPort = await freePort()
  await copy.start({
    MAPROPE_ROLE: 'delivery',
    PORT: String(deliveryPort),
    MAPROPE_DATA: mkdtempSync(path.join(tmpdir(), 'map-rope-delivery-')),
  })
})
after(() => copy.stop())

function get(host: string, target: string): Promise<{ status: number; location: string | undefined }> {
  const headers = { host, 'user-agent': 'Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 Chrome/126.0 Safari/537.36' }
  return new Promise((resolve, reject) => {
    const sent = request({ host: '127.0.0.1', port: deliveryPort, path: target, headers, agent: false }, (answer) => {
      answer.resume()
      answer.on('end', () => resolve({ status: answer.statusCode ?? 0, location: answer.headers.location }))
    })
    sent.on('error', reject)
    sent.end()
  })
}
async function api<T>(method: string, target: string, body?: unknown): Promise<T> {
  const answer = await fetch(`${copy.url}/api/v1${target}`, {
    method,
    headers: { Authorization: `Bearer ${copy.token}`, 'Content-Type': 'application/json' },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  })
  return (await answer.json()) as T
}
async function until(isTrue: () => Promise<boolean>): Promise<void> {
  for (let i = 0; i < 100; i++) {
    if (await isTrue()) return
    await new Promise((resolve) => setTimeout(resolve, 100))
  }
  assert.fail('it did not come to pass within ten seconds')
}

test('a process that only delivers answers for public hosts, and for nobody else', async () => {
  assert.equal((await get('slow-ferry.localhost', '/')).status, 200)
  assert.equal((await get('sferry.localhost', '/go/smock')).status, 302)
  assert.equal((await get('localhost', '/')).status, 421)
  assert.equal((await get('localhost', '/readyz')).status, 200)
})

test('what the studio saves reaches another process, and its clicks come back, each once', async () => {
  await api('POST', '/short-links', { destination: 'https://tides.example/far', slug: 'far' })
  await until(async () => (await get('sferry.localhost', '/go/far')).status === 302)
  assert.equal((await get('sferry.localhost', '/go/far')).location, 'https://tides.example/far')
  const clicks = async () => (await api<{ items: { clicks: number }[] }>('GET', '/short-links?slug=far')).items[0]?.clicks
  await until(async () => (await clicks()) === 2)
  await new Promise((resolve) => setTimeout(resolve, 1_500))
  assert.equal(await clicks(), 2)
})
