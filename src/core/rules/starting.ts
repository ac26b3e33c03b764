import { spokenIn, type Told, tell } from '../../words/index.ts'
import type { Rule } from './rule.ts'

/** A rule that may be taken over; its name is said in the language of whoever takes it. */
export type BeginningRule = Omit<Rule, 'id' | 'name'> & { readonly name: Told }

/** A list of rules to begin with. Ids are given when it is taken. */
export interface StartingSet {
  readonly name: 'careful' | 'strict'
  readonly what: Told
  readonly rules: readonly BeginningRule[]
}

const rule = (name: Told, when: Rule['when'], what: Rule['what'], isBinding = false): BeginningRule => ({
  name,
  isOn: true,
  isBinding,
  when,
  what,
})

const paid = rule(tell('beginning.paid'), { is: 'partner' }, { hints: ['sponsored', 'nofollow'] }, true)
const newTab = rule(tell('beginning.new-tab'), { is: 'kind', of: ['outside'] }, { opens: 'new tab', spoken: spokenIn('en').newTab })
const sameTab = rule(tell('beginning.same-tab'), { is: 'kind', of: ['inside page', 'section'] }, { opens: 'same tab' })

const STARTING_SETS: readonly StartingSet[] = [
  {
    name: 'careful',
    what: tell('beginning.careful'),
    rules: [newTab, sameTab],
  },
  {
    name: 'strict',
    what: tell('beginning.strict'),
    rules: [
      paid,
      rule(tell('beginning.not-vouched'), { is: 'kind', of: ['outside'] }, { hints: ['nofollow'], noreferrer: true }, true),
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
