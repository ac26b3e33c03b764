import { readableAddress } from '../../core/address/index.ts'
import { FINDINGS, type Finding, type PlacementAnswer, type PlacementQuery } from '../../core/placements/index.ts'
import type { Bulk } from './BulkDialog.tsx'
import { filterOf } from './view.ts'
import { FINDING_WORDS } from './words.ts'

type Narrow = (change: Partial<PlacementQuery>) => void

/** What was found of the links, each with how many; one of them narrows the list. */
export function FindingChips({
  answer,
  chosen,
  onNarrow,
}: {
  answer: Pick<PlacementAnswer, 'findings'> | null
  chosen: Finding | undefined
  onNarrow: Narrow
}) {
  return (
    <ul className="flex flex-wrap gap-2" aria-label="Findings">
      {FINDINGS.filter((each) => (answer?.findings[each] ?? 0) > 0 || each === chosen).map((each) => {
        const links = answer?.findings[each] ?? 0
        const words = FINDING_WORDS[each]
        return (
          <li key={each}>
            <button
              type="button"
              aria-pressed={each === chosen}
              className={`chip ${words.isGrave === true ? 'chip-red' : ''} aria-pressed:bg-sun aria-pressed:border-ink`}
              onClick={() => onNarrow({ finding: each === chosen ? undefined : each })}
            >
              <b className="font-semibold">{links}</b> {links === 1 ? words.one : words.many}
            </button>
          </li>
        )
      })}
    </ul>
  )
}

/** What the list is narrowed to, and what mends all of it. */
export function NarrowedTo({
  query,
  found,
  byHand,
  canChange,
  onNarrow,
  onBulk,
}: {
  query: PlacementQuery
  /** How many links that are. */
  found: number
  /** Those of them of which a hand says what search engines are told: rules do not reach them. */
  byHand: number
  canChange: boolean
  onNarrow: Narrow
  onBulk: (bulk: Bulk) => void
}) {
  const { finding } = query
  if (finding === undefined && query.destination === undefined) return null
  return (
    <div className="sheet flex flex-wrap items-center gap-3 px-3.5 py-2" role="status">
      <p className="min-w-0 flex-1 text-[14.5px]">
        {finding === undefined ? (
          <>
            Only links to <span className="address">{readableAddress(query.destination ?? '')}</span>
          </>
        ) : (
          FINDING_WORDS[finding].why
        )}
      </p>
      {finding === 'unmarked' && canChange && byHand > 0 && (
        <button
          type="button"
          className="button"
          onClick={() =>
            onBulk({
              title: 'Take back what a hand set',
              change: { do: 'tell', hints: null },
              selection: { filter: { ...filterOf(query), by: 'hand' } },
              links: byHand,
            })
          }
        >
          Take back what a hand set ({byHand})
        </button>
      )}
      {finding === 'unmarked' && (
        <a className="button" href="/rules?mark-partners">
          Mark them by a rule
        </a>
      )}
      {canChange && finding !== undefined && FINDING_WORDS[finding].mend !== null && found > 0 && (
        <button
          type="button"
          className="button button-main"
          onClick={() => {
            const mend = FINDING_WORDS[finding].mend
            if (mend !== null) onBulk({ title: mend.words, change: mend.change, selection: { filter: filterOf(query) }, links: found })
          }}
        >
          {FINDING_WORDS[finding].mend?.words}
        </button>
      )}
      <button type="button" className="button button-plain" onClick={() => onNarrow({ finding: undefined, destination: undefined })}>
        Show all
      </button>
    </div>
  )
}
