import { type Condition, compileCondition, implies, testsOf } from './condition.ts'
import type { LinkFacts } from './facts.ts'
import type { Hint } from './rel.ts'

/** How much another site learns of where a reader came from (Referrer Policy, "referrer policies"). */
export const REFERRER_POLICIES = [
  'no-referrer',
  'origin',
  'same-origin',
  'strict-origin',
  'strict-origin-when-cross-origin',
  'no-referrer-when-downgrade',
  'unsafe-url',
] as const
export type ReferrerPolicy = (typeof REFERRER_POLICIES)[number]

/** What a rule says of a link. Parts left out say nothing. */
export interface Effects {
  /** Exactly these hints; empty means: vouch. */
  readonly hints?: readonly Hint[] | undefined
  readonly opens?: 'new tab' | 'same tab' | undefined
  readonly noopener?: boolean | undefined
  readonly noreferrer?: boolean | undefined
  readonly referrer?: ReferrerPolicy | undefined
  /** A small arrow behind the words of a link that leads out. */
  readonly mark?: boolean | undefined
  /** Said aloud behind the link's words where it opens a new tab; "" keeps later rules from saying anything. */
  readonly spoken?: string | undefined
  /** Shown when a pointer rests on the link; "{site}" is the site it leads to. "" takes a title off. */
  readonly title?: string | undefined
}
export const EFFECTS = ['hints', 'opens', 'noopener', 'noreferrer', 'referrer', 'mark', 'spoken', 'title'] as const
export type Effect = (typeof EFFECTS)[number]

/** A link rule: which links it means and where, and what it says of them. */
export interface Rule {
  readonly id: string
  readonly name: string
  readonly isOn: boolean
  /** Also overrides what is hand-set. */
  readonly isBinding: boolean
  readonly when: Condition
  readonly what: Effects
}

/** A rule made ready to be asked many times. */
export interface CompiledRule {
  readonly rule: Rule
  /** Place in the list people see, from 1. */
  readonly number: number
  readonly matches: (facts: LinkFacts) => boolean
}

/** Compiles the rules that are on, in their order. Their numbers count the ones that are off too. */
export function compileRules(rules: readonly Rule[]): readonly CompiledRule[] {
  return rules.map((rule, index) => ({ rule, number: index + 1, matches: compileCondition(rule.when) })).filter(({ rule }) => rule.isOn)
}

/** What of a link's surroundings a list of rules looks at; what it does not look at need not be known. */
export interface RuleNeeds {
  /** The page, the part or the tags it stands in. */
  readonly place: boolean
  /** Its address in full. */
  readonly address: boolean
  /** Whether it shows words or a picture. */
  readonly shows: boolean
  /** Either of those, or the words themselves. */
  readonly content: boolean
}

export function needsOf(rules: readonly CompiledRule[]): RuleNeeds {
  const tests = rules.flatMap(({ rule }) => testsOf(rule.when))
  const shows = tests.some(({ is }) => is === 'shows')
  return {
    place: tests.some(({ is }) => is === 'under' || is === 'part' || is === 'tag' || is === 'sponsored page'),
    address: tests.some(({ is }) => is === 'address'),
    shows,
    content: shows || rules.some(({ rule }) => rule.what.spoken !== undefined || rule.what.mark === true),
  }
}

/** What can never be heard of a rule, because earlier rules have said it of all its links. */
export interface Unheard {
  readonly id: string
  readonly effects: readonly { readonly effect: Effect; readonly by: number }[]
  /** Nothing is left of it. */
  readonly isAll: boolean
}

/** Rules that are fully or partly covered by earlier ones, as far as it can be read from their sentences. */
export function unheardRules(rules: readonly CompiledRule[]): readonly Unheard[] {
  return rules.flatMap(({ rule }, i) => {
    const said = EFFECTS.filter((effect) => rule.what[effect] !== undefined)
    const effects = said.flatMap((effect) => {
      const by = rules
        .slice(0, i)
        .find(
          (other) =>
            other.rule.what[effect] !== undefined && (other.rule.isBinding || !rule.isBinding) && implies(rule.when, other.rule.when),
        )
      return by === undefined ? [] : [{ effect, by: by.number }]
    })
    return effects.length === 0 ? [] : [{ id: rule.id, effects, isAll: effects.length === said.length }]
  })
}
