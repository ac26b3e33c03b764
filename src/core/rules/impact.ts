import { type Decision, decide } from './decide.ts'
import type { LinkFacts } from './facts.ts'
import type { CompiledRule } from './rule.ts'

/** A placement with what is needed to tell it to people again. */
export interface PlacementFacts {
  readonly pageId: string
  readonly facts: LinkFacts
}

/** One kind of change ("rel: none → sponsored nofollow") and how often it happens. */
export interface ImpactGroup {
  readonly before: { readonly rel: string | null; readonly target: string | null }
  readonly after: { readonly rel: string | null; readonly target: string | null }
  readonly links: number
  readonly pages: number
  /** Indexes into the placements given, the first few of the group. */
  readonly examples: readonly number[]
}

/** What a change of rules would do, most frequent kind of change first. */
export interface Impact {
  readonly looked: number
  readonly links: number
  readonly pages: number
  readonly groups: readonly ImpactGroup[]
}

/** Examples kept of each group: enough to recognise it, few enough to read. */
const EXAMPLES_PER_GROUP = 3

/** Compares what two rule lists deliver for the same placements. */
export function impact(placements: readonly PlacementFacts[], before: readonly CompiledRule[], after: readonly CompiledRule[]): Impact {
  const groups = new Map<string, { before: Decision; after: Decision; links: number; pages: Set<string>; examples: number[] }>()
  const pages = new Set<string>()
  let links = 0
  placements.forEach(({ pageId, facts }, index) => {
    const old = decide(before, facts)
    const next = decide(after, facts)
    if (old.rel === next.rel && old.target === next.target) return
    links++
    pages.add(pageId)
    const key = JSON.stringify([old.rel, old.target, next.rel, next.target])
    const group = groups.get(key) ?? { before: old, after: next, links: 0, pages: new Set<string>(), examples: [] }
    groups.set(key, group)
    group.links++
    group.pages.add(pageId)
    if (group.examples.length < EXAMPLES_PER_GROUP) group.examples.push(index)
  })
  return {
    looked: placements.length,
    links,
    pages: pages.size,
    groups: [...groups.values()]
      .sort((a, b) => b.links - a.links)
      .map((group) => ({
        before: marks(group.before),
        after: marks(group.after),
        links: group.links,
        pages: group.pages.size,
        examples: group.examples,
      })),
  }
}

const marks = ({ rel, target }: Decision): { rel: string | null; target: string | null } => ({ rel, target })
