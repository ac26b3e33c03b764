import { stringify } from 'csv-stringify/sync'
import { LINKS_CSV_COLUMNS } from '../../contract/placements.ts'
import { cellOfText } from '../../core/exchange/index.ts'
import { isBefore, type PlacementList, type PlacementQuery } from '../../core/placements/index.ts'
import { inWords } from '../../words/index.ts'
import type { Actor } from '../context.ts'
import { shownPlacement } from './shown.ts'

/** A place in a list that is in the order of paths and places: what comes after it is the same, whatever changes before it. */
export interface PlaceInList {
  readonly path: string
  readonly ordinal: number
}

export interface CsvPart {
  readonly text: string
  /** Null after the last row. */
  readonly next: PlaceInList | null
}

/** Rows written at once: a file of any length is made with little memory. */
const PART = 2_000

/**
 * Some rows of what a query finds as CSV (RFC 4180), without its header. Cells that a spreadsheet would take for a
 * formula are told apart.
 * @param after - the last row of the part before
 */
export function csvPart(list: PlacementList, actor: Actor, query: PlacementQuery, after: PlaceInList | null): CsvPart {
  const { found } = list.ask(query)
  const from = after === null ? 0 : placeAfter(list, found, after)
  const part = [...found.subarray(from, from + PART)]
  const rows = part.flatMap((i) => {
    const judged = list.judgedAt(i)
    if (judged === null) return []
    const shown = shownPlacement(actor, judged, list.seenAt(i), list.findingsAt(i))
    return [
      {
        page: shown.page,
        title: shown.pageTitle,
        text: shown.text,
        href: shown.href,
        kind: shown.kind ?? '',
        site: shown.site ?? '',
        rel: shown.after.rel ?? '',
        target: shown.after.target ?? '',
        because: inWords(shown.because.rel),
        lands: shown.lands === null ? '' : shown.lands ? 'yes' : 'no',
        verdict: shown.verdict ?? '',
        tags: shown.tags.join(', '),
        findings: shown.findings.join(', '),
      },
    ]
  })
  const last = list.judgedAt(part[part.length - 1] ?? -1)?.placement
  return {
    text: stringify(rows, { columns: [...LINKS_CSV_COLUMNS], cast: { string: cellOfText } }),
    next: last === undefined || from + PART >= found.length ? null : { path: last.page.path, ordinal: last.ordinal },
  }
}

/** Where the rows begin that come after a place, which may be gone by now. */
function placeAfter(list: PlacementList, found: Uint32Array, { path, ordinal }: PlaceInList): number {
  let [low, high] = [0, found.length]
  while (low < high) {
    const middle = (low + high) >>> 1
    const at = list.rows.placementAt(found[middle] ?? -1)
    const isAfter = at === null || isBefore(path, at.page.path) || (at.page.path === path && at.ordinal > ordinal)
    if (isAfter) high = middle
    else low = middle + 1
  }
  return low
}
