import { type Decision, decide, type Reason } from './decide.ts'
import type { LinkFacts } from './facts.ts'
import { type CompiledRule, EFFECTS, type Effect } from './rule.ts'

type Marks = Pick<Decision, 'rel' | 'target'>

/** One kind of change ("rel: none → sponsored nofollow") and how often it happens. */
export interface ImpactGroup<Example> {
  readonly before: Marks
  readonly after: Marks
  readonly links: number
  readonly pages: number
  /** The first few of the group. */
  readonly examples: readonly Example[]
}

/** How many links of a page, or to a site, would change. */
export interface Share {
  readonly name: string
  readonly links: number
}

/** What becomes of one rule: how many links it means, for how many it decides something, and who decides instead. */
export interface RuleShare {
  readonly id: string
  readonly means: number
  readonly decides: number
  /** Of the links it means, those where others decide what it would say, most first. */
  readonly instead: readonly { readonly reason: Reason; readonly links: number }[]
}

/** Two rules that say different things of the same links; the earlier one is heard. */
export interface Conflict {
  readonly effect: Effect
  readonly heard: number
  readonly unheard: number
  readonly links: number
}

/** What a change of rules would do, most frequent kind of change first. */
export interface Impact<Example> {
  readonly looked: number
  readonly links: number
  readonly pages: number
  readonly groups: readonly ImpactGroup<Example>[]
  readonly byPage: readonly Share[]
  readonly bySite: readonly Share[]
  readonly rules: readonly RuleShare[]
  readonly conflicts: readonly Conflict[]
}

/** Examples kept of each group: enough to recognise it, few enough to read. */
const EXAMPLES_PER_GROUP = 3
/** Pages and sites listed; the rest is in the totals. */
const SHARES_MAX = 20

/** Compares what two rule lists deliver, placement by placement, so that a large site can be looked at in steps. */
export class ImpactTally<Example> {
  readonly #before: readonly CompiledRule[]
  readonly #after: readonly CompiledRule[]
  readonly #groups = new Map<string, { before: Decision; after: Decision; links: number; pages: Set<string>; examples: Example[] }>()
  readonly #pages = new Map<string, number>()
  readonly #sites = new Map<string, number>()
  readonly #rules: Map<string, { means: number; decides: number; instead: Map<string, { reason: Reason; links: number }> }>
  readonly #conflicts = new Map<string, { effect: Effect; heard: number; unheard: number; links: number }>()
  #looked = 0
  #links = 0

  constructor(before: readonly CompiledRule[], after: readonly CompiledRule[]) {
    this.#before = before
    this.#after = after
    this.#rules = new Map(after.map(({ rule }) => [rule.id, { means: 0, decides: 0, instead: new Map() }]))
  }

  /**
   * @param page - its path
   * @param example - what is shown of this placement if it stands for its kind of change
   * @param known - its decision by the rules before, where it has been made already
   */
  add(page: string, facts: LinkFacts, example: Example, known?: Decision): void {
    this.#looked++
    const before = known ?? decide(this.#before, facts)
    const after = decide(this.#after, facts)
    this.#weigh(facts, after)
    if (isSame(before, after)) return
    this.#links++
    this.#pages.set(page, (this.#pages.get(page) ?? 0) + 1)
    const site = facts.site ?? 'no site'
    this.#sites.set(site, (this.#sites.get(site) ?? 0) + 1)
    const key = `${before.rel}\n${before.target}\n${after.rel}\n${after.target}\n${after.also === before.also ? '' : JSON.stringify([before.also, after.also])}`
    let group = this.#groups.get(key)
    if (group === undefined) {
      group = { before, after, links: 0, pages: new Set<string>(), examples: [] }
      this.#groups.set(key, group)
    }
    group.links++
    group.pages.add(page)
    if (group.examples.length < EXAMPLES_PER_GROUP) group.examples.push(example)
  }

  /** Counts what each rule means and decides, and where two speak of the same thing. */
  #weigh(facts: LinkFacts, { because }: Decision): void {
    const heard: Partial<Record<Effect, CompiledRule>> = {}
    for (const compiled of this.#after) {
      if (!compiled.matches(facts)) continue
      const { rule, number } = compiled
      const share = this.#rules.get(rule.id)
      if (share === undefined) continue
      share.means++
      let isDeciding = false
      let other: Reason | null = null
      for (const effect of EFFECTS) {
        const said = rule.what[effect]
        if (said === undefined) continue
        const reason = because[effect]
        if (reason?.by === 'rule' && reason.id === rule.id) isDeciding = true
        else if (reason !== null && reason.by !== 'source') other = reason
        const first = heard[effect]
        if (first === undefined) heard[effect] = compiled
        else if (!isSameSaying(first.rule.what[effect], said)) {
          const key = `${effect} ${first.number} ${number}`
          const conflict = this.#conflicts.get(key) ?? { effect, heard: first.number, unheard: number, links: 0 }
          conflict.links++
          this.#conflicts.set(key, conflict)
        }
      }
      if (isDeciding) share.decides++
      else if (other !== null) {
        const key = other.by === 'rule' ? `rule ${other.id}` : other.by
        const instead = share.instead.get(key) ?? { reason: other, links: 0 }
        instead.links++
        share.instead.set(key, instead)
      }
    }
  }

  result(): Impact<Example> {
    const groups = [...this.#groups.values()].sort((a, b) => b.links - a.links)
    return {
      looked: this.#looked,
      links: this.#links,
      pages: this.#pages.size,
      groups: groups.map(({ before, after, links, pages, examples }) => ({
        before: marks(before),
        after: marks(after),
        links,
        pages: pages.size,
        examples,
      })),
      byPage: shares(this.#pages),
      bySite: shares(this.#sites),
      rules: [...this.#rules].map(([id, { means, decides, instead }]) => ({
        id,
        means,
        decides,
        instead: [...instead.values()].sort((a, b) => b.links - a.links),
      })),
      conflicts: [...this.#conflicts.values()].sort((a, b) => b.links - a.links),
    }
  }
}

const marks = ({ rel, target }: Decision): Marks => ({ rel, target })

const isSame = (a: Decision, b: Decision): boolean =>
  a.rel === b.rel && a.target === b.target && (a.also === b.also || JSON.stringify(a.also) === JSON.stringify(b.also))

const isSameSaying = (a: unknown, b: unknown): boolean => a === b || (Array.isArray(a) && Array.isArray(b) && a.join(' ') === b.join(' '))

const shares = (counts: ReadonlyMap<string, number>): readonly Share[] =>
  [...counts]
    .sort((a, b) => b[1] - a[1])
    .slice(0, SHARES_MAX)
    .map(([name, links]) => ({ name, links }))
