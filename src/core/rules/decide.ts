import { type Told, tell } from '../../words/index.ts'
import { type Attribute, type AttributeChanges, valueNamed } from '../markup/index.ts'
import { ANSWERS, type Answer, BY_HAND, type LinkFacts, TAGS } from './facts.ts'
import { LOWEST } from './lowest.ts'
import { type Hint, hasToken, opensNewTab, type RelTokens, withHints, withoutToken, withToken } from './rel.ts'
import type { CompiledRule, Effect, Effects } from './rule.ts'

/** Who decided: a rule, a person, the source as it came, or our own care (`noopener` where a new tab opens). */
export type Reason =
  | { readonly by: 'rule'; readonly id: string; readonly number: number; readonly name: string }
  | { readonly by: 'hand' }
  /** The page is written for the partner whose site the link leads to. */
  | { readonly by: 'sponsor'; readonly name: string }
  /** A contributor made it, and it waits for an editor. */
  | { readonly by: 'queue' }
  /** Nothing else speaks, and links to partners are paid. */
  | { readonly by: 'lowest' }
  | { readonly by: 'source' }

/** What a link is delivered with, and because of whom, attribute by attribute. */
export interface Decision {
  /** Value of `rel`; null for none. */
  readonly rel: string | null
  /** Value of `target`; null for none. */
  readonly target: string | null
  /** What rules say beyond `rel` and `target`; left out where they say nothing. */
  readonly also: Pick<Effects, 'referrer' | 'mark' | 'spoken' | 'title'>
  readonly because: {
    readonly hints: Reason
    readonly opens: Reason
    /** Who brought `noopener` or kept it away; where it came with a new tab, who opens that. Null when it is as written. */
    readonly noopener: Reason | null
    readonly noreferrer: Reason | null
    /** Null where no rule speaks of it. */
    readonly referrer: Reason | null
    readonly mark: Reason | null
    readonly spoken: Reason | null
    readonly title: Reason | null
  }
}

const BY_SOURCE: Reason = { by: 'source' }
const HAND: Reason = { by: 'hand' }
const NOTHING = {} as const

/**
 * Decides one link: for each attribute the first rule that speaks, where a rule that is not binding yields to what is
 * hand-set. Tokens of `rel` that no rule speaks of stay. A new tab brings `noopener`, unless the link asks for `opener` or
 * a rule says otherwise (PRODUCT 6.3).
 */
export function decide(rules: readonly CompiledRule[], facts: LinkFacts): Decision {
  const said: Partial<Record<Effect, CompiledRule>> = {}
  for (const compiled of rules) {
    if (!compiled.matches(facts)) continue
    for (const effect in compiled.rule.what) {
      const name = effect as Effect
      if (said[name] !== undefined || compiled.rule.what[name] === undefined) continue
      if (yields(facts, compiled, name)) continue
      said[name] = compiled
    }
  }
  const given = givenHints(facts, said.hints)
  let rel: RelTokens = facts.rel
  if (given !== null) rel = withHints(rel, given.hints)
  else if (said.hints?.rule.what.hints !== undefined) rel = withHints(rel, said.hints.rule.what.hints)
  const target = decideTarget(facts, said.opens?.rule.what.opens)
  const isDecided = said.opens !== undefined || facts.handSet.includes('opens')
  const { noopener, noreferrer } = said
  const isTab = opensNewTab(target ?? facts.baseTarget)
  const comesWithTab = noopener === undefined && isDecided && isTab && !hasToken(rel, 'opener') && !hasToken(rel, 'noopener')
  if (noopener !== undefined) rel = noopener.rule.what.noopener === true ? withToken(rel, 'noopener') : withoutToken(rel, 'noopener')
  else if (comesWithTab) rel = withToken(rel, 'noopener')
  if (noreferrer !== undefined)
    rel = noreferrer.rule.what.noreferrer === true ? withToken(rel, 'noreferrer') : withoutToken(rel, 'noreferrer')
  const spoken = isTab ? said.spoken : undefined
  return {
    rel: rel.length === 0 ? null : rel.join(' '),
    target,
    also: (said.referrer ?? said.mark ?? spoken ?? said.title) ? alsoSaid(said, spoken, facts) : NOTHING,
    because: {
      hints: given?.reason ?? reasonFor(facts, said.hints, 'hints'),
      opens: reasonFor(facts, said.opens, 'opens'),
      noopener: noopener !== undefined ? byRule(noopener) : comesWithTab ? reasonFor(facts, said.opens, 'opens') : null,
      noreferrer: orNull(noreferrer),
      referrer: orNull(said.referrer),
      mark: orNull(said.mark),
      spoken: orNull(spoken),
      title: orNull(said.title),
    },
  }
}

function alsoSaid(said: Partial<Record<Effect, CompiledRule>>, spoken: CompiledRule | undefined, facts: LinkFacts): Decision['also'] {
  const title = said.title?.rule.what.title
  return {
    ...(said.referrer === undefined ? {} : { referrer: said.referrer.rule.what.referrer }),
    ...(said.mark === undefined ? {} : { mark: said.mark.rule.what.mark }),
    ...(spoken === undefined ? {} : { spoken: spoken.rule.what.spoken }),
    ...(title === undefined ? {} : { title: title.replaceAll('{site}', facts.site ?? '') }),
  }
}

/**
 * Hints that come from where the link stands and not from the rule list: what a contributor linked is a visitor's until
 * somebody has looked at it, whatever else speaks; in a page written for a partner links to them are paid, unless a hand
 * or a binding rule says otherwise.
 */
function givenHints(
  facts: LinkFacts,
  ruled: CompiledRule | undefined,
): { readonly hints: readonly Hint[]; readonly reason: Reason } | null {
  if (facts.isWaiting) return { hints: ['ugc', 'nofollow'], reason: { by: 'queue' } }
  if (facts.writtenFor === null || facts.handSet.includes('hints') || ruled?.rule.isBinding === true) return null
  return { hints: ['sponsored', 'nofollow'], reason: { by: 'sponsor', name: facts.writtenFor } }
}

/** A hand speaks of hints and of how a link opens; a rule that is not binding gives way to it there. */
const yields = (facts: LinkFacts, { rule }: CompiledRule, effect: Effect): boolean =>
  !rule.isBinding && (ANSWERS as readonly string[]).includes(effect) && facts.handSet.includes(effect as Answer)

function reasonFor(facts: LinkFacts, decided: CompiledRule | undefined, answer: Answer): Reason {
  if (decided !== undefined) return byRule(decided)
  return facts.handSet.includes(answer) ? HAND : BY_SOURCE
}

const BY_LOWEST: Reason = { by: 'lowest' }
const byRule = ({ rule, number }: CompiledRule): Reason =>
  number === LOWEST ? BY_LOWEST : { by: 'rule', id: rule.id, number, name: rule.name }
const orNull = (compiled: CompiledRule | undefined): Reason | null => (compiled === undefined ? null : byRule(compiled))

/** Same tab: a target that names a frame is left alone; one that `base` would send to a new tab is told to stay. */
function decideTarget(facts: LinkFacts, opens: 'new tab' | 'same tab' | undefined): string | null {
  if (opens === 'new tab') return facts.target?.toLowerCase() === '_blank' ? facts.target : '_blank'
  if (opens !== 'same tab' || !opensNewTab(facts.target ?? facts.baseTarget)) return facts.target
  return opensNewTab(facts.baseTarget) ? '_self' : null
}

/** A link's start tag as written, and its words; the words are only asked for where something depends on them. */
export interface WrittenTag {
  readonly html: string
  readonly attributes: readonly Attribute[]
  readonly rel: string | null
  words(): string
}

/** A small arrow, in a grey that is read on light and dark grounds alike, behind the last word. Ours alone, so that it is known again. */
const MARK_STYLE =
  "padding-right:.85em;background:url(\"data:image/svg+xml,%3Csvg xmlns='http://www.w3.org/2000/svg' viewBox='0 0 10 10'%3E%3Cpath d='M3 7 7.5 2.5M4 2.5h3.5V6' fill='none' stroke='%23767676' stroke-width='1.3'/%3E%3C/svg%3E\") no-repeat right center/.75em"

/**
 * The decision as changes to the tag. `rel` is left alone when it holds the same tokens already.
 * @param facts - of the same link
 * @param keepMarks - leaves our own marks in: for what is written into stored content rather than delivered
 */
export function changesFor(decision: Decision, facts: LinkFacts, tag: WrittenTag, keepMarks = false): AttributeChanges {
  const changes: Record<string, string | null> = {}
  if ((decision.rel ?? '') !== facts.rel.join(' ')) changes.rel = decision.rel
  else if (decision.rel === null && tag.rel !== null && facts.rel.length > 0) changes.rel = null
  if (decision.target !== facts.target) changes.target = decision.target
  if (decision.also !== NOTHING) alsoChanges(decision, facts, tag, changes)
  if (keepMarks) return changes
  if (facts.origin === 'written here') changes[BY_HAND] = null
  if (facts.linkTags !== null) changes[TAGS] = null
  return changes
}

function alsoChanges({ also }: Decision, facts: LinkFacts, tag: WrittenTag, changes: Record<string, string | null>): void {
  const value = (name: string): string | null => valueNamed(tag.html, tag.attributes, name)
  if (also.referrer !== undefined && value('referrerpolicy')?.toLowerCase() !== also.referrer) changes.referrerpolicy = also.referrer
  if (also.title !== undefined && (value('title') ?? '') !== also.title) changes.title = also.title === '' ? null : also.title
  const style = value('style')
  const isMarked = style?.includes(MARK_STYLE) === true
  if (also.mark === true && !isMarked && facts.shows === 'text')
    changes.style = style === null || style.trim() === '' ? MARK_STYLE : `${style.replace(/;?\s*$/, ';')}${MARK_STYLE}`
  if (also.mark === false && isMarked) changes.style = style?.replace(MARK_STYLE, '').replace(/;\s*$/, '') || null
  if (also.spoken !== undefined && also.spoken !== '') {
    const label = value('aria-label') ?? tag.words()
    if (label !== '' && !label.endsWith(also.spoken)) changes['aria-label'] = `${label}, ${also.spoken}`
  }
}

/** By what links that were decided alike are put together: the kind of each reason, a rule by its number. */
export const orderOfBecause = ({ because: { hints, noopener, noreferrer } }: Decision): string =>
  [hints, noopener, noreferrer]
    .map((reason) => (reason === null ? '' : reason.by === 'rule' ? `rule ${String(reason.number).padStart(6, '0')}` : reason.by))
    .join(' ')

/** A reason as it is told. */
export function tellReason(reason: Reason): Told {
  if (reason.by === 'rule') return tell('because.rule', { number: reason.number, name: reason.name })
  if (reason.by === 'sponsor') return tell('because.sponsor', { partner: reason.name })
  if (reason.by === 'queue') return tell('because.queue')
  if (reason.by === 'lowest') return tell('because.lowest')
  return reason.by === 'hand' ? tell('because.hand') : tell('because.source')
}

const SAID: Readonly<Record<keyof Decision['because'], Told>> = {
  hints: tell('decided.hints'),
  opens: tell('decided.opens'),
  noopener: tell('decided.noopener'),
  noreferrer: tell('decided.noreferrer'),
  referrer: tell('decided.referrer'),
  mark: tell('decided.mark'),
  spoken: tell('decided.spoken'),
  title: tell('decided.title'),
}

/** Each attribute of a link with who decided it; the two questions first, then what else was decided. */
export function explain({ because }: Decision): readonly { readonly what: Told; readonly reason: Reason }[] {
  return (Object.keys(SAID) as (keyof Decision['because'])[]).flatMap((key) => {
    const reason = because[key]
    return reason === null ? [] : [{ what: SAID[key], reason }]
  })
}

/** Why `rel` and `target` are what they are. */
export function becauseOf({ because }: Decision): { rel: Told; target: Told } {
  const others = (['noopener', 'noreferrer'] as const).flatMap((token) => {
    const reason = because[token]
    return reason === null ? [] : [tell('because.token', { token, why: tellReason(reason) })]
  })
  const hints = because.hints.by === 'source' && others.length > 0 ? [] : [tellReason(because.hints)]
  const [first, ...more] = [...hints, ...others]
  return {
    rel: first !== undefined && more.length === 0 ? first : tell('because.all', { each: [...hints, ...others] }),
    target: tellReason(because.opens),
  }
}
