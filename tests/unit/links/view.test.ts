import assert from 'node:assert/strict'
import { test } from 'node:test'
import fc from 'fast-check'
import { FACETS, FINDINGS, SORTS } from '../../../src/core/placements/index.ts'
import { readView, writeView } from '../../../src/islands/links/view.ts'

const words = fc.string({
  minLength: 1,
  maxLength: 12,
  unit: fc.constantFrom('a', ' ', '&', '=', '+', '%', '#', '?', '\u00e9', '\u6e2f', '"'),
})

test('a view of the links that is shared by its address comes back the same (seeded)', () => {
  const view = fc.record({
    isGrouped: fc.boolean(),
    query: fc.record({
      text: fc.option(words, { nil: undefined }),
      destination: fc.option(words, { nil: undefined }),
      finding: fc.option(fc.constantFrom(...FINDINGS), { nil: undefined }),
      facets: fc.dictionary(fc.constantFrom(...FACETS), words),
    }),
    order: fc.option(fc.record({ sort: fc.constantFrom(...SORTS.filter((sort) => sort !== 'page')), isDown: fc.boolean() }), { nil: {} }),
  })
  fc.assert(
    fc.property(view, ({ order, ...shown }) => {
      const plain = { ...shown, query: { ...shown.query, facets: { ...shown.query.facets }, ...order } }
      assert.deepEqual(readView(writeView(plain)), plain)
    }),
    { seed: 6, numRuns: 500 },
  )
})

test('an address with what nobody knows in it shows the whole list', () => {
  assert.deepEqual(readView('?finding=nonsense&colour=red&from=mail'), readView(''))
  assert.equal(writeView(readView('')), '')
})
