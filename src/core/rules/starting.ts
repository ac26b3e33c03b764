import { spokenIn } from '../spoken/index.ts'
import type { Rule } from './rule.ts'

/** A list of rules to begin with. Ids are given when it is taken. */
export interface StartingSet {
  readonly name: 'careful' | 'strict'
  readonly what: string
  readonly rules: readonly Omit<Rule, 'id'>[]
}

const rule = (name: string, when: Rule['when'], what: Rule['what'], isBinding = false): Omit<Rule, 'id'> => ({
  name,
  isOn: true,
  isBinding,
  when,
  what,
})

const paid = rule('Partners’ sites are paid', { is: 'partner' }, { hints: ['sponsored', 'nofollow'] }, true)
const newTab = rule('Outside links open a new tab', { is: 'kind', of: ['outside'] }, { opens: 'new tab', spoken: spokenIn('en').newTab })
const sameTab = rule('Inside links stay in the tab', { is: 'kind', of: ['inside page', 'section'] }, { opens: 'same tab' })

const STARTING_SETS: readonly StartingSet[] = [
  {
    name: 'careful',
    what: 'Outside links open a new tab and say so, inside links stay. Links to partners stay marked as paid, and what you set by hand stays.',
    rules: [newTab, sameTab],
  },
  {
    name: 'strict',
    what: 'Paid links are always marked, also over what was set by hand; no other site is vouched for, none learns where readers came from, and outside links open a new tab.',
    rules: [
      paid,
      rule('Other sites are not vouched for', { is: 'kind', of: ['outside'] }, { hints: ['nofollow'], noreferrer: true }, true),
      newTab,
      sameTab,
    ],
  },
]

/** Where to begin, for a site without rules; what is said aloud is in its language. */
export const startingSets = (language: string | undefined): StartingSet[] =>
  STARTING_SETS.map((set) => ({
    ...set,
    rules: set.rules.map((each) =>
      each.what.spoken === undefined ? each : { ...each, what: { ...each.what, spoken: spokenIn(language).newTab } },
    ),
  }))
