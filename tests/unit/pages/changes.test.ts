import assert from 'node:assert/strict'
import { test } from 'node:test'
import type { Capability } from '../../../src/contract/capabilities.ts'
import { isOutOfDate } from '../../../src/ui/changes.ts'

const change = (capability: Capability, key = 'k') => [{ capability, key, what: 'changed' as const }]
const cases = [
  ['a list of what changed', ['short-links.list', {}], change('short-links'), true],
  ['a list of something else', ['partners.list', {}], change('short-links'), false],
  ['what shows it among others', ['desk.look', {}], change('rules'), true],
  ['the history of the page that changed', ['pages.history', { id: 'k' }], change('pages'), true],
  ['the history of another page', ['pages.history', { id: 'other' }], change('pages'), false],
  ['where a short link is used, of which any page may tell', ['short-links.uses', { id: 'other' }], change('pages'), true],
  ['a page that is being written, which follows by itself', ['pages.source', { id: 'k' }], change('pages'), false],
  ['something that is no operation', ['visit of mine'], change('pages'), false],
] as const
for (const [name, key, changes, expected] of cases)
  test(`${name} is ${expected ? '' : 'not '}asked for anew`, () => assert.equal(isOutOfDate(key, [...changes]), expected))
