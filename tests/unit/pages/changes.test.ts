import assert from 'node:assert/strict'
import { test } from 'node:test'
import { isShownBy } from '../../../src/ui/changes.ts'

const change = (capability: string, key = 'k') => [{ capability, key, what: 'changed' as const }]
const cases = [
  ['a list of what changed', ['short-links', ''], change('short-links'), true],
  ['a list of something else', ['partners'], change('short-links'), false],
  ['the history of the page that changed', ['history', 'k'], change('pages'), true],
  ['the history of another page', ['history', 'other'], change('pages'), false],
  ['a page that is being written, which follows by itself', ['page', 'k'], change('pages'), false],
  ['something that nobody knows', ['desk'], change('weather'), false],
] as const
for (const [name, key, changes, expected] of cases)
  test(`${name} is ${expected ? '' : 'not '}asked for anew`, () => assert.equal(isShownBy(key, [...changes]), expected))
