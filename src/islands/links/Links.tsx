import { Menu } from '@base-ui/react/menu'
import { useQuery } from '@tanstack/react-query'
import { useVirtualizer } from '@tanstack/react-virtual'
import { type KeyboardEvent, useEffect, useMemo, useRef, useState } from 'react'
import type { BulkChangeBody, BulkChangeList, Selection } from '../../contract/bulk-changes.ts'
import { FACETS, type Facet, FINDINGS, type PlacementQuery } from '../../core/placements/index.ts'
import { ask } from '../../ui/api.ts'
import { Either } from '../../ui/Either.tsx'
import { Queries } from '../../ui/query.tsx'
import { Rope } from '../../ui/Rope.tsx'
import { useSettled } from '../../ui/settled.ts'
import { sayWhen } from '../../ui/when.ts'
import { type Bulk, BulkDialog, undoBulk } from './BulkDialog.tsx'
import { type Engine, type EngineState, useEngine } from './engine.ts'
import { LinkDetails } from './LinkDetails.tsx'
import type { Row } from './messages.ts'
import { filterOf, readView, writeView } from './view.ts'
import { changeWords, FACET_WORDS, FINDING_WORDS, valueWords } from './words.ts'

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

const ROW_PX = 50
/** Values of a facet shown before somebody asks for all. */
const VALUES_SHOWN = 6
/** On a phone a row is two lines. */
const NARROW_ROW_PX = 74

type Chosen = { readonly all: true } | { readonly all: false; readonly indexes: ReadonlySet<number> }
const NOTHING: Chosen = { all: false, indexes: new Set() }

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
  const selection = (): Selection => {
    if (chosen.all) return { filter: filterOf(query) }
    const links = [...chosen.indexes].flatMap((i) => {
      const row = state.rows[i]
      return row === undefined ? [] : [[row.pageId, row.ordinal, row.start] as [string, number, number]]
    })
    return { links }
  }
  const start = (title: string, change: BulkChangeBody): void => setBulk({ title, change, selection: selection(), links: count })
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
            <input
              className="field !w-[220px] max-md:!w-full"
              type="search"
              aria-label="Find by words or address"
              placeholder="Find words or an address"
              value={typed}
              onChange={(event) => setTyped(event.target.value)}
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
            <Done onChanged={() => engine?.refresh()} canChange={canChange} />
            {canExport && (
              <a className="button" href={`/api/v1/exports/links.csv?${new URLSearchParams(filterOf(query))}`} download="links.csv">
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
                    Only links to <span className="address">{query.destination}</span>
                  </>
                ) : (
                  FINDING_WORDS[finding].why
                )}
              </p>
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
          <Groups state={state} onOpen={(destination) => setView({ isGrouped: false, query: { ...query, destination } })} />
        ) : (
          <Rows state={state} engine={engine} found={found} chosen={chosen} canChange={canChange} onChoose={setChosen} onOpen={setOpen} />
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
              onClick={() => start('What search engines are told', { do: 'tell', hints: ['sponsored', 'nofollow'] })}
            >
              Mark as…
            </button>
            <button type="button" className="button" onClick={() => start('Change where they lead', { do: 'lead to', address: '' })}>
              Change destination
            </button>
            <button type="button" className="button" onClick={() => start('How they open', { do: 'open', opens: 'new tab' })}>
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
          onClose={() => setOpen(null)}
        />
      )}
      {bulk !== null && (
        <BulkDialog
          bulk={bulk}
          onClose={() => setBulk(null)}
          onDone={() => {
            setChosen(NOTHING)
            engine?.refresh(true)
          }}
        />
      )}
    </div>
  )
}

const EMPTY_FOUND = new Uint32Array(0)

function Facets({
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
    <div className="grid gap-4 max-lg:mt-3 max-lg:grid-cols-2">
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
                    <span className="min-w-0 truncate">{valueWords(facet, value, state)}</span>
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

function Rows({
  state,
  engine,
  found,
  chosen,
  canChange,
  onChoose,
  onOpen,
}: {
  state: EngineState
  engine: Engine | null
  found: Uint32Array
  chosen: Chosen
  canChange: boolean
  onChoose: (chosen: Chosen) => void
  onOpen: (index: number) => void
}) {
  const place = useRef<HTMLDivElement>(null)
  const last = useRef<number | null>(null)
  const [isNarrow, setNarrow] = useState(false)
  useEffect(() => {
    const media = matchMedia('(max-width: 767px)')
    const look = (): void => setNarrow(media.matches)
    look()
    media.addEventListener('change', look)
    return () => media.removeEventListener('change', look)
  }, [])
  const rowPx = isNarrow ? NARROW_ROW_PX : ROW_PX
  const rows = useVirtualizer({ count: found.length, getScrollElement: () => place.current, estimateSize: () => rowPx, overscan: 20 })
  const { measure } = rows
  // biome-ignore lint/correctness/useExhaustiveDependencies: measured anew when rows become taller
  useEffect(() => measure(), [rowPx, measure])
  const isChosen = (index: number): boolean => chosen.all || chosen.indexes.has(index)
  const choose = (at: number, isRange: boolean): void => {
    const index = found[at]
    if (index === undefined) return
    const next = new Set(chosen.all ? found : chosen.indexes)
    const from = isRange && last.current !== null ? last.current : at
    const isOn = !isChosen(index)
    for (let i = Math.min(from, at); i <= Math.max(from, at); i++) {
      const each = found[i]
      if (each !== undefined && isOn) next.add(each)
      else if (each !== undefined) next.delete(each)
    }
    last.current = at
    onChoose({ all: false, indexes: next })
  }
  const onKey = (event: KeyboardEvent): void => {
    const at = Number((event.target as HTMLElement).closest<HTMLElement>('[data-at]')?.dataset.at ?? -1)
    const step =
      event.key === 'ArrowDown' ? 1 : event.key === 'ArrowUp' ? -1 : event.key === 'PageDown' ? 10 : event.key === 'PageUp' ? -10 : 0
    if (step !== 0 && at >= 0) {
      const next = Math.max(0, Math.min(found.length - 1, at + step))
      rows.scrollToIndex(next)
      requestAnimationFrame(() => place.current?.querySelector<HTMLElement>(`[data-at="${next}"] [data-open]`)?.focus())
    } else if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'a' && canChange) onChoose({ all: true })
    else if (event.key === ' ' && at >= 0 && (event.target as HTMLElement).matches('[data-open]') && canChange) choose(at, event.shiftKey)
    else return
    event.preventDefault()
  }
  if (state.answer !== null && state.isLoaded && found.length === 0)
    return (
      <p className="flex-1 px-5 py-12 text-center text-ink-soft">
        {state.total === 0 ? 'There are no links yet. Bring a site in, or write a page.' : 'No link is like that.'}
      </p>
    )
  return (
    <>
      {canChange && found.length > 0 && (
        <label className="flex items-center gap-2.5 border-y px-5 py-1.5 text-[14px] text-ink-soft max-md:px-3">
          <input
            type="checkbox"
            className="size-4 accent-[var(--sea)]"
            checked={chosen.all || (chosen.indexes.size === found.length && found.length > 0)}
            onChange={() => onChoose(chosen.all || chosen.indexes.size > 0 ? NOTHING : { all: true })}
          />
          {chosen.all ? `All ${found.length} that the list shows are chosen` : `Choose all ${found.length}`}
        </label>
      )}
      {/* biome-ignore lint/a11y/noStaticElementInteractions: keys go from row to row; each row's own button is the control */}
      <div ref={place} className="min-h-0 flex-1 overflow-y-auto max-lg:h-[64dvh] max-lg:flex-none" onKeyDown={onKey} data-rows>
        <ul className="relative" style={{ height: rows.getTotalSize() }} aria-label="Links found">
          {rows.getVirtualItems().map((item) => {
            const index = found[item.index]
            const row = index === undefined ? undefined : state.rows[index]
            if (index === undefined || row === undefined) return null
            return (
              <li
                key={item.key}
                data-at={item.index}
                className={`absolute inset-x-0 flex items-center gap-4 border-b px-5 max-md:gap-3 max-md:px-3 ${isChosen(index) ? 'bg-sun' : ''}`}
                style={{ top: item.start, height: rowPx }}
              >
                {canChange && (
                  <input
                    type="checkbox"
                    className="size-4 shrink-0 accent-[var(--sea)]"
                    aria-label={`Choose ${row.text || 'a link without words'} on ${row.title}`}
                    checked={isChosen(index)}
                    onChange={(event) => choose(item.index, (event.nativeEvent as MouseEvent).shiftKey)}
                  />
                )}
                <button
                  type="button"
                  data-open
                  className="grid min-w-0 flex-1 grid-cols-[minmax(0,11fr)_minmax(120px,12fr)_minmax(0,9fr)_minmax(0,9fr)] items-center gap-4 text-left max-md:grid-cols-2 max-md:gap-x-3 max-md:gap-y-0.5"
                  onClick={() => {
                    engine?.details(index)
                    onOpen(index)
                  }}
                >
                  <span className="min-w-0 leading-tight">
                    <b className="block truncate font-semibold">{row.text === '' ? 'no words' : row.text}</b>
                    <span className="block truncate text-[13px] text-ink-soft">{row.title}</span>
                  </span>
                  <RowRope row={row} isNarrow={isNarrow} />
                  <span className="address truncate" title={row.href}>
                    {row.leads}
                  </span>
                  <span className={`truncate text-[14px] ${isChosen(index) ? '' : row.isFaulty ? 'text-red' : 'text-ink-soft'}`}>
                    {row.state}
                  </span>
                </button>
              </li>
            )
          })}
        </ul>
      </div>
    </>
  )
}

function RowRope({ row, isNarrow }: { row: Row; isNarrow: boolean }) {
  return (
    <Rope
      strand={row.strand}
      knots={row.isShort ? [{ kind: 'short link', address: row.href }] : []}
      end={{ opens: row.end, lands: row.lands }}
      width={isNarrow ? 120 : 230}
    />
  )
}

function Groups({ state, onOpen }: { state: EngineState; onOpen: (destination: string) => void }) {
  const place = useRef<HTMLDivElement>(null)
  const groups = state.answer?.groups ?? []
  const rows = useVirtualizer({ count: groups.length, getScrollElement: () => place.current, estimateSize: () => ROW_PX - 6, overscan: 20 })
  return (
    <div ref={place} className="min-h-0 flex-1 overflow-y-auto border-t max-lg:h-[64dvh] max-lg:flex-none" data-rows>
      <ul className="relative" style={{ height: rows.getTotalSize() }} aria-label="Destinations found">
        {rows.getVirtualItems().map((item) => {
          const group = groups[item.index]
          if (group === undefined) return null
          return (
            <li key={item.key} className="absolute inset-x-0 border-b" style={{ top: item.start, height: ROW_PX - 6 }}>
              <button
                type="button"
                className="flex h-full w-full items-center gap-4 px-5 text-left hover:bg-sun max-md:px-3"
                onClick={() => onOpen(group.destination)}
              >
                <span className="address min-w-0 flex-1 truncate">{group.destination}</span>
                <span className="w-20 shrink-0 text-right tabular-nums">
                  {group.links} {group.links === 1 ? 'link' : 'links'}
                </span>
                <span className="note w-24 shrink-0 max-md:hidden">
                  on {group.pages} {group.pages === 1 ? 'page' : 'pages'}
                </span>
              </button>
            </li>
          )
        })}
      </ul>
    </div>
  )
}

const MORE: readonly (readonly [words: string, title: string, change: BulkChangeBody])[] = [
  ['Tag…', 'Tag them', { do: 'tag', add: [], remove: [] }],
  ['Take the titles as words', 'Take the titles as words', { do: 'take title' }],
  ['Leave the hints to the rules', 'Leave the hints to the rules', { do: 'tell', hints: null }],
  ['Leave the opening to the rules', 'Leave the opening to the rules', { do: 'open', opens: null }],
  ['Bake the rules in', 'Bake the rules into these pages', { do: 'bake' }],
  ['Take the links off', 'Take these links off', { do: 'unlink' }],
]

function More({ onPick }: { onPick: (title: string, change: BulkChangeBody) => void }) {
  return (
    <Menu.Root>
      <Menu.Trigger className="button">More…</Menu.Trigger>
      <Menu.Portal>
        <Menu.Positioner side="top" align="end" sideOffset={6} className="z-40">
          <Menu.Popup className="sheet grid py-1" style={{ boxShadow: 'var(--shadow)' }}>
            {MORE.map(([words, title, change]) => (
              <Menu.Item key={words} className="cursor-pointer px-4 py-1.5 data-[highlighted]:bg-sun" onClick={() => onPick(title, change)}>
                {words}
              </Menu.Item>
            ))}
          </Menu.Popup>
        </Menu.Positioner>
      </Menu.Portal>
    </Menu.Root>
  )
}

/** The newest bulk changes, each undone in one step. */
function Done({ canChange, onChanged }: { canChange: boolean; onChanged: () => void }) {
  const [isOpen, setOpen] = useState(false)
  const { data } = useQuery({
    queryKey: ['bulk changes'],
    queryFn: ({ signal }) => ask<BulkChangeList>('GET', '/bulk-changes', undefined, signal),
    enabled: canChange,
  })
  const items = useMemo(() => data?.items ?? [], [data])
  if (items.length === 0) return null
  return (
    <Menu.Root open={isOpen} onOpenChange={setOpen}>
      <Menu.Trigger className="button">Changes made</Menu.Trigger>
      <Menu.Portal>
        <Menu.Positioner align="end" sideOffset={6} className="z-40">
          <Menu.Popup
            className="sheet grid max-h-[60dvh] w-[360px] max-w-[92vw] overflow-y-auto py-1"
            style={{ boxShadow: 'var(--shadow)' }}
          >
            {items.map((item) => (
              <Menu.Item
                key={item.id}
                disabled={item.isUndone}
                className="flex cursor-pointer items-center gap-3 px-4 py-1.5 data-[disabled]:cursor-default data-[highlighted]:bg-sun"
                onClick={() => void undoBulk(item.id, onChanged)}
              >
                <span className="min-w-0 flex-1">
                  <span className="block truncate">
                    {item.links} {item.links === 1 ? 'link' : 'links'} {changeWords(item.change)}
                  </span>
                  <span className="note block">
                    {item.by ?? 'somebody'}, {sayWhen(item.at)}
                  </span>
                </span>
                <span className="shrink-0 text-[14px] font-semibold">{item.isUndone ? 'taken back' : 'Undo'}</span>
              </Menu.Item>
            ))}
          </Menu.Popup>
        </Menu.Positioner>
      </Menu.Portal>
    </Menu.Root>
  )
}

function Legend() {
  return (
    <footer className="flex flex-wrap items-center gap-x-6 gap-y-1 border-t bg-sheet px-5 py-1.5 text-[13.5px] text-ink-soft max-md:hidden">
      <b className="font-semibold text-ink">Reading a rope</b>
      {(
        [
          ['vouched', [], { opens: 'same tab', lands: true }, 'vouched, same tab'],
          ['nofollow', [], { opens: 'new tab', lands: true }, 'nofollow, new tab'],
          ['sponsored', ['short link'], { opens: 'new tab', lands: true }, 'paid, by short link'],
          ['vouched', [], { opens: 'same tab', lands: false }, 'does not land'],
        ] as const
      ).map(([strand, knots, end, words]) => (
        <span key={words} className="flex items-center gap-2.5">
          <span aria-hidden="true">
            <Rope strand={strand} knots={knots.map((kind) => ({ kind, address: '' }))} end={end} width={80} />
          </span>
          {words}
        </span>
      ))}
    </footer>
  )
}
