import assert from 'node:assert/strict'
import { test } from 'node:test'
import fc from 'fast-check'
import { RESERVED_SLUGS, slugFault, suggestSlugs, tidySlug } from '../../../src/core/slugs/index.ts'

const slugs = (destination: string, title: string, taken: readonly string[] = []): string[] =>
  suggestSlugs(destination, title, (slug) => taken.includes(slug)).map((each) => each.slug)

test('takes the words people would say, without codes and filler', () => {
  assert.deepEqual(slugs('https://gannet-line.example/p/b0817xk2/waxed-smock.html?p=4471', ''), [
    'smock',
    'waxed-smock',
    'gannet-line',
    'gannet-smock',
  ])
  assert.equal(slugs('https://tides.example/x', 'The Étude of Tide Tables')[0], 'tables')
})

test('never suggests what is taken or reserved, and always something', () => {
  assert.ok(!slugs('https://gannet-line.example/waxed-smock', '', ['smock']).includes('smock'))
  fc.assert(
    fc.property(fc.webUrl(), fc.string(), fc.array(fc.constantFrom<string>('smock', 'link-2', 'tide')), (destination, title, taken) => {
      const found = slugs(destination, title, taken)
      assert.ok(found.length > 0)
      for (const slug of found) assert.ok(slugFault(slug) === null && !taken.includes(slug), slug)
    }),
  )
})

const faults = [
  ['smock', null],
  ['waxed-smock-2', null],
  ['Smock', 'slug-malformed'],
  ['a--b', 'slug-malformed'],
  ['a/b', 'slug-malformed'],
  ['', 'slug-malformed'],
  ['robots', 'slug-reserved'],
  ['x'.repeat(61), 'slug-too-long'],
] as const
for (const [slug, fault] of faults) test(`"${slug.slice(0, 20)}" is ${fault ?? 'fine'}`, () => assert.equal(slugFault(slug), fault))

test('tidies what was typed into a slug that is sound', () => {
  assert.equal(tidySlug('  Wäxed Smock & Cap! '), 'waxed-smock-and-cap')
  fc.assert(fc.property(fc.string(), (text) => ['slug-reserved', null].includes(slugFault(tidySlug(text) || 'x'))))
  assert.ok(RESERVED_SLUGS.has('robots'))
})
