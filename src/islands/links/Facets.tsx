import { useState } from 'react'
import { FACETS, type Facet, type PlacementQuery } from '../../core/placements/index.ts'
import type { EngineState } from './state.ts'
import { FACET_WORDS, valueWords } from './words.ts'

/** Values of a facet shown before somebody asks for all. */
const VALUES_SHOWN = 6

/** What the list can be narrowed by, with how many links each choice would leave. */
export function Facets({
  state,
  query,
  onNarrow,
}: {
  state: EngineState
  query: PlacementQuery
  onNarrow: (change: Partial<PlacementQuery>) => void
}) {
  const [open, setOpen] = useState<ReadonlySet<Facet>>(new Set())
  const set = (facet: Facet, value: string | undefined): void => {
    const rest: Partial<Record<Facet, string>> = { ...query.facets }
    delete rest[facet]
    // Within one site its hosts are told apart; another site has others.
    if (facet === 'site') delete rest.host
    onNarrow({ facets: value === undefined ? rest : { ...rest, [facet]: value } })
  }
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-4 max-lg:mt-3 max-lg:grid-cols-[repeat(2,minmax(0,1fr))]">
      {FACETS.map((facet) => {
        const chosen = query.facets?.[facet]
        const counts = state.answer?.counts[facet] ?? []
        const isHost = facet === 'host'
        if (isHost && (query.facets?.site === undefined || counts.length < 2) && chosen === undefined) return null
        if (counts.length === 0 && chosen === undefined) return null
        const values = chosen !== undefined && !counts.some(([value]) => value === chosen) ? [[chosen, 0] as const, ...counts] : counts
        const shown = open.has(facet) ? values : values.slice(0, VALUES_SHOWN)
        return (
          <section key={facet}>
            <h2 className="mb-1 font-text text-[13px] font-semibold text-ink-soft">{isHost ? 'Host' : (FACET_WORDS[facet] ?? facet)}</h2>
            <ul>
              {shown.map(([value, links]) => (
                <li key={value}>
                  <button
                    type="button"
                    aria-pressed={value === chosen}
                    className="flex w-full items-baseline justify-between gap-2 rounded-md px-1.5 py-[3px] text-left text-[14px] hover:bg-sun aria-pressed:bg-sun aria-pressed:font-semibold"
                    onClick={() => set(facet, value === chosen ? undefined : value)}
                  >
                    <span className="min-w-0 truncate" title={valueWords(facet, value, state)}>
                      {valueWords(facet, value, state)}
                    </span>
                    <span className="text-[13px] text-ink-soft tabular-nums">{links}</span>
                  </button>
                </li>
              ))}
            </ul>
            {values.length > VALUES_SHOWN && (
              <button
                type="button"
                className="note min-h-[26px] px-1.5 underline underline-offset-3"
                onClick={() =>
                  setOpen((before) => new Set(before.has(facet) ? [...before].filter((each) => each !== facet) : [...before, facet]))
                }
              >
                {open.has(facet) ? 'fewer' : `all ${values.length}`}
              </button>
            )}
          </section>
        )
      })}
    </div>
  )
}
