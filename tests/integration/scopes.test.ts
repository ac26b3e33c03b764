import assert from 'node:assert/strict'
import { after, before, test } from 'node:test'
import { OPERATIONS } from '../../src/contract/api.ts'
import type { Operation } from '../../src/contract/operation.ts'
import { ROLE_NAMES } from '../../src/contract/people.ts'
import { PERMISSIONS, type Permission } from '../../src/contract/permissions.ts'
import { callApi } from './asking.ts'
import { type Copy, startCopy } from './copy.ts'

let copy: Copy
before(async () => {
  copy = await startCopy()
})
after(() => copy.stop())

/** @param by - a token, or the cookie of somebody who is signed in */
const call = (by: string, method: string, target: string, body?: unknown) => callApi(copy, method, target, body, { by })

const signedIn = async (email: string): Promise<string> => {
  const answer = await fetch(`${copy.url}/sign-in`, {
    method: 'POST',
    redirect: 'manual',
    headers: { origin: copy.url },
    body: new URLSearchParams({ email, password: 'ten-past-seven' }),
  })
  return answer.headers.getSetCookie()[0]?.split(';')[0] ?? ''
}

/** What each of these words may be read with: it stands in one thing of that kind, and nowhere else. */
const MARKS: Readonly<Record<string, Permission>> = {
  'canary-partner': 'partners:read',
  'Canary rule': 'rules:read',
  'canary-short': 'short-links:read',
  'canary-redirect': 'redirects:read',
  'canary-host': 'hosts:read',
  'canary-person': 'people:edit',
}

test('no answer holds what the scopes of its token do not allow', async () => {
  const owner = copy.token
  const made = async (method: string, target: string, body: unknown): Promise<void> => {
    const answer = await call(owner, method, target, body)
    assert.ok(answer.status < 300, answer.text)
  }
  await made('POST', '/partners', { name: 'canary-partner', sites: ['canary-partner.example'] })
  await made('POST', '/short-links', { destination: 'https://tides.example/canary-short', slug: 'canary-short' })
  await made('POST', '/redirects', { from: '/canary-redirect', to: '/' })
  await made('POST', '/hosts', { kind: 'short', host: 'canary-host.localhost' })
  await made('POST', '/people', { name: 'canary-person', email: 'c@slow-ferry.example', role: 'contributor' })
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
  const reads = OPERATIONS.map(([, operation]) => operation).filter(
    (operation) => operation.method === 'get' && !operation.path.includes('{id}'),
  )
  assert.ok(reads.length > 15)
  const leaks: string[] = []
  const seen = new Set<string>()
  for (const scope of PERMISSIONS) {
    const { token } = JSON.parse((await call(owner, 'POST', '/tokens', { name: `only ${scope}`, scopes: [scope] })).text) as {
      token: string
    }
    for (const { path } of reads) {
      // The demo's own rows come first.
      const answer = await call(token, 'GET', path === '/redirects' ? `${path}?search=canary` : path)
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

const NOBODY = '00000000-0000-4000-8000-000000000000'
/** Calls an operation on nothing that exists, with nothing that it could use: what it says then is what it lets whom ask. */
const knock = (token: string, { method, path }: Operation): Promise<{ status: number; text: string }> =>
  call(
    token,
    method.toUpperCase(),
    path.replace('{id}', NOBODY),
    method === 'get' || method === 'delete' ? undefined : { nothing: 'of use' },
  )

test('every operation refuses whom its contract does not let ask, by scope and by role, before it reads what was sent', async () => {
  const told: string[] = []
  const expect = async (who: string, token: string, may: (permission: Permission) => boolean): Promise<void> => {
    for (const [name, operation] of OPERATIONS) {
      const { needs } = operation as { needs: Permission | readonly Permission[] | null }
      const isAllowed = needs === null || [needs].flat().every(may)
      const { status, text } = await knock(token, operation)
      // One's own password is its person's alone, never a token's.
      if (name === 'people.changePassword') continue
      if (isAllowed === (status === 403) || status >= 500) told.push(`${name} answers ${who} with ${status} ${text.slice(0, 120)}`)
    }
  }
  for (const scope of PERMISSIONS) {
    const { token } = JSON.parse((await call(copy.token, 'POST', '/tokens', { name: scope, scopes: [scope] })).text) as { token: string }
    await expect(`the scope ${scope}`, token, (permission) => permission === scope)
  }
  // Written out, so that a role that grows by mistake is noticed.
  const mayNot: Record<(typeof ROLE_NAMES)[number], readonly Permission[]> = {
    owner: [],
    editor: ['hosts:edit', 'people:edit'],
    contributor: [
      'pages:publish',
      'imports:run',
      'rules:edit',
      'short-links:edit',
      'redirects:edit',
      'partners:edit',
      'hosts:edit',
      'people:edit',
      'tokens:edit',
    ],
  }
  for (const role of ROLE_NAMES) {
    const name = { owner: 'mara', editor: 'tobin', contributor: 'deckhand' }[role]
    const cookie = await signedIn(`${name}@slow-ferry.example`)
    await expect(`an ${role}`, cookie, (permission) => !mayNot[role].includes(permission))
  }
  assert.deepEqual(told, [])
})
