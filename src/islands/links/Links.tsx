import { useEffect, useRef, useState } from 'react'
import { toast } from 'sonner'
import type { BulkChangeBody, Selection } from '../../contract/bulk-changes.ts'
import type { PlacementQuery } from '../../core/placements/index.ts'
import { addressOf } from '../../ui/api.ts'
import { Either } from '../../ui/Either.tsx'
import { SearchField } from '../../ui/long-list.tsx'
import { Queries } from '../../ui/query.tsx'
import { useSettled } from '../../ui/settled.ts'
import { ToChanges } from '../../ui/ToChanges.tsx'
import { type Bulk, BulkDialog } from './BulkDialog.tsx'
import { ChosenBar } from './ChosenBar.tsx'
import { type Chosen, NOTHING } from './chosen.ts'
import { useEngine } from './engine.ts'
import { Facets } from './Facets.tsx'
import { Legend } from './Legend.tsx'
import { LinkDetails } from './LinkDetails.tsx'
import { FindingChips, NarrowedTo } from './Narrowed.tsx'
import { Groups, Rows } from './Rows.tsx'
import type { Found } from './state.ts'
import { filterOf, readView, writeView } from './view.ts'

interface LinksProps {
  search: string
  canChange: boolean
  canExport: boolean
}

/** Every placement of the site as a rope, narrowed by what stands beside it, and changed many at a time. */
export function Links(props: LinksProps) {
  return (
    <Queries>
      <Whole {...props} />
    </Queries>
  )
}

function Whole({ search, canChange, canExport }: LinksProps) {
  const { engine, state } = useEngine()
  const [view, setView] = useState(() => readView(search))
  const [typed, setTyped] = useState(view.query.text ?? '')
  const settled = useSettled(typed, 120)
  const [chosen, setChosen] = useState<Chosen>(NOTHING)
  const [bulk, setBulk] = useState<Bulk | null>(null)
  const [open, setOpen] = useState<number | null>(null)
  const { query, isGrouped } = view
  const narrow = (change: Partial<PlacementQuery>): void => {
    setChosen(NOTHING)
    setView((before) => ({ ...before, query: { ...before.query, ...change } }))
  }
  useEffect(() => {
    setView((before) =>
      before.query.text === (settled === '' ? undefined : settled)
        ? before
        : { ...before, query: { ...before.query, text: settled === '' ? undefined : settled } },
    )
  }, [settled])
  useEffect(() => {
    engine?.ask(view.query, view.isGrouped)
    history.replaceState(null, '', `/links${writeView(view)}`)
  }, [engine, view])
  useEffect(() => {
    const onKey = (event: globalThis.KeyboardEvent): void => {
      if (event.key === 'Escape' && document.querySelector('[role=dialog]') === null) setChosen(NOTHING)
    }
    addEventListener('keydown', onKey)
    return () => removeEventListener('keydown', onKey)
  }, [])
  const found = state.answer?.found ?? EMPTY_FOUND
  const count = chosen.all ? found.length : chosen.indexes.size
  const isHeld = !chosen.all && chosen.indexes.size > 0
  useEffect(() => {
    if (engine !== null) engine.isHeld = isHeld
  }, [engine, isHeld])
  const { turn } = state
  const seenTurn = useRef(0)
  useEffect(() => {
    if (turn === seenTurn.current) return
    seenTurn.current = turn
    if (!isHeld) return
    setChosen(NOTHING)
    toast.info('The list has changed in the meantime. Choose again.')
  }, [turn, isHeld])
  const selection = (): Selection => {
    if (chosen.all) return { filter: filterOf({ ...query, sort: undefined }) }
    const links = [...chosen.indexes].flatMap((i) => {
      const row = state.rows[i]
      return row === undefined ? [] : [[row.pageId, row.ordinal, row.start] as [string, number, number]]
    })
    return { links }
  }
  /** Of the links found, those of which a hand says what search engines are told: rules do not reach them. */
  const byHand = state.answer?.counts.by.find(([value]) => value === 'hand')?.[1] ?? 0
  const start = async (title: string, change: BulkChangeBody): Promise<void> => {
    // What was chosen from its first to its last may hold rows that never were in sight.
    if (!chosen.all && state.isFar && engine !== null) {
      for (const index of chosen.indexes) await engine.need(index, index + 1)
      if (engine.state.turn !== turn || [...chosen.indexes].some((index) => state.rows[index] === undefined))
        return void toast.error('The list has changed, or could not be read to its end. Choose again.')
    }
    setBulk({ title, change, selection: selection(), links: count })
  }
  const finding = query.finding
  return (
    <div className="flex h-full max-lg:h-auto max-lg:flex-col">
      <aside
        className="w-[232px] shrink-0 overflow-y-auto border-r px-4 py-4 max-lg:w-full max-lg:border-r-0 max-lg:border-b"
        aria-label="Narrow the list"
      >
        <details className="lg:hidden">
          <summary className="cursor-pointer font-semibold">Narrow the list</summary>
          <Facets state={state} query={query} onNarrow={narrow} />
        </details>
        <div className="max-lg:hidden">
          <Facets state={state} query={query} onNarrow={narrow} />
        </div>
      </aside>
      <section className="relative flex min-w-0 flex-1 flex-col" aria-label="Links">
        <header className="grid gap-2.5 px-5 pt-5 pb-3 max-md:px-3">
          <div className="flex flex-wrap items-center gap-x-3 gap-y-2">
            <h1 className="text-[26px]">Links</h1>
            <p className="min-w-0 flex-1 text-ink-soft" aria-live="polite" data-testid="count">
              {state.failure !== null ? (
                <span className="text-red">{state.failure}</span>
              ) : state.answer === null ? (
                'Reading…'
              ) : (
                <>
                  {found.length} on {state.answer.pages} {state.answer.pages === 1 ? 'page' : 'pages'}
                  {!state.isLoaded && ` · ${state.rows.length} of ${state.total} read`}
                </>
              )}
            </p>
            <SearchField
              label="Find by words or address"
              hint="Find words or an address"
              value={typed}
              onChange={setTyped}
              className="!w-[220px] max-md:!w-full"
            />
            <Either
              label="List"
              value={isGrouped ? 'places' : 'links'}
              options={[
                ['links', 'Links'],
                ['places', 'Destinations'],
              ]}
              onChange={(value) => setView((before) => ({ ...before, isGrouped: value === 'places' }))}
            />
            <ToChanges kind="links" />
            {canExport && (
              <a
                className="button"
                href={addressOf('placements.csv', { query: filterOf({ ...query, sort: undefined }) })}
                download="links.csv"
              >
                Save as CSV
              </a>
            )}
          </div>
          <FindingChips answer={state.answer} chosen={finding} onNarrow={narrow} />
          <NarrowedTo query={query} found={found.length} byHand={byHand} canChange={canChange} onNarrow={narrow} onBulk={setBulk} />
        </header>
        {isGrouped ? (
          <Groups state={state} engine={engine} onOpen={(destination) => setView({ isGrouped: false, query: { ...query, destination } })} />
        ) : (
          <Rows
            state={state}
            engine={engine}
            found={found}
            chosen={chosen}
            canChange={canChange}
            query={query}
            onSort={narrow}
            onChoose={setChosen}
            onOpen={setOpen}
          />
        )}
        {count > 0 && canChange && <ChosenBar count={count} onStart={(title, change) => void start(title, change)} />}
        <Legend />
      </section>
      {open !== null && state.rows[open] !== undefined && (
        <LinkDetails
          row={state.rows[open]}
          details={state.details?.index === open ? state.details.details : null}
          canEdit={canChange}
          onMarked={() => {
            setOpen(null)
            engine?.refresh()
          }}
          onClose={() => setOpen(null)}
        />
      )}
      {bulk !== null && (
        <BulkDialog
          bulk={bulk}
          onClose={() => setBulk(null)}
          onDone={() => {
            setChosen(NOTHING)
            engine?.refresh()
          }}
        />
      )}
    </div>
  )
}

const EMPTY_FOUND: Found = { length: 0, at: () => undefined }
