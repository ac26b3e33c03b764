import assert from 'node:assert/strict'
import { test } from 'node:test'
import { compileShortLink, matchShortLink } from '../../../src/core/routing/index.ts'

const HOSTS: Readonly<Record<string, string>> = { 'sferry.example': 'go', 'tern.example': '' }
const LINKS: Readonly<Record<string, string>> = {
  'sferry.example smock': 'https://gannet-line.example/hafen/größe?p=4471',
  'tern.example bare': 'https://tides.example/',
  'sferry.example broken': 'http://[',
}
function match(host: string, path: string) {
  return matchShortLink(path, [HOSTS[host] ?? '', 'old'], (slug) => {
    const destination = LINKS[`${host} ${slug}`]
    return destination === undefined
      ? null
      : compileShortLink({ id: slug, destination, status: 302, course: {}, isDown: false, isFull: false })
  })
}

const cases = [
  ['sferry.example', '/go/smock', 'smock'],
  ['sferry.example', '/go/SMOCK/', 'smock'],
  ['sferry.example', '/go/%73mock', 'smock'],
  ['sferry.example', '/go/smock.', 'smock'],
  ['sferry.example', '/old/smock', 'smock'],
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
  test(`${host}${path.slice(0, 30)} is answered by ${id ?? 'nobody'}`, () => assert.equal(match(host, path)?.id ?? null, id))

test('the Location is ASCII whatever was pasted', () => {
  const location = match('sferry.example', '/go/smock')?.location ?? ''
  assert.equal(location, 'https://gannet-line.example/hafen/gr%C3%B6%C3%9Fe?p=4471')
  assert.match(location, /^[\x21-\x7e]+$/)
})
