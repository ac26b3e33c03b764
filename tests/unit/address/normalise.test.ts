import assert from 'node:assert/strict'
import { test } from 'node:test'
import fc from 'fast-check'
import { isSameAddress, normalise, siteOf } from '../../../src/core/address/index.ts'

const same = [
  ['HTTP://Tides.Example/a', 'http://tides.example/a'],
  ['https://tides.example:443/a', 'https://tides.example/a'],
  ['https://tides.example/a/../b/./c', 'https://tides.example/b/c'],
  ['https://tides.example/%7Efolk/%2d', 'https://tides.example/~folk/-'],
  ['https://tides.example/%c3%a9', 'https://tides.example/%C3%A9'],
  ['https://tides.example/a?', 'https://tides.example/a'],
  ['https://tides.example', 'https://tides.example/'],
] as const
for (const [a, b] of same) test(`${a} counts as ${b}`, () => assert.ok(isSameAddress(a, b)))

const different = [
  ['https://tides.example/a', 'http://tides.example/a'],
  ['https://tides.example/A', 'https://tides.example/a'],
  ['https://tides.example/a%2Fb', 'https://tides.example/a/b'],
  ['https://tides.example/a?b', 'https://tides.example/a'],
  ['https://tides.example/a#b', 'https://tides.example/a'],
  ['https://tides.example/a/', 'https://tides.example/a'],
  ['https://tides.example/%%32%35', 'https://tides.example/%25'],
] as const
for (const [a, b] of different) test(`${a} does not count as ${b}`, () => assert.ok(!isSameAddress(a, b)))

test('normalising twice equals once', () => {
  const escapes = fc.array(
    fc.oneof(fc.constantFrom('%', '2', '5', '7', 'E', 'e', '%41', '%2f', '..', '/', '?', '#', 'a'), fc.string({ maxLength: 2 })),
    { maxLength: 12 },
  )
  fc.assert(
    fc.property(escapes, (parts) => {
      const once = normalise(`https://tides.example/${parts.join('')}`)
      if (once !== null) assert.equal(normalise(once), once)
    }),
    { numRuns: 2000 },
  )
})

const sites = [
  ['https://shop.gannet-line.co.uk/a', 'gannet-line.co.uk'],
  ['http://gannet-line.localhost:4301/', 'gannet-line.localhost'],
  ['http://localhost:4300/', 'localhost'],
  ['http://127.0.0.1/', '127.0.0.1'],
  ['mailto:a@tides.example', null],
  ['/islands', null],
] as const
for (const [address, site] of sites) test(`${address} belongs to ${site ?? 'no site'}`, () => assert.equal(siteOf(address), site))
