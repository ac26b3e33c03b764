import assert from 'node:assert/strict'
import { mkdtempSync } from 'node:fs'
import { tmpdir } from 'node:os'
import path from 'node:path'
import { after, before, test } from 'node:test'
import { ownPort } from '../ports.ts'
import { until } from '../until.ts'
import { ask, BROWSER, callApi } from './asking.ts'
import { type Copy, startCopy } from './copy.ts'

let copy: Copy
let deliveryPort: number
before(async () => {
  copy = await startCopy()
  deliveryPort = await ownPort()
  await copy.start({
    MAPROPE_ROLE: 'delivery',
    PORT: String(deliveryPort),
    MAPROPE_DATA: mkdtempSync(path.join(tmpdir(), 'map-rope-delivery-')),
  })
})
after(() => copy.stop())

const get = (host: string, target: string) => ask(deliveryPort, target, { host, headers: { 'user-agent': BROWSER } })
const api = async <T>(method: string, target: string, body?: unknown): Promise<T> => (await callApi<T>(copy, method, target, body)).body

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
