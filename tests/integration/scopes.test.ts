import assert from 'node:assert/strict'
import { after, before, test } from 'node:test'
import { API } from '../../src/contract/api.ts'
import { PERMISSIONS, type Permission } from '../../src/contract/people.ts'
import { type Copy, startCopy } from './copy.ts'

let copy: Copy
before(async () => {
  copy = await startCopy()
})
after(() => copy.stop())

const call = async (token: string, method: string, target: string, body?: unknown): Promise<{ status: number; text: string }> => {
  const answer = await fetch(`${copy.url}/api/v1${target}`, {
    method,
    headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  })
  return { status: answer.status, text: await answer.text() }
}

/** What each of these words may be read with: it stands in one thing of that kind, and nowhere else. */
const MARKS: Readonly<Record<string, Permission>> = {
  'canary-partner': 'partners:read',
  'Canary rule': 'rules:read',
  'canary-short': 'short-links:read',
}

test('no answer holds what the scopes of its token do not allow', async () => {
  const owner = copy.token
  const made = async (method: string, target: string, body: unknown): Promise<void> => {
    const answer = await call(owner, method, target, body)
    assert.ok(answer.status < 300, answer.text)
  }
  await made('POST', '/partners', { name: 'canary-partner', sites: ['canary-partner.example'] })
  await made('POST', '/short-links', { destination: 'https://tides.example/canary-short', slug: 'canary-short' })
  const { version, rules } = JSON.parse((await call(owner, 'GET', '/rules')).text) as { version: number; rules: object[] }
  const rule = {
    id: 'c',
    name: 'Canary rule',
    isOn: true,
    isBinding: true,
    when: { is: 'kind', of: ['outside'] },
    what: { hints: ['nofollow'] },
  }
  await made('PUT', '/rules', { version, rules: [rule, ...rules] })
  const reads = Object.values(API).filter((operation) => operation.method === 'get' && !operation.path.includes('{id}'))
  assert.ok(reads.length > 15)
  const leaks: string[] = []
  const seen = new Set<string>()
  for (const scope of PERMISSIONS) {
    const { token } = JSON.parse((await call(owner, 'POST', '/tokens', { name: `only ${scope}`, scopes: [scope] })).text) as {
      token: string
    }
    for (const { path } of reads) {
      const answer = await call(token, 'GET', path)
      assert.ok(answer.status < 500, `${path} with ${scope}: ${answer.status}`)
      for (const [mark, needed] of Object.entries(MARKS)) {
        if (!answer.text.includes(mark)) continue
        seen.add(mark)
        if (scope !== needed) leaks.push(`${path} tells ${mark} to ${scope}`)
      }
    }
  }
  assert.deepEqual(leaks, [])
  assert.deepEqual([...seen].sort(), Object.keys(MARKS).sort(), 'each mark was told to whoever may read it')
})
