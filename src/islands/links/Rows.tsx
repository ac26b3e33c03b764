import { useVirtualizer } from '@tanstack/react-virtual'
import { ArrowDown, ArrowUp } from 'lucide-react'
import { type KeyboardEvent, useEffect, useRef } from 'react'
import { toast } from 'sonner'
import { readableAddress } from '../../core/address/index.ts'
import { type PlacementQuery, SORTS } from '../../core/placements/index.ts'
import { useNarrow } from '../../ui/narrow.ts'
import { Rope } from '../../ui/Rope.tsx'
import { focusDrawn, useOneStop } from '../../ui/roving.ts'
import { Select } from '../../ui/Select.tsx'
import { number } from '../../words/index.ts'
import { type Chosen, NOTHING } from './chosen.ts'
import type { Engine } from './engine.ts'
import { CHOSEN_MAX } from './far.ts'
import type { ShownRow } from './messages.ts'
import type { EngineState, Found } from './state.ts'
import { SORT_WORDS } from './words.ts'

const ROW_PX = 50
/** On a phone a row is two lines. */
const NARROW_ROW_PX = 74

/** The links found, of which only those in sight are drawn. */
export function Rows({
  state,
  engine,
  found,
  chosen,
  canChange,
  query,
  onSort,
  onChoose,
  onOpen,
}: {
  state: EngineState
  engine: Engine | null
  found: Found
  chosen: Chosen
  canChange: boolean
  query: PlacementQuery
  onSort: (sort: Pick<PlacementQuery, 'sort' | 'isDown'>) => void
  onChoose: (chosen: Chosen) => void
  onOpen: (index: number) => void
}) {
  const place = useRef<HTMLDivElement>(null)
  const last = useRef<number | null>(null)
  const stop = useOneStop<HTMLUListElement>({ drawsPart: true })
  const isNarrow = useNarrow()
  const rowPx = isNarrow ? NARROW_ROW_PX : ROW_PX
  const rows = useVirtualizer({ count: found.length, getScrollElement: () => place.current, estimateSize: () => rowPx, overscan: 20 })
  const { measure } = rows
  // biome-ignore lint/correctness/useExhaustiveDependencies: measured anew when rows become taller
  useEffect(() => measure(), [rowPx, measure])
  const inSight = rows.getVirtualItems()
  const [first, lastInSight] = [inSight[0]?.index ?? 0, inSight[inSight.length - 1]?.index ?? 0]
  // biome-ignore lint/correctness/useExhaustiveDependencies: another answer needs its own rows
  useEffect(() => {
    void engine?.need(first, lastInSight + 1)
  }, [engine, first, lastInSight, state.answer])
  const isChosen = (index: number): boolean => chosen.all || chosen.indexes.has(index)
  const choose = (at: number, isRange: boolean): void => {
    const index = found.at(at)
    if (index === undefined) return
    const next = new Set(chosen.all ? everyOf(found) : chosen.indexes)
    const from = isRange && last.current !== null ? last.current : at
    const isOn = !isChosen(index)
    for (let i = Math.min(from, at); i <= Math.max(from, at); i++) {
      const each = found.at(i)
      if (each !== undefined && isOn) next.add(each)
      else if (each !== undefined) next.delete(each)
    }
    last.current = at
    if (state.isFar && next.size > CHOSEN_MAX)
      return void toast.error(`One by one ${number(CHOSEN_MAX)} links can be chosen. Narrow the list, and choose all of it.`)
    onChoose({ all: false, indexes: next })
  }
  const onKey = (event: KeyboardEvent): void => {
    const at = Number((event.target as HTMLElement).closest<HTMLElement>('[data-at]')?.dataset.at ?? -1)
    const step =
      event.key === 'ArrowDown' ? 1 : event.key === 'ArrowUp' ? -1 : event.key === 'PageDown' ? 10 : event.key === 'PageUp' ? -10 : 0
    if (step !== 0 && at >= 0) {
      const next = Math.max(0, Math.min(found.length - 1, at + step))
      focusDrawn(place.current, next, rows.scrollToIndex)
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
      <div className="flex flex-wrap items-center justify-between gap-x-4 gap-y-1 border-y px-5 py-1.5 text-[14px] text-ink-soft max-md:px-3">
        {canChange && found.length > 0 ? (
          <label className="flex items-center gap-2.5">
            <input
              type="checkbox"
              checked={chosen.all || (chosen.indexes.size === found.length && found.length > 0)}
              onChange={() => onChoose(chosen.all || chosen.indexes.size > 0 ? NOTHING : { all: true })}
            />
            {chosen.all ? `All ${found.length} that the list shows are chosen` : `Choose all ${found.length}`}
          </label>
        ) : (
          <span />
        )}
        <SortBy query={query} onSort={onSort} />
      </div>
      {/* biome-ignore lint/a11y/noStaticElementInteractions: keys go from row to row; each row's own button is the control */}
      <div ref={place} className="min-h-0 flex-1 overflow-y-auto max-lg:h-[64dvh] max-lg:flex-none" onKeyDown={onKey} data-rows>
        <ul {...stop} className="relative" style={{ height: rows.getTotalSize() }} aria-label="Links found">
          {inSight.map((item) => {
            const index = found.at(item.index)
            const row = index === undefined ? undefined : state.rows[index]
            if (index === undefined) return null
            if (row === undefined)
              return (
                <li key={item.key} className="absolute inset-x-0 border-b" style={{ top: item.start, height: rowPx }} aria-busy="true" />
              )
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
                    {readableAddress(row.leads)}
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

/** In which order the list stands. */
function SortBy({ query, onSort }: { query: PlacementQuery; onSort: (sort: Pick<PlacementQuery, 'sort' | 'isDown'>) => void }) {
  const sort = query.sort ?? 'page'
  const isDown = query.isDown === true
  return (
    <span className="flex items-center gap-2">
      <span aria-hidden="true">In the order of</span>
      <Select
        label="In the order of"
        isLabelHidden
        className="!min-h-8 !w-auto !py-0.5"
        value={sort}
        options={SORTS.map((each) => [each, SORT_WORDS[each]])}
        onChange={(value) => onSort({ sort: SORTS.find((each) => each === value), isDown })}
      />
      <button
        type="button"
        className="button !min-h-8 !px-2 !py-0.5"
        aria-pressed={isDown}
        aria-label="From the end"
        title={isDown ? 'From the end' : 'From the beginning'}
        onClick={() => onSort({ sort, isDown: !isDown })}
      >
        {isDown ? <ArrowUp size={16} aria-hidden="true" /> : <ArrowDown size={16} aria-hidden="true" />}
      </button>
    </span>
  )
}

const everyOf = (found: Found): number[] => Array.from({ length: found.length }, (_, place) => found.at(place) ?? 0)

function RowRope({ row, isNarrow }: { row: ShownRow; isNarrow: boolean }) {
  return (
    <Rope
      strand={row.strand}
      knots={row.isShort ? [{ kind: 'short link', address: row.href }] : []}
      end={{ opens: row.end, lands: row.lands }}
      width={isNarrow ? 120 : 230}
    />
  )
}

/** The destinations of the links found. */
export function Groups({ state, engine, onOpen }: { state: EngineState; engine: Engine | null; onOpen: (destination: string) => void }) {
  const place = useRef<HTMLDivElement>(null)
  const groups = state.answer?.groups ?? []
  const rows = useVirtualizer({ count: groups.length, getScrollElement: () => place.current, estimateSize: () => ROW_PX - 6, overscan: 20 })
  const inSight = rows.getVirtualItems()
  const [first, lastInSight] = [inSight[0]?.index ?? 0, inSight[inSight.length - 1]?.index ?? 0]
  // biome-ignore lint/correctness/useExhaustiveDependencies: another answer needs its own rows
  useEffect(() => {
    void engine?.need(first, lastInSight + 1)
  }, [engine, first, lastInSight, state.answer])
  return (
    <div ref={place} className="min-h-0 flex-1 overflow-y-auto border-t max-lg:h-[64dvh] max-lg:flex-none" data-rows>
      <ul className="relative" style={{ height: rows.getTotalSize() }} aria-label="Destinations found">
        {inSight.map((item) => {
          const group = groups[item.index]
          if (group === undefined) return null
          return (
            <li key={item.key} className="absolute inset-x-0 border-b" style={{ top: item.start, height: ROW_PX - 6 }}>
              <button
                type="button"
                className="flex h-full w-full items-center gap-4 px-5 text-left hover:bg-sun max-md:px-3"
                onClick={() => onOpen(group.destination)}
              >
                <span className="address min-w-0 flex-1 truncate">{readableAddress(group.destination)}</span>
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
