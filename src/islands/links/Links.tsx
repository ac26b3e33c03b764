import { useEffect, useRef, useState } from 'react'
import { toast } from 'sonner'
import type { BulkChangeBody, Selection } from '../../contract/bulk-changes.ts'
import { readableAddress } from '../../core/address/index.ts'
import { FINDINGS, type PlacementQuery } from '../../core/placements/index.ts'
import { addressOf } from '../../ui/api.ts'
import { Either } from '../../ui/Either.tsx'
import { SearchField } from '../../ui/long-list.tsx'
import { Queries } from '../../ui/query.tsx'
import { useSettled } from '../../ui/settled.ts'
import { ToChanges } from '../../ui/ToChanges.tsx'
import { type Bulk, BulkDialog } from './BulkDialog.tsx'
import { More } from './ChangeMenus.tsx'
import { type Chosen, NOTHING } from './chosen.ts'
import { useEngine } from './engine.ts'
import { Facets } from './Facets.tsx'
import { Legend } from './Legend.tsx'
import { LinkDetails } from './LinkDetails.tsx'
import { Groups, Rows } from './Rows.tsx'
import type { Found } from './state.ts'
import { filterOf, readView, writeView } from './view.ts'
import { FINDING_WORDS } from './words.ts'

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
          <ul className="flex flex-wrap gap-2" aria-label="Findings">
            {FINDINGS.filter((each) => (state.answer?.findings[each] ?? 0) > 0 || each === finding).map((each) => {
              const links = state.answer?.findings[each] ?? 0
              const words = FINDING_WORDS[each]
              return (
                <li key={each}>
                  <button
                    type="button"
                    aria-pressed={each === finding}
                    className={`chip ${words.isGrave === true ? 'chip-red' : ''} aria-pressed:bg-sun aria-pressed:border-ink`}
                    onClick={() => narrow({ finding: each === finding ? undefined : each })}
                  >
                    <b className="font-semibold">{links}</b> {links === 1 ? words.one : words.many}
                  </button>
                </li>
              )
            })}
          </ul>
          {(finding !== undefined || query.destination !== undefined) && (
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
                    setBulk({
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
              {canChange && finding !== undefined && FINDING_WORDS[finding].mend !== null && found.length > 0 && (
                <button
                  type="button"
                  className="button button-main"
                  onClick={() => {
                    const mend = FINDING_WORDS[finding].mend
                    if (mend !== null)
                      setBulk({ title: mend.words, change: mend.change, selection: { filter: filterOf(query) }, links: found.length })
                  }}
                >
                  {FINDING_WORDS[finding].mend?.words}
                </button>
              )}
              <button type="button" className="button button-plain" onClick={() => narrow({ finding: undefined, destination: undefined })}>
                Show all
              </button>
            </div>
          )}
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
        {count > 0 && canChange && (
          <div
            className="sheet absolute right-5 bottom-14 flex flex-wrap items-center gap-2 !border-ink px-3.5 py-2.5 max-md:right-2 max-md:left-2"
            style={{ boxShadow: 'var(--shadow)' }}
            role="toolbar"
            aria-label="Change what is chosen"
          >
            <p className="mr-1">
              <b>
                {count} {count === 1 ? 'link' : 'links'}
              </b>{' '}
              chosen
            </p>
            <button
              type="button"
              className="button"
              onClick={() => void start('What search engines are told', { do: 'tell', hints: ['sponsored', 'nofollow'] })}
            >
              Mark as…
            </button>
            <button type="button" className="button" onClick={() => void start('Change where they lead', { do: 'lead to', address: '' })}>
              Change destination
            </button>
            <button type="button" className="button" onClick={() => void start('How they open', { do: 'open', opens: 'new tab' })}>
              Open in…
            </button>
            <More onPick={start} />
            <span className="note">Esc clears</span>
          </div>
        )}
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
