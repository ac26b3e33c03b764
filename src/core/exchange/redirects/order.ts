import { isTold, type Told, tell } from '../../../words/index.ts'
import type { FaultDetail } from '../../result.ts'
import {
  considerRedirects,
  isConditional,
  plainPath,
  type Redirect,
  RedirectTable,
  ROWS_AT_ONE_PATH_MAX,
  redirectKey,
} from '../../routing/index.ts'
import { EVERY_CODE, meetingPath, type PathSteps, pathSteps } from './expressions/index.ts'
import type { ReadingSite, ReadRedirect, ReadRedirects, RedirectDraft, RefusedLine } from './row.ts'
import { partOfRow } from './written.ts'

/**
 * What answers addresses in the program that a text is for: a line that is a row, or one that is none and takes addresses all the
 * same, so that the lines behind it are not asked.
 */
export interface Answering extends ReadRedirect {
  /** Its turn there: what is asked first has the lowest. */
  readonly turn: number
  readonly text: string
  /** Why it is no row; null for one. What is asked about it stands in its draft as for a row. */
  readonly unsaid: Told | 'untold' | null
  /** Whether it answers is up to something that nobody knows from here. */
  readonly isPerhaps?: boolean
}

/** An address that is asked about. */
export interface AskedAddress {
  readonly host: string
  readonly path: string
  readonly query: string
}

/** Of what matches an address, which answers there; null where nothing does. And what might have, before it. */
export type Choice<L extends Answering> = (
  matching: readonly L[],
  address: AskedAddress,
) => { readonly answers: L | null; readonly before: readonly L[] }

/** The lowest turn answers. */
export const firstInTurn = <L extends Answering>(matching: readonly L[]): ReturnType<Choice<L>> => {
  const inTurn = [...matching].sort((a, b) => a.turn - b.turn)
  const at = inTurn.findIndex(({ isPerhaps }) => isPerhaps !== true)
  return { answers: inTurn[at] ?? null, before: at === -1 ? inTurn : inTurn.slice(0, at) }
}

/** Pairs of wide lines of which it is found out whether they meet, and addresses that are asked about, at most. */
const PAIRS_MAX = 40_000
/** Steps of looking for where two of them meet, for all of them: some seconds. */
const MEETING_STEPS_MAX = 5_000_000
const ADDRESSES_MAX = 60_000
/** Lines that are named for one that takes addresses from them. */
const NAMED_MAX = 5
/** Rounds in which rows are left out that would answer in place of others. */
const ROUNDS_MAX = 4

/**
 * Leaves out rows that would answer otherwise here than where they come from: it is looked, for an address of each line and for one
 * that each two of them both match, which answers there, and which would here. Where one answers there that is no row, the lines that
 * answer in its place here are named with it.
 */
export function keptInOrder<L extends Answering>(
  lines: readonly L[],
  site: ReadingSite,
  choose: Choice<L> = firstInTurn,
): Omit<ReadRedirects, 'asks'> {
  const table = new RedirectTable(site.tolerance)
  const known = new Map<string, L>()
  const refused = new Map<Answering, Told | null>()
  const atPath = new Map<string, number>()
  for (const [i, each] of lines.entries()) {
    const row: Redirect = { ...each.draft, id: String(i), order: i }
    const key = `${row.match} ${row.match === 'exact' || row.match === 'under' ? redirectKey(row) : row.from}`
    const beside = (atPath.get(key) ?? 0) + 1
    atPath.set(key, beside)
    const added = beside > ROWS_AT_ONE_PATH_MAX ? null : table.add(row)
    if (each.unsaid !== null) refused.set(each, each.unsaid === 'untold' ? null : each.unsaid)
    else if (added === null) refused.set(each, tell('config.too-many-at-path', { most: ROWS_AT_ONE_PATH_MAX }))
    else if (!added.ok) refused.set(each, wordsOfFault(added.fault, added.detail))
    if (added?.ok === true) known.set(row.id, each)
  }
  const addresses = addressesOf([...known.values()], site)
  const inPlace = new Map<Answering, Set<number>>()
  for (let round = 0, isNew = true; isNew && round < ROUNDS_MAX; round++) {
    isNew = false
    for (const { address, only } of addresses) {
      const matching = matchingAt(address, table).flatMap((id) => known.get(id) ?? [])
      const { answers, before } = choose(matching, address)
      const here = matching.find((each) => !refused.has(each))
      if (here === undefined) continue
      for (const each of before) noted(inPlace, each, here)
      if (here === answers) continue
      if (answers !== null && refused.has(answers) && answers.unsaid !== null) noted(inPlace, answers, here)
      else if (answers !== null && isSame(answers.draft, here.draft)) continue
      else if (answers !== null && refused.has(answers)) noted(inPlace, answers, here)
      else {
        refused.set(here, whyNot(answers, only === here ? null : address.path))
        isNew = true
      }
    }
  }
  const rows = lines.filter((each) => !refused.has(each)).map(({ line, draft }) => ({ line, draft }))
  const taken = new Set(rows.map(({ line }) => line))
  const told = [...refused].flatMap(([each, reason]): RefusedLine[] => {
    const instead = inPlace.get(each)
    const lines = [...(instead ?? [])].filter((line) => taken.has(line)).sort((a, b) => a - b)
    const said = lines.length === 0 ? reason : answeredBy(lines, reason)
    return said === null ? [] : [{ line: each.line, text: each.text, reason: said }]
  })
  return { rows, refused: told.sort((a, b) => a.line - b.line) }
}

const isSame = (a: RedirectDraft, b: RedirectDraft): boolean => a.to === b.to && a.status === b.status && a.query === b.query

function noted(inPlace: Map<Answering, Set<number>>, each: Answering, here: Answering): void {
  const among = inPlace.get(each) ?? new Set()
  among.add(here.line)
  inPlace.set(each, among)
}

const answeredBy = (lines: readonly number[], why: Told | null): Told =>
  tell('config.answered-here-by', { why, lines: lines.slice(0, NAMED_MAX).map(String), others: Math.max(0, lines.length - NAMED_MAX) })

function whyNot(answers: Answering | null, path: string | null): Told {
  if (answers === null) return path === null ? tell('config.nothing-answers-there') : tell('config.nothing-answers-there-for', { path })
  if (path === null) return tell('config.never-answers-there', { line: answers.line })
  return tell('config.comes-first-there', { line: answers.line, path })
}

/** Rows that match an address, by their ids, in the order in which they are asked here. */
function matchingAt({ host, path, query }: AskedAddress, table: RedirectTable): string[] {
  const asked = { host, origin: `http://${host}`, isByNameOnly: false, path, query, language: null, device: 'computer', nowMs: 0 } as const
  return considerRedirects(asked, table, () => false)
    .filter(({ answer, why }) => answer !== null || why === 'later')
    .map(({ row }) => row.id)
}

/** A parameter that no row asks for. */
const OTHER_QUERY = 'zz-other=1'

/** An address, and the line it is one of; null where it is one of several. */
interface Witness {
  readonly address: AskedAddress
  only: Answering | null
}

const ANY_PATH = pathSteps({
  kind: 'all',
  parts: [
    { kind: 'begin' },
    { kind: 'set', set: [[0x2f, 0x2f]] },
    { kind: 'repeat', part: { kind: 'set', set: EVERY_CODE }, least: 0, most: Number.POSITIVE_INFINITY, isLazy: false },
    { kind: 'end' },
  ],
})

/** An address of each line, and one of each two that are not for one path and meet. */
function addressesOf(lines: readonly Answering[], site: ReadingSite): Witness[] {
  const out = new Map<string, Witness>()
  const wide: { readonly line: Answering; readonly steps: PathSteps }[] = []
  const someAsk = lines.some(({ draft }) => isConditional(draft.when))
  const push = (path: string, ...of: Answering[]): void => {
    const asked = of
      .flatMap(({ draft }) => draft.when.query ?? [])
      .map(({ name, value }) => `${encodeURIComponent(name)}=${encodeURIComponent(value ?? '')}`)
      .join('&')
    // Where some rows ask for a query, or for none, what answers with another one is another question.
    for (const query of someAsk ? [asked, asked === '' ? OTHER_QUERY : `${asked}&${OTHER_QUERY}`, ''] : [asked]) ask(path, query, of)
  }
  const ask = (path: string, query: string, of: readonly Answering[]): void => {
    for (const host of site.hosts) {
      if (out.size >= ADDRESSES_MAX || !of.every(({ draft: { hosts } }) => hosts.length === 0 || hosts.includes(host))) continue
      const address = { host, path: plainPath(path), query }
      const key = `${host} ${address.path} ${address.query}`
      const known = out.get(key)
      const only = of.length === 1 ? (of[0] ?? null) : null
      if (known === undefined) out.set(key, { address, only })
      else if (only !== null) known.only = null
    }
  }
  const work = { left: MEETING_STEPS_MAX }
  for (const line of lines) {
    const { match, from } = line.draft
    if (match === 'exact') push(from, line)
    else {
      const part = partOfRow(line.draft, site.tolerance)
      if (part === null) continue
      const steps = pathSteps(part)
      wide.push({ line, steps })
      for (const prefers of ['letters', 'digits'] as const) {
        const path = meetingPath(steps, ANY_PATH, prefers, work)
        if (path !== null && path !== 'unknown') push(path, line)
      }
    }
  }
  let pairs = 0
  for (const [i, one] of wide.entries())
    for (const other of wide.slice(i + 1)) {
      if (++pairs > PAIRS_MAX) return [...out.values()]
      if (
        one.line.draft.hosts.length > 0 &&
        other.line.draft.hosts.length > 0 &&
        !one.line.draft.hosts.some((host) => other.line.draft.hosts.includes(host))
      )
        continue
      // A third line may take the first that is found: two of other letters are seldom answered by the same one.
      for (const prefers of ['letters', 'digits'] as const) {
        const path = meetingPath(one.steps, other.steps, prefers, work)
        if (path === null || path === 'unknown') continue
        push(path, one.line, other.line)
      }
    }
  return [...out.values()]
}

export const wordsOfFault = (fault: string, detail: FaultDetail): Told =>
  fault === 'pattern-needs-memory'
    ? tell('config.goes-back', { part: String(detail.part) })
    : fault === 'pattern-unreadable'
      ? tell('config.expression-unreadable', { why: isTold(detail.why) ? detail.why : String(detail.why) })
      : fault === 'destination-group-unknown'
        ? tell('config.puts-in-nothing', { group: String(detail.group) })
        : fault === 'destination-refused'
          ? tell('config.no-web-address')
          : fault === 'pattern-too-large'
            ? tell('config.expression-too-long')
            : tell('config.unreadable')
