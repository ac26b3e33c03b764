import type { LinkFacts } from '../rules/index.ts'
import { opensNewTab, relTokens } from '../rules/index.ts'
import { isPaidLink, isUnmarked, type JudgedPlacement, type Placement } from './set.ts'
import type { Words } from './words.ts'

/** A placement with what follows from its site's addresses alone. */
export interface PlacementRead {
  readonly placement: Placement
  readonly facts: LinkFacts
  readonly words: Words
}

/** What is known of a whole site that one placement does not show. */
export interface SiteKnowledge {
  /** Hosts that some link leads to by https. */
  readonly httpsHosts: { has(host: string): boolean }
}

/**
 * What a finding is told by, and so when it is looked for again:
 * - `row`: a placement by itself; looked for once, and kept. `given` is what must hold of the site besides
 * - `class`: what rules decide, the same for all links that they cannot tell apart
 * - `landing`: whether the destination is there; null where only a visit could tell
 * - `page`: the paid links of a page, in their order, by their paragraphs. It answers which of them, counted from 0
 */
type FindingTest =
  | {
      readonly scope: 'row'
      readonly test: (read: PlacementRead) => boolean
      readonly given?: (facts: Pick<LinkFacts, 'host'>, site: SiteKnowledge) => boolean
    }
  | { readonly scope: 'class'; readonly test: (judged: JudgedPlacement) => boolean }
  | { readonly scope: 'landing'; readonly test: (lands: boolean | null) => boolean }
  | { readonly scope: 'page'; readonly test: (paragraphs: readonly number[], words: number | null) => readonly number[] }
/** @property bit - kept on disk: never another's, and not given again */
type FindingRow = FindingTest & { readonly bit: number }

/** Paid links that an article bears: three, and one more for every so many words beyond a long one (PRODUCT 2.7). */
const PAID_MOST = 3
const LONG_WORDS = 1_200
const WORDS_A_LINK = 400
export const paidMost = (words: number | null): number => PAID_MOST + Math.max(0, Math.floor(((words ?? 0) - LONG_WORDS) / WORDS_A_LINK))

const opensTab = ({ facts, decision }: JudgedPlacement): boolean => opensNewTab(decision.target ?? facts.baseTarget)
const KEEPS_OPENER_AWAY: ReadonlySet<string> = new Set(['noopener', 'noreferrer', 'opener'])
const isOwn = ({ kind }: LinkFacts): boolean => kind === 'inside page' || kind === 'section' || kind === 'file'

/** What a careful editor would mend. The order is the order they are shown in. */
const TABLE = {
  unmarked: { bit: 0, scope: 'class', test: isUnmarked },
  'does not land': { bit: 1, scope: 'landing', test: (lands) => lands === false },
  'many paid in a paragraph': {
    bit: 2,
    scope: 'page',
    test(paragraphs) {
      const met = new Set<number>()
      return paragraphs.flatMap((paragraph, k) => (met.size === met.add(paragraph).size ? [k] : []))
    },
  },
  'many paid on a page': {
    bit: 3,
    scope: 'page',
    test: (paragraphs, words) => [...paragraphs.keys()].slice(paidMost(words)),
  },
  'no partner': {
    bit: 4,
    scope: 'class',
    test: (judged) => isPaidLink(judged) && !judged.facts.isPartner && judged.facts.writtenFor === null,
  },
  'same tab': { bit: 5, scope: 'class', test: (judged) => judged.facts.isOutside && !opensTab(judged) },
  'no noopener': {
    bit: 6,
    scope: 'class',
    test: (judged) =>
      judged.facts.isOutside &&
      opensTab(judged) &&
      !relTokens(judged.decision.rel).some((token) => KEEPS_OPENER_AWAY.has(token.toLowerCase())),
  },
  'bare address': { bit: 7, scope: 'row', test: ({ words }) => words === 'bare address' },
  'says little': { bit: 8, scope: 'row', test: ({ words }) => words === 'says little' },
  'no words': { bit: 9, scope: 'row', test: ({ words }) => words === 'no words' },
  'picture without words': { bit: 10, scope: 'row', test: ({ words }) => words === 'picture without words' },
  http: {
    bit: 11,
    scope: 'row',
    test: ({ facts }) => facts.isOutside && facts.address?.startsWith('http:') === true,
    given: ({ host }, { httpsHosts }) => httpsHosts.has(host),
  },
  'own domain': {
    bit: 12,
    scope: 'row',
    test: ({ facts, placement: { written } }) => isOwn(facts) && /^(?:https?:)?\/\//i.test(written.href) && written.baseHref === null,
  },
} as const satisfies Record<string, FindingRow>

export type Finding = keyof typeof TABLE
export const FINDINGS = Object.keys(TABLE) as readonly Finding[]
const ROWS: Readonly<Record<Finding, FindingRow>> = TABLE

/** A finding as its bit. */
export const bitOf = (finding: Finding): number => 1 << ROWS[finding].bit
/** Every set of findings is a number below this. */
export const FINDING_SETS = 2 ** (Math.max(...FINDINGS.map((finding) => ROWS[finding].bit)) + 1)

export const hasFinding = (bits: number, finding: Finding): boolean => (bits & bitOf(finding)) !== 0

const bitsOf = (findings: readonly Finding[]): number => findings.reduce((bits, finding) => bits | bitOf(finding), 0)
function within<S extends FindingRow['scope']>(scope: S): readonly (Extract<FindingRow, { scope: S }> & { readonly mask: number })[] {
  return FINDINGS.flatMap((finding) => {
    const row = ROWS[finding]
    return row.scope === scope ? [{ ...(row as Extract<FindingRow, { scope: S }>), mask: bitOf(finding) }] : []
  })
}
const [OF_ROW, OF_CLASS, OF_LANDING, OF_PAGE] = [within('row'), within('class'), within('landing'), within('page')]
const GIVEN = OF_ROW.filter(({ given }) => given !== undefined)
/** Findings that a row keeps. */
export const ROW_BITS = bitsOf(FINDINGS.filter((finding) => ROWS[finding].scope === 'row'))

/** Of a placement by itself, as bits; see {@link givenFindings} for what must hold besides. */
export const rowFindings = (read: PlacementRead): number => OF_ROW.reduce((bits, { test, mask }) => (test(read) ? bits | mask : bits), 0)

/** Takes out of a row's findings what does not hold of its site. */
export function givenFindings(bits: number, facts: Pick<LinkFacts, 'host'>, site: SiteKnowledge): number {
  let left = bits
  for (const { mask, given } of GIVEN) if ((left & mask) !== 0 && given?.(facts, site) === false) left &= ~mask
  return left
}

/** Of what rules decide. */
export const classFindings = (judged: JudgedPlacement): number =>
  OF_CLASS.reduce((bits, { test, mask }) => (test(judged) ? bits | mask : bits), 0)

const ofLanding = (lands: boolean | null): number => OF_LANDING.reduce((bits, { test, mask }) => (test(lands) ? bits | mask : bits), 0)
const [LANDS, LANDS_NOT, UNKNOWN] = [ofLanding(true), ofLanding(false), ofLanding(null)]

/** Of whether the destination is there; null where only a visit could tell. */
export const landingFindings = (lands: boolean | null): number => (lands === null ? UNKNOWN : lands ? LANDS : LANDS_NOT)

/** Of the paid links of a page, each with those it has. @param paragraphs - of each, in the order of the page */
export function pageFindings(paragraphs: readonly number[], words: number | null): readonly number[] {
  const bits = paragraphs.map(() => 0)
  for (const { test, mask } of OF_PAGE) for (const k of test(paragraphs, words)) bits[k] = (bits[k] ?? 0) | mask
  return bits
}

/** What the findings that a row keeps mean: a list that was written down by another meaning is made anew. */
export const ROW_MEANING: string = JSON.stringify(OF_ROW.map(({ bit, test }) => [bit, test.toString()]))

/**
 * What a person looked at when they said that a finding is fine there. Other words, another destination or other marks make
 * another key, so that the finding comes back when things change.
 */
export const fineKey = ({ placement, decision }: JudgedPlacement, finding: Finding): string =>
  JSON.stringify([placement.page.id, finding, placement.text, placement.written.href, decision.rel ?? ''])

/** Somebody's word that a finding is fine. */
export interface Fine {
  readonly reason: string
  readonly by: string | null
}
