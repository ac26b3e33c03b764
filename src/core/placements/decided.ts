import { type CompiledSite, type Decision, type LinkFacts, Looks, opensNewTab, type Reason, relTokens, strandOf } from '../rules/index.ts'
import { Classes } from './classes.ts'
import { Column, Numbered } from './columns.ts'
import { classFindings } from './findings.ts'
import type { PlacementRows } from './rows.ts'
import { isPaidLink, isUnmarked, type JudgedPlacement, landsOf } from './set.ts'

/** Facets whose value is the same for all placements of a class. */
export const CLASS_FACETS = ['site', 'host', 'partner', 'strand', 'end', 'by', 'kind'] as const
export type ClassFacet = (typeof CLASS_FACETS)[number]

/** What is known of all placements of a class. */
export interface ClassFacts {
  /** Of one of them: where it stands, its address and its tags are its own. */
  readonly facts: LinkFacts
  readonly decision: Decision
  readonly isPaid: boolean
  readonly isUnmarked: boolean
  readonly isWaiting: boolean
  /** Findings, see {@link classFindings}. */
  readonly bits: number
  /** Whether it lands; undefined where its address tells. */
  readonly lands: boolean | null | undefined
}

const NO_PATHS: ReadonlySet<string> = new Set()
const reasonKey = (reason: Reason): string => (reason.by === 'rule' ? `rule ${reason.id}` : reason.by)

/** How a link ends: what its rope's end shows. */
export const endOf = ({ facts, decision }: Pick<JudgedPlacement, 'facts' | 'decision'>): 'file' | 'new tab' | 'same tab' =>
  facts.kind === 'file' ? 'file' : opensNewTab(decision.target ?? facts.baseTarget) ? 'new tab' : 'same tab'

/** What the rules in force decide, class by class. */
export class Decided {
  readonly classes: Classes
  readonly known: ClassFacts[] = []
  readonly facets = Object.fromEntries(CLASS_FACETS.map((facet) => [facet, { values: new Numbered(), of: new Column() }])) as Record<
    ClassFacet,
    { readonly values: Numbered; readonly of: Column }
  >
  readonly #rows: PlacementRows

  constructor(rows: PlacementRows, site: CompiledSite) {
    this.#rows = rows
    this.classes = new Classes(rows, new Looks(site.rules))
  }

  /** The class of a row, decided when it is met for the first time. */
  classOf(i: number): number {
    const number = this.classes.of(i)
    if (number >= this.known.length) this.#meet(number, i)
    return number
  }

  #meet(number: number, i: number): void {
    const judged = this.#rows.judgedAt(i)
    if (judged === null) throw new RangeError(`There is no row ${i}`)
    const { facts, decision } = judged
    this.known[number] = {
      facts,
      decision,
      isPaid: isPaidLink(judged),
      isUnmarked: isUnmarked(judged),
      isWaiting: facts.isWaiting,
      bits: classFindings(judged),
      lands: facts.kind === 'inside page' || facts.kind === 'file' ? undefined : landsOf(facts, NO_PATHS),
    }
    const set = (facet: ClassFacet, value: string): void => this.facets[facet].of.set(number, this.facets[facet].values.numberOf(value))
    set('site', facts.site ?? '')
    set('host', facts.host)
    set('partner', facts.partner ?? '')
    set('kind', facts.kind ?? 'no address')
    set('strand', strandOf(relTokens(decision.rel)))
    set('end', endOf(judged))
    set('by', reasonKey(decision.because.hints))
  }
}
