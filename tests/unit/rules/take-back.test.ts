import assert from 'node:assert/strict'
import { test } from 'node:test'
import { type Rule, takeBackRules } from '../../../src/core/rules/index.ts'

const rule = (id: string, name = id): Rule => ({
  id,
  name,
  isOn: true,
  isBinding: false,
  when: { is: 'partner' },
  what: { opens: 'new tab' },
})
const list = (rules: string, partnersArePaid = true) => ({
  rules: rules === '' ? [] : rules.split(' ').map((each) => rule(each.charAt(0), each)),
  partnersArePaid,
})
/** Letters are rules, and what follows them is what they say. */
for (const [what, before, after, now, expected, back, left] of [
  ['a rule that was added goes', 'a', 'a b', 'a b c', 'a c', 1, []],
  ['one that went comes back behind the one it stood behind', 'a b c', 'a c', 'a c d', 'a b c d', 1, []],
  ['the first comes back to the front', 'a b', 'b', 'b', 'a b', 1, []],
  ['one that was changed says again what it said', 'a b', 'a1 b', 'a1 b c', 'a b c', 1, []],
  ['one that was changed again stays', 'a b', 'a1 b', 'a2 b', 'a2 b', 0, ['a2']],
  ['one that says already what it said is no more to be done', 'a', 'a1', 'a', 'a', 0, []],
  ['one that was changed, and is gone, stays gone', 'a b', 'a1 b', 'b', 'b', 0, ['a1']],
  ['an order comes back among what came since', 'a b c', 'c a b', 'c x a b', 'a x b c', 1, []],
  ['an order that was changed again stays', 'a b c', 'c a b', 'b c a', 'b c a', 0, ['']],
  ['a change that nobody touched since is as it never was', 'a b', 'b1 c', 'b1 c', 'a b', 3, []],
] as const)
  test(what, () => {
    const taken = takeBackRules(list(before), list(after), list(now))
    assert.deepEqual([taken.rules.map(({ name }) => name).join(' '), taken.back, taken.left], [expected, back, left])
  })

test('what holds below all rules comes back where nobody has said it again', () => {
  const back = (after: boolean, now: boolean) => takeBackRules(list('a', true), list('a', after), list('a', now)).partnersArePaid
  assert.deepEqual([back(false, false), back(false, true), back(true, false)], [true, true, false])
})
