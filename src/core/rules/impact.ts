import { type Decision, decide, type Reason } from './decide.ts'
import type { LinkFacts } from './facts.ts'
import { type CompiledRule, EFFECTS, type Effect, needsOf } from './rule.ts'

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
export const EXAMPLES_PER_GROUP = 3
/** Pages and sites listed; the rest is in the totals. */
const SHARES_MAX = 20

/**
 * The same text for links of which rules that ask neither for addresses nor for where a link stands cannot say different
 * things.
 */
export function alikeKey(facts: LinkFacts): string {
  const { kind, site, host, partner, isPartner, isOutside, origin, shows, handSet, writtenFor, isWaiting, rel, target, baseTarget } = facts
  const yes =
    (isPartner ? 1 : 0) + (isOutside ? 2 : 0) + (isWaiting ? 4 : 0) + (origin === 'imported' ? 8 : 0) + (shows === 'text' ? 16 : 0)
  return [kind, yes, site, host, partner, handSet.join(' '), writtenFor, rel.join(' '), target ?? '\0', baseTarget ?? '\0'].join('\n')
}

/** An {@link alikeKey} without where the link leads: what else makes it what it is. */
export function withoutSite(key: string): string {
  const [kind, yes, , , ...rest] = key.split('\n')
  return [kind, yes, ...rest].join('\n')
}

/** What stands in an {@link alikeKey}: the kind, "" for what is no address, and the host, "" for none. */
export function readAlikeKey(key: string): { readonly kind: string; readonly host: string; readonly site: string } {
  const [kind = '', , site = '', host = ''] = key.split('\n', 4)
  return { kind, site, host }
}

/** What two rule lists say of links that are alike. */
export interface Compared<Example> {
  readonly facts: LinkFacts
  readonly before: Decision
  readonly after: Decision
  /** Null where nothing changes. */
  readonly key: string | null
  links: number
  group: Group<Example> | null
}

interface Group<Example> {
  readonly before: Decision
  readonly after: Decision
  links: number
  readonly pages: Set<string>
  lastPage: string | null
  readonly examples: Example[]
}

/** Compares what two rule lists deliver, placement by placement, so that a large site can be looked at in steps. */
export class ImpactTally<Example> {
  readonly #before: readonly CompiledRule[]
  readonly #after: readonly CompiledRule[]
  readonly #groups = new Map<string, Group<Example>>()
  readonly #pages = new Map<string, number>()
  readonly #sites = new Map<string, number>()
  readonly #rules: Map<string, { means: number; decides: number; instead: Map<string, { reason: Reason; links: number }> }>
  readonly #conflicts = new Map<string, { effect: Effect; heard: number; unheard: number; links: number }>()
  /** By what makes them alike; null where rules look at more than that. */
  readonly #alike: Map<number, Compared<Example>> | null
  readonly #compared: Compared<Example>[] = []
  /** The page that is being counted, and how many of its links so far. */
  #page: string | null = null
  #onPage = 0
  #looked = 0
  #links = 0

  constructor(before: readonly CompiledRule[], after: readonly CompiledRule[]) {
    this.#before = before
    this.#after = after
    this.#rules = new Map(after.map(({ rule }) => [rule.id, { means: 0, decides: 0, instead: new Map() }]))
    const needs = [needsOf(before), needsOf(after)]
    this.#alike = needs.some(({ place, address }) => place || address) ? null : new Map()
  }

  /**
   * @param page - its path
   * @param example - what is shown of this placement if it stands for its kind of change
   * @param known - its decision by the rules before, where it has been made already
   * @param alike - a number that placements of the same {@link alikeKey} share; left out where nobody has counted them
   */
  add(page: string, facts: LinkFacts, example: Example, known?: Decision, alike?: number): void {
    const seen = alike === undefined ? undefined : this.#alike?.get(alike)
    const compared = seen ?? this.compare(facts, known)
    if (alike !== undefined) this.#alike?.set(alike, compared)
    this.count(compared, page)
    if (compared.key !== null) this.countSite(compared.facts.site ?? '', 1)
    this.show(compared, example)
  }

  /** Counts changed placements by where they lead. @param site - "" for none */
  countSite(site: string, links: number): void {
    const name = site === '' ? 'no site' : site
    this.#sites.set(name, (this.#sites.get(name) ?? 0) + links)
  }

  /**
   * Counts placements of one page of which it is known already what the two lists say. Cheap where all placements of a page
   * are counted before those of the next one: a site has a million.
   */
  count(compared: Compared<Example>, page: string, links = 1): void {
    this.#looked += links
    compared.links += links
    const { key } = compared
    if (key === null) return
    this.#links += links
    if (page !== this.#page) this.#turnTo(page)
    this.#onPage += links
    let { group } = compared
    if (group === null) {
      group = this.#groups.get(key) ?? {
        before: compared.before,
        after: compared.after,
        links: 0,
        pages: new Set<string>(),
        lastPage: null,
        examples: [],
      }
      this.#groups.set(key, group)
      compared.group = group
    }
    group.links += links
    if (group.lastPage !== page) {
      group.lastPage = page
      group.pages.add(page)
    }
  }

  /** Whether the kind of change that a placement stands for has too few examples yet. It has been counted. */
  wantsExamples({ group }: Compared<Example>): boolean {
    return group !== null && group.examples.length < EXAMPLES_PER_GROUP
  }

  /** Takes an example where one is wanted. It has been counted. */
  show(compared: Compared<Example>, example: Example): void {
    if (this.wantsExamples(compared)) compared.group?.examples.push(example)
  }

  #turnTo(page: string | null): void {
    if (this.#page !== null) this.#pages.set(this.#page, (this.#pages.get(this.#page) ?? 0) + this.#onPage)
    this.#page = page
    this.#onPage = 0
  }

  /**
   * What the two lists say of a link, and of all that neither of them tells from it. Nothing is counted by that.
   * @param known - its decision by the rules before, where it has been made already
   */
  compare(facts: LinkFacts, known?: Decision): Compared<Example> {
    const before = known ?? decide(this.#before, facts)
    const after = decide(this.#after, facts)
    const also = after.also === before.also ? '' : JSON.stringify([before.also, after.also])
    const key = isSame(before, after) ? null : `${before.rel}\n${before.target}\n${after.rel}\n${after.target}\n${also}`
    const compared: Compared<Example> = { facts, before, after, key, links: 0, group: null }
    this.#compared.push(compared)
    return compared
  }

  /** Counts what each rule means and decides, and where two speak of the same thing. */
  #weigh({ facts, after: { because }, links }: Compared<Example>): void {
    const heard: Partial<Record<Effect, CompiledRule>> = {}
    for (const compiled of this.#after) {
      if (!compiled.matches(facts)) continue
      const { rule, number } = compiled
      const share = this.#rules.get(rule.id)
      if (share === undefined) continue
      share.means += links
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
          conflict.links += links
          this.#conflicts.set(key, conflict)
        }
      }
      if (isDeciding) share.decides += links
      else if (other !== null) {
        const key = other.by === 'rule' ? `rule ${other.id}` : other.by
        const instead = share.instead.get(key) ?? { reason: other, links: 0 }
        instead.links += links
        share.instead.set(key, instead)
      }
    }
  }

  /** What was found. Nothing can be added after it. */
  result(): Impact<Example> {
    this.#turnTo(null)
    for (const compared of this.#compared.splice(0)) this.#weigh(compared)
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
    .sort((a, b) => b[1] - a[1] || (a[0] < b[0] ? -1 : 1))
    .slice(0, SHARES_MAX)
    .map(([name, links]) => ({ name, links }))
