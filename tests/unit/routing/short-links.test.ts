import assert from 'node:assert/strict'
import { test } from 'node:test'
import { compileShortLinks, type ShortLinkRoute } from '../../../src/core/routing/index.ts'

const route = (slug: string, destination: string, more: Partial<ShortLinkRoute> = {}): ShortLinkRoute => ({
  id: slug,
  host: 'sferry.example',
  prefix: 'go',
  slug,
  destination,
  status: 302,
  ...more,
})
const table = compileShortLinks([
  route('smock', 'https://gannet-line.example/hafen/größe?p=4471'),
  route('bare', 'https://tides.example/', { host: 'tern.example', prefix: '' }),
  route('broken', 'http://['),
])

const cases = [
  ['sferry.example', '/go/smock', 'smock'],
  ['sferry.example', '/go/SMOCK/', 'smock'],
  ['sferry.example', '/go/%73mock', 'smock'],
  ['sferry.example', '/go/smock.', 'smock'],
  ['sferry.example', '/smock', null],
  ['sferry.example', '/go/smocks', null],
  ['sferry.example', '/go/%', null],
  ['sferry.example', '/go/', null],
  ['tern.example', '/bare', 'bare'],
  ['tern.example', '/smock', null],
  ['sferry.example', '/go/broken', null],
  ['sferry.example', `/go/${'x'.repeat(10_000)}`, null],
] as const
for (const [host, path, id] of cases)
  test(`${host}${path.slice(0, 30)} is answered by ${id ?? 'nobody'}`, () => assert.equal(table.match(host, path)?.id ?? null, id))

test('the Location is ASCII whatever was pasted', () => {
  const location = table.match('sferry.example', '/go/smock')?.location ?? ''
  assert.equal(location, 'https://gannet-line.example/hafen/gr%C3%B6%C3%9Fe?p=4471')
  assert.match(location, /^[\x21-\x7e]+$/)
})
