import type { AttributeChanges } from '../markup/index.ts'
import { type Answer, BY_HAND, type LinkFacts } from './facts.ts'
import { type Hint, hasToken, opensNewTab, type RelTokens, withHints, withoutToken, withToken } from './rel.ts'
import type { CompiledRule, Rule } from './rule.ts'

/** Who decided: a rule, a person, the source as it came, or our own care (`noopener` where a new tab opens). */
export type Reason =
  | { readonly by: 'rule'; readonly id: string; readonly number: number; readonly name: string }
  | { readonly by: 'hand' }
  /** The page is written for the partner whose site the link leads to. */
  | { readonly by: 'sponsor'; readonly name: string }
  /** A contributor made it, and it waits for an editor. */
  | { readonly by: 'queue' }
  | { readonly by: 'source' }

/** What a link is delivered with, and because of whom, attribute by attribute. */
export interface Decision {
  /** Value of `rel`; null for none. */
  readonly rel: string | null
  /** Value of `target`; null for none. */
  readonly target: string | null
  readonly because: {
    readonly hints: Reason
    readonly opens: Reason
    /** Who brought `noopener` or kept it away; where it came with a new tab, who opens that. Null when it is as written. */
    readonly noopener: Reason | null
    readonly noreferrer: Reason | null
  }
}

const BY_SOURCE: Reason = { by: 'source' }
const HAND: Reason = { by: 'hand' }

/**
 * Decides one link: for each attribute the first rule that speaks, unless a person set it by hand and that rule is not
 * binding. Tokens of `rel` that no rule speaks of stay. A new tab brings `noopener`, unless the link asks for `opener` or
 * a rule says otherwise (PRODUCT 6.3).
 */
export function decide(rules: readonly CompiledRule[], facts: LinkFacts): Decision {
  const matching = rules.filter((compiled) => compiled.matches(facts))
  const hints = firstSaying(matching, 'hints')
  const opens = firstSaying(matching, 'opens')
  const noopener = firstSaying(matching, 'noopener')
  const noreferrer = firstSaying(matching, 'noreferrer')
  const ruledHints = hints !== null && !yields(facts, hints, 'hints') ? hints : null
  const ruledOpens = opens !== null && !yields(facts, opens, 'opens') ? opens : null

  const given = givenHints(facts, ruledHints)
  let rel: RelTokens = facts.rel
  if (given !== null) rel = withHints(rel, given.hints)
  else if (ruledHints?.rule.what.hints !== undefined) rel = withHints(rel, ruledHints.rule.what.hints)
  const target = decideTarget(facts, ruledOpens?.rule.what.opens)
  const isDecided = ruledOpens !== null || facts.handSet.includes('opens')
  const comesWithTab =
    noopener === null && isDecided && opensNewTab(target ?? facts.baseTarget) && !hasToken(rel, 'opener') && !hasToken(rel, 'noopener')
  if (noopener !== null) rel = noopener.rule.what.noopener === true ? withToken(rel, 'noopener') : withoutToken(rel, 'noopener')
  else if (comesWithTab) rel = withToken(rel, 'noopener')
  if (noreferrer !== null) rel = noreferrer.rule.what.noreferrer === true ? withToken(rel, 'noreferrer') : withoutToken(rel, 'noreferrer')
  return {
    rel: rel.length === 0 ? null : rel.join(' '),
    target,
    because: {
      hints: given?.reason ?? reasonFor(facts, ruledHints, 'hints'),
      opens: reasonFor(facts, ruledOpens, 'opens'),
      noopener: noopener !== null ? byRule(noopener) : comesWithTab ? reasonFor(facts, ruledOpens, 'opens') : null,
      noreferrer: noreferrer === null ? null : byRule(noreferrer),
    },
  }
}

/**
 * Hints that come from where the link stands and not from the rule list: what a contributor linked is a visitor's until
 * somebody has looked at it, whatever else speaks; in a page written for a partner links to them are paid, unless a hand
 * or a binding rule says otherwise.
 */
function givenHints(facts: LinkFacts, ruled: CompiledRule | null): { readonly hints: readonly Hint[]; readonly reason: Reason } | null {
  if (facts.isWaiting) return { hints: ['ugc', 'nofollow'], reason: { by: 'queue' } }
  if (facts.writtenFor === null || facts.handSet.includes('hints') || ruled?.rule.isBinding === true) return null
  return { hints: ['sponsored', 'nofollow'], reason: { by: 'sponsor', name: facts.writtenFor } }
}

function firstSaying(rules: readonly CompiledRule[], attribute: keyof Rule['what']): CompiledRule | null {
  return rules.find(({ rule }) => rule.what[attribute] !== undefined) ?? null
}

const yields = (facts: LinkFacts, { rule }: CompiledRule, answer: Answer): boolean => facts.handSet.includes(answer) && !rule.isBinding

function reasonFor(facts: LinkFacts, decided: CompiledRule | null, answer: Answer): Reason {
  if (decided !== null) return byRule(decided)
  return facts.handSet.includes(answer) ? HAND : BY_SOURCE
}

const byRule = ({ rule, number }: CompiledRule): Reason => ({ by: 'rule', id: rule.id, number, name: rule.name })

/** Same tab: a target that names a frame is left alone; one that `base` would send to a new tab is told to stay. */
function decideTarget(facts: LinkFacts, opens: 'new tab' | 'same tab' | undefined): string | null {
  if (opens === 'new tab') return facts.target?.toLowerCase() === '_blank' ? facts.target : '_blank'
  if (opens !== 'same tab' || !opensNewTab(facts.target ?? facts.baseTarget)) return facts.target
  return opensNewTab(facts.baseTarget) ? '_self' : null
}

/**
 * The decision as changes to the tag. `rel` is left alone when it holds the same tokens already; our own mark is taken off.
 * @param facts - of the same link
 * @param rel - the attribute as written; null when absent
 */
export function changesFor(decision: Decision, facts: LinkFacts, rel: string | null): AttributeChanges {
  const changes: Record<string, string | null> = {}
  if ((decision.rel ?? '') !== facts.rel.join(' ')) changes.rel = decision.rel
  else if (decision.rel === null && rel !== null && facts.rel.length > 0) changes.rel = null
  if (decision.target !== facts.target) changes.target = decision.target
  if (facts.origin === 'written here') changes[BY_HAND] = null
  return changes
}

/** A reason in plain words. */
export function sayReason(reason: Reason): string {
  if (reason.by === 'rule') return `rule ${reason.number}: ${reason.name}`
  if (reason.by === 'sponsor') return `the page is written for ${reason.name}`
  if (reason.by === 'queue') return 'it waits for an editor'
  return reason.by === 'hand' ? 'set by hand' : 'as it was written'
}
