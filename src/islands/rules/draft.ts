import { z } from 'zod'
import { RuleBody, type RuleList } from '../../contract/rules.ts'
import { type Conflict, type Rule, type RuleShare, testsOf, type Unheard } from '../../core/rules/index.ts'
import { sayWhat, sayWhich } from './say.ts'

export function emptyRule(): Rule {
  return { id: crypto.randomUUID(), name: '', isOn: true, isBinding: false, when: { all: [{ is: 'kind', of: ['outside'] }] }, what: {} }
}

export function partnersRule(): Rule {
  return {
    ...emptyRule(),
    name: 'Partners’ sites are paid',
    when: { all: [{ is: 'partner' }] },
    what: { hints: ['sponsored', 'nofollow'] },
  }
}

/** Tells whether a rule marks every partner's links as paid, whatever else it says. */
export const marksAllPartners = (rule: Rule): boolean =>
  'all' in rule.when &&
  rule.when.all.length === 1 &&
  testsOf(rule.when).some((test) => test.is === 'partner' && test.of === undefined) &&
  rule.what.hints?.includes('sponsored') === true

/** A rule that says something, of links that can be told apart. */
export const isFinished = (rule: Rule): boolean =>
  sayWhat(rule) !== '' && RuleBody.safeParse({ ...rule, name: rule.name.trim() || 'x' }).success

/** A list of rules as fields that two people can change each for itself: every rule by its id, their order, and what holds below. */
export type RuleFields = { readonly order: readonly string[]; readonly partnersArePaid: boolean } & {
  readonly [rule: `rule ${string}`]: Rule | undefined
}

export const fieldsOf = ({ rules, partnersArePaid, version }: Omit<RuleList, 'rules'> & { readonly rules: readonly Rule[] }) => ({
  value: {
    order: rules.map(({ id }) => id),
    partnersArePaid,
    ...Object.fromEntries(rules.map((rule) => [`rule ${rule.id}`, rule])),
  } as RuleFields,
  version,
})
/** The rules that fields stand for, in their order. */
export const rulesOf = (fields: RuleFields): readonly Rule[] => fields.order.flatMap((id) => fields[`rule ${id}`] ?? [])

/** The change of fields that makes them another list. */
export const changeTo = (before: RuleFields, rules: readonly Rule[]): Partial<RuleFields> => ({
  ...Object.fromEntries(before.order.map((id) => [`rule ${id}`, undefined])),
  ...Object.fromEntries(rules.map((rule) => [`rule ${rule.id}`, rule])),
  order: rules.map(({ id }) => id),
})

/** Fields that were kept in the tab. */
export function readKept(found: unknown): RuleFields | null {
  const read = z.looseObject({ order: z.array(z.string()), partnersArePaid: z.boolean() }).safeParse(found)
  if (!read.success) return null
  const isWhole = read.data.order.every(
    (id) =>
      RuleBody.safeParse(read.data[`rule ${id}`]).success || z.object({ name: z.string() }).safeParse(read.data[`rule ${id}`]).success,
  )
  return isWhole ? (read.data as RuleFields) : null
}

/** What is odd about a rule, in plain words. */
export function warningsFor(
  rule: Rule,
  number: number,
  unheard: readonly Unheard[],
  conflicts: readonly Conflict[],
  share: RuleShare | undefined,
): readonly string[] {
  if (!rule.isOn) return []
  const words: string[] = []
  const covered = unheard.find(({ id }) => id === rule.id)
  if (covered?.isAll === true) words.push(`It can never speak: rule ${covered.effects[0]?.by} has said all of it for all of its links.`)
  else if (covered !== undefined) words.push(`Part of it is never heard: rule ${covered.effects[0]?.by} has said it for all of its links.`)
  else if (share !== undefined && share.means === 0) words.push('No link of this site is like that today.')
  for (const conflict of conflicts.filter(({ unheard: other }) => other === number).slice(0, 2))
    words.push(`Rule ${conflict.heard} says otherwise of ${conflict.links} of its links, and is heard first.`)
  return words
}

export const nameFor = (rule: Rule, nameOf: (id: string) => string): string => `${sayWhich(rule, nameOf)} ${sayWhat(rule)}`.slice(0, 120)
