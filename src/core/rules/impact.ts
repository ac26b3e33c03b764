import { type Decision, decide } from './decide.ts'
import type { LinkFacts } from './facts.ts'
import type { CompiledRule } from './rule.ts'

/** One kind of change ("rel: none → sponsored nofollow") and how often it happens. */
export interface ImpactGroup<Example> {
  readonly before: { readonly rel: string | null; readonly target: string | null }
  readonly after: { readonly rel: string | null; readonly target: string | null }
  readonly links: number
  readonly pages: number
  /** The first few of the group. */
  readonly examples: readonly Example[]
}

/** What a change of rules would do, most frequent kind of change first. */
export interface Impact<Example> {
  readonly looked: number
  readonly links: number
  readonly pages: number
  readonly groups: readonly ImpactGroup<Example>[]
}

/** Examples kept of each group: enough to recognise it, few enough to read. */
const EXAMPLES_PER_GROUP = 3

/** Compares what two rule lists deliver, placement by placement, so that a large site can be looked at in steps. */
export class ImpactTally<Example> {
  readonly #before: readonly CompiledRule[]
  readonly #after: readonly CompiledRule[]
  readonly #groups = new Map<string, { before: Decision; after: Decision; links: number; pages: Set<string>; examples: Example[] }>()
  readonly #pages = new Set<string>()
  #looked = 0
  #links = 0

  constructor(before: readonly CompiledRule[], after: readonly CompiledRule[]) {
    this.#before = before
    this.#after = after
  }

  /** @param example - what is shown of this placement if it stands for its kind of change */
  add(pageId: string, facts: LinkFacts, example: Example): void {
    this.#looked++
    const before = decide(this.#before, facts)
    const after = decide(this.#after, facts)
    if (before.rel === after.rel && before.target === after.target) return
    this.#links++
    this.#pages.add(pageId)
    const key = JSON.stringify([before.rel, before.target, after.rel, after.target])
    const group = this.#groups.get(key) ?? { before, after, links: 0, pages: new Set<string>(), examples: [] }
    this.#groups.set(key, group)
    group.links++
    group.pages.add(pageId)
    if (group.examples.length < EXAMPLES_PER_GROUP) group.examples.push(example)
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
    }
  }
}

const marks = ({ rel, target }: Decision): { rel: string | null; target: string | null } => ({ rel, target })
