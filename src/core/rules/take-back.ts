import type { Rule } from './rule.ts'

/** A list of rules with what holds below them. */
export interface RuleListState {
  readonly rules: readonly Rule[]
  readonly partnersArePaid: boolean
}

export interface RulesTakenBack extends RuleListState {
  /** Rules that came back, went, or say again what they said; the order, and what holds below them, are one each. */
  readonly back: number
  /** Rules that were changed since and stay as they are, by name; "" for their order. */
  readonly left: readonly string[]
}

const isSame = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b)
const byId = (rules: readonly Rule[]): ReadonlyMap<string, Rule> => new Map(rules.map((rule) => [rule.id, rule]))

/**
 * Takes one change of a list back, whatever was saved over it since: what that touched is as it was before, as far as nobody has
 * changed it again.
 * @param before - the list that the change was made on
 * @param after - what the change made of it
 * @param now - the list in force
 */
export function takeBackRules(before: RuleListState, after: RuleListState, now: RuleListState): RulesTakenBack {
  const [was, became] = [byId(before.rules), byId(after.rules)]
  const left: string[] = []
  let back = 0
  let rules = now.rules.flatMap((rule) => {
    const [old, changed] = [was.get(rule.id), became.get(rule.id)]
    if (changed === undefined || isSame(old, changed)) return [rule]
    if (!isSame(rule, changed)) {
      if (!isSame(rule, old)) left.push(rule.name)
      return [rule]
    }
    back++
    return old === undefined ? [] : [old]
  })
  const there = byId(now.rules)
  for (const rule of after.rules) {
    const old = was.get(rule.id)
    if (old !== undefined && !isSame(old, rule) && !there.has(rule.id)) left.push(rule.name)
  }
  const isMoved = isOtherOrder(before.rules, after.rules)
  if (isMoved && isOtherOrder(rules, after.rules)) {
    if (isOtherOrder(rules, before.rules)) left.push('')
  } else if (isMoved) {
    rules = inOrderOf(before.rules, rules)
    back++
  }
  for (const [i, rule] of before.rules.entries()) {
    if (became.has(rule.id) || there.has(rule.id)) continue
    // Behind the one that it stood behind, as far as that is there.
    const above = before.rules.slice(0, i).findLast(({ id }) => rules.some((each) => each.id === id))
    rules = rules.toSpliced(above === undefined ? 0 : rules.findIndex(({ id }) => id === above.id) + 1, 0, rule)
    back++
  }
  const isPaidBack = before.partnersArePaid !== after.partnersArePaid && now.partnersArePaid === after.partnersArePaid
  return { rules, partnersArePaid: isPaidBack ? before.partnersArePaid : now.partnersArePaid, back: back + (isPaidBack ? 1 : 0), left }
}

/** Whether rules that two lists have in common stand in another order in them. */
function isOtherOrder(a: readonly Rule[], b: readonly Rule[]): boolean {
  const [ids, others] = [a.map(({ id }) => id), b.map(({ id }) => id)]
  return !isSame(
    ids.filter((id) => others.includes(id)),
    others.filter((id) => ids.includes(id)),
  )
}

/** The rules of a list in the order that another one has them in; those that it has not stay where they stand. */
function inOrderOf(wanted: readonly Rule[], rules: readonly Rule[]): Rule[] {
  const here = byId(rules)
  const ordered = wanted.flatMap(({ id }) => here.get(id) ?? [])
  const moving = new Set(ordered.map(({ id }) => id))
  return rules.map((rule) => (moving.has(rule.id) ? (ordered.shift() ?? rule) : rule))
}
