import type { RedirectFinding } from '../../contract/redirect-review.ts'
import type { ConsideredRow, RedirectOutcome, RedirectRow } from '../../contract/redirects.ts'
import { readableAddress } from '../../core/address/index.ts'
import type { WayEnd } from '../../ui/Way.tsx'
import { counted, dateAndClock } from '../../words/index.ts'

export const STATUS_WORDS: Readonly<Record<RedirectRow['status'], string>> = {
  301: 'moved for good',
  302: 'found elsewhere for now',
  303: 'see another page',
  307: 'elsewhere for now, forms too',
  308: 'moved for good, forms too',
  410: 'gone for good',
  451: 'withheld for legal reasons',
}

export const MATCH_WORDS: Readonly<Record<RedirectRow['match'], string>> = {
  exact: 'just this address',
  under: 'everything under it',
  pattern: 'a pattern (URL Pattern)',
  expression: 'an expression (RE2)',
}

export const QUERY_WORDS: Readonly<Record<RedirectRow['query'], string>> = {
  pass: 'passed on',
  merge: 'passed on, but for what the destination sets itself',
  drop: 'left off',
}

export const DEVICE_WORDS = { phone: 'a phone', tablet: 'a tablet', computer: 'a computer', other: 'anything else' } as const

/** Why a row does not answer, in words. */
export function whyWords({ why, from, match }: ConsideredRow): string {
  switch (why) {
    case 'host':
      return 'would fit, but is for another host'
    case 'page':
      return 'would fit, but a page is published there, which comes first'
    case 'query':
      return 'asks for other parameters in the query'
    case 'language':
      return 'is for another language'
    case 'device':
      return 'is for another device'
    case 'time':
      return 'is not for this time'
    case 'text':
      return match === 'pattern' || match === 'expression'
        ? `does not match: ${from}`
        : 'is written another way, which this site tells apart'
    case 'destination':
      return 'fits, but what it catches makes no address, or one that is too long'
    case 'long':
      return 'is not asked: the path is longer than any that rows are asked about'
    case 'work':
      return 'is not asked: those before it took all the time that a visitor may be kept waiting'
    case 'later':
      return 'would fit too, but comes later'
    default:
      return 'answers'
  }
}

/** What is wrong, in as few words as stand on a chip. */
export function findingChip(kind: RedirectFinding['kind'], rows: number): string {
  const one = rows === 1
  switch (kind) {
    case 'loop':
      return one ? 'goes round' : 'go round'
    case 'chain':
      return 'in several steps'
    case 'shadowed':
      return 'never reached'
    case 'hides':
      return one ? 'hides others' : 'hide others'
    case 'duplicate':
      return one ? 'stands there twice' : 'stand there twice'
    case 'contradictory':
      return one ? 'contradicts another' : 'contradict others'
    case 'dead':
      return one ? 'leads to a missing page' : 'lead to a missing page'
    case 'over-page':
      return 'under a published page'
    case 'insecure':
      return one ? 'leads to http' : 'lead to http'
    default:
      return one ? 'depends on the host' : 'depend on the host'
  }
}

export const FINDING_WORDS: Readonly<Record<RedirectFinding['kind'], string>> = {
  loop: 'Visitors would go round in a circle, until their browser gives up.',
  chain: 'Visitors are sent on several times; each step takes time, and search engines give up after some.',
  shadowed: 'Another row always comes before it: it never answers.',
  hides: 'It catches everything under its address: other rows are never reached for it.',
  duplicate: 'The same row stands there twice.',
  contradictory: 'Another row for the same address says something else, and comes first.',
  dead: 'There is no page where it leads.',
  'over-page': 'A page is published at its address, and comes first: it never answers.',
  insecure: 'It leads from a secure address to an open one.',
  'host-differs': 'It leads to another host, depending on which one was asked.',
}

/** Findings that hurt visitors, rather than being in the way. */
export const HURTS: ReadonlySet<RedirectFinding['kind']> = new Set(['loop', 'dead', 'chain'])

/** Where a row lands, as far as it says so itself. */
export function endOf({ to, status }: Pick<RedirectRow, 'to' | 'status'>, finding: RedirectFinding | undefined): WayEnd {
  if (status >= 400) return 'gone'
  if (finding?.kind === 'loop') return 'round'
  if (finding?.kind === 'dead') return 'nothing'
  if (/\$\w|\$\{/.test(to)) return 'unknown'
  const last = finding?.kind === 'chain' ? (finding.stops[finding.stops.length - 1] ?? to) : to
  return last.startsWith('/') ? 'here' : 'elsewhere'
}

/** What a row is for, as the beginning of a sentence. */
export const askedWords = ({
  from,
  match = 'exact',
}: {
  readonly from: string
  readonly match?: RedirectRow['match'] | undefined
}): string => (match === 'under' ? `What is under ${from}` : from)

/**
 * What a row does for visitors, in a sentence.
 * @param from - see {@link askedWords}
 * @param since - from when on, where nothing else says
 */
export function outcomeWords(
  outcome: RedirectOutcome,
  from: string,
  since = 'from now on',
): { readonly sentence: string; readonly isAsMeant: boolean } {
  const { state, first, at, lands, landsOn, hides } = outcome
  const when = at === null ? '' : dateAndClock(new Date(at))
  const not = (sentence: string) => ({ sentence, isAsMeant: false })
  switch (state) {
    case 'off':
      return { sentence: `${from} is off: it is kept, and does not answer.`, isAsMeant: true }
    case 'page':
      return not(`A page is published at ${from}: visitors see it, and never this row.`)
    case 'row':
      return not(`${first?.from ?? 'Another row'} comes first and answers in its place.`)
    case 'short link':
      return not(`A short link stands at ${from} and answers in its place.`)
    case 'over':
      return not(`It ended on ${when}: nobody is answered by it any more.`)
    case 'unknown':
      return { sentence: `It answers whatever it fits; try an address on the bench.`, isAsMeant: true }
    default: {
      const begins = state === 'not yet' ? `${from} is answered from ${when} on, and not before` : `${from} is answered ${since}`
      if (lands === 'nothing') return not(`${begins}; but there is no page at ${bare(landsOn ?? '')}.`)
      if (lands === 'round') return not(`${begins}; but it goes round in a circle.`)
      if (hides !== null && (hides.isWhole || hides.rows > 0)) return not(`${begins}. ${hidesWords(hides)}`)
      return { sentence: `${begins}.`, isAsMeant: state === 'answers' }
    }
  }
}

/** What is never reached for a row that catches everything. */
function hidesWords({ rows, visits, isWhole, catchesRobots }: NonNullable<RedirectOutcome['hides']>): string {
  const whole = isWhole ? `It catches whatever has no page${catchesRobots ? ', /robots.txt too' : ''}.` : ''
  if (rows === 0) return whole
  const used = visits === 0 ? '' : `, which answered ${counted(visits, 'visit')} in the last 30 days`
  return `${whole} ${counted(rows, 'row is', 'rows are')} never reached for it${used}.`.trim()
}

/** A destination as it is read: without its scheme, with its letters. */
export const bare = (address: string): string => readableAddress(address.replace(/^https?:\/\//, ''))
