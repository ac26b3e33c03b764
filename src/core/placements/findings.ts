import { isBareAddress, saysLittle } from '../content/index.ts'
import { opensNewTab, relTokens } from '../rules/index.ts'
import { isPaidLink, isUnmarked, type JudgedPlacement } from './set.ts'

/** What a careful editor would mend. The order is the order they are shown in. */
export const FINDINGS = [
  'unmarked',
  'does not land',
  'many paid in a paragraph',
  'many paid on a page',
  'no partner',
  'same tab',
  'no noopener',
  'bare address',
  'says little',
  'no words',
  'picture without words',
  'http',
  'own domain',
] as const
export type Finding = (typeof FINDINGS)[number]

/** Paid links that an article bears: three, and one more for every so many words beyond a long one (PRODUCT 2.7). */
const PAID_MOST = 3
const LONG_WORDS = 1_200
const WORDS_A_LINK = 400
export const paidMost = (words: number | null): number => PAID_MOST + Math.max(0, Math.floor(((words ?? 0) - LONG_WORDS) / WORDS_A_LINK))

/** What is known of a whole site that one placement does not show. */
export interface SiteKnowledge {
  /** Hosts that some link leads to by https. */
  readonly httpsHosts: { has(host: string): boolean }
  readonly lands: (judged: JudgedPlacement) => boolean | null
}

/** Findings as bits, in the order of {@link FINDINGS}, of one placement by itself. */
export function findingsOf(judged: JudgedPlacement, { httpsHosts, lands }: SiteKnowledge): number {
  const { placement, facts, decision } = judged
  const { text, written } = placement
  const rel = relTokens(decision.rel)
  const tokens = rel.map((token) => token.toLowerCase())
  const target = decision.target ?? facts.baseTarget
  const isPicture = facts.shows === 'picture'
  let bits = 0
  const add = (finding: Finding): void => {
    bits |= 1 << FINDINGS.indexOf(finding)
  }
  if (isUnmarked(judged)) add('unmarked')
  if (isPaidLink(judged) && !facts.isPartner && facts.writtenFor === null) add('no partner')
  if (lands(judged) === false) add('does not land')
  if (facts.isOutside && !opensNewTab(target)) add('same tab')
  if (
    opensNewTab(target) &&
    facts.isOutside &&
    !tokens.some((token) => token === 'noopener' || token === 'noreferrer' || token === 'opener')
  )
    add('no noopener')
  if (text === '') add(isPicture ? 'picture without words' : 'no words')
  else if (!isPicture) {
    if (isBareAddress(text)) add('bare address')
    else if (saysLittle(text)) add('says little')
  }
  if (facts.address?.startsWith('http:') === true && facts.isOutside && httpsHosts.has(facts.host)) add('http')
  const isOwn = facts.kind === 'inside page' || facts.kind === 'section' || facts.kind === 'file'
  if (isOwn && /^(?:https?:)?\/\//i.test(written.href) && written.baseHref === null) add('own domain')
  return bits
}

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

export const hasFinding = (bits: number, finding: Finding): boolean => (bits & (1 << FINDINGS.indexOf(finding))) !== 0
