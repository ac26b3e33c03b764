import { type Told, tell } from '../../words/index.ts'
import type { Verdict } from '../checks/index.ts'
import { relTokens, type Strand, strandOf } from '../rules/index.ts'
import { endOf } from './decided.ts'
import { isUnmarked, type JudgedPlacement } from './set.ts'

/** A placement as a row of the list shows it. */
export interface Row {
  readonly pageId: string
  readonly page: string
  readonly title: string
  readonly pageKind: 'page' | 'block' | 'menu'
  readonly ordinal: number
  readonly start: number
  readonly text: string
  readonly href: string
  /** Site it leads to, or the path of an inside page. */
  readonly leads: string
  readonly strand: Strand
  readonly end: 'new tab' | 'same tab' | 'file'
  readonly lands: boolean | null
  /** What is said of where it leads; null where nobody has looked. */
  readonly verdict: Verdict | null
  readonly isShort: boolean
  readonly isPartner: boolean
  /** What it is and who says so, in a few words. */
  readonly state: Told
  readonly isFaulty: boolean
}

/** @param seen - whether a visitor lands there, and what is said of it */
export function rowOf(judged: JudgedPlacement, { lands, verdict }: { lands: boolean | null; verdict: Verdict | null }): Row {
  const { placement, facts, decision } = judged
  const { page, ordinal, start, text, written } = placement
  const strand = strandOf(relTokens(decision.rel))
  const by = sayBy(judged)
  const faults = [...(isUnmarked(judged) ? [tell('row.unmarked')] : []), ...(lands === false ? [tell('row.does-not-land')] : [])]
  const isInside = facts.kind === 'inside page' || facts.kind === 'section' || facts.kind === 'file'
  return {
    pageId: page.id,
    page: page.path,
    title: page.title,
    pageKind: page.kind,
    ordinal,
    start,
    text,
    href: written.href,
    leads:
      isInside && facts.address !== null
        ? pathOf(facts.address)
        : facts.kind === 'short link' || facts.site === null
          ? written.href
          : facts.site,
    strand,
    end: endOf(judged),
    lands,
    verdict,
    isShort: facts.kind === 'short link',
    isPartner: facts.isPartner,
    state: faults.length > 0 ? tell('row.faults', { faults }) : tell('row.is', { strand: tell(`row.${strand}`), by }),
    isFaulty: faults.length > 0,
  }
}

function sayBy({ decision }: JudgedPlacement): Told | null {
  const { hints } = decision.because
  if (hints.by === 'rule') return tell('row.by-rule', { number: hints.number })
  if (hints.by === 'hand') return tell('row.by-hand')
  if (hints.by === 'sponsor') return tell('row.by-sponsor')
  if (hints.by === 'lowest') return tell('row.by-lowest')
  return hints.by === 'queue' ? tell('row.by-queue') : null
}

const pathOf = (address: string): string => {
  const { pathname, hash } = new URL(address)
  return pathname + hash
}
