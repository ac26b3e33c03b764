import { useMutation } from '@tanstack/react-query'
import { useVirtualizer } from '@tanstack/react-virtual'
import { type KeyboardEvent, useEffect, useRef, useState } from 'react'
import { toast } from 'sonner'
import type { RedirectFinding } from '../../contract/redirect-review.ts'
import { RedirectRow } from '../../contract/redirects.ts'
import { readableAddress } from '../../core/address/index.ts'
import { REDIRECT_STATUSES } from '../../core/routing/index.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { isAgreed, Sides, useEdited } from '../../ui/edited.tsx'
import { useNarrow } from '../../ui/narrow.ts'
import { focusDrawn, stepInRow } from '../../ui/roving.ts'
import { Select } from '../../ui/Select.tsx'
import { Way } from '../../ui/Way.tsx'
import { number } from '../../words/index.ts'
import { tellRow } from './Outcome.tsx'
import { bare, endOf, MATCH_WORDS, STATUS_WORDS } from './words.ts'

const ROW_PX = 44
const NARROW_ROW_PX = 66
/** So many rows before the end of what is here, more is fetched. */
const AHEAD = 30
const UNDO_MS = 20_000

/** The rows that were found, of which only those in sight are drawn; each is changed where it stands. */
export function Table({
  rows,
  findings,
  canEdit,
  chosen,
  onChoose,
  onOpen,
  onEnd,
}: {
  rows: readonly RedirectRow[]
  findings: ReadonlyMap<string, RedirectFinding>
  canEdit: boolean
  chosen: ReadonlySet<string>
  onChoose: (chosen: ReadonlySet<string>) => void
  onOpen: (row: RedirectRow) => void
  /** The last rows that are here are in sight. */
  onEnd: () => void
}) {
  const place = useRef<HTMLDivElement>(null)
  const [edited, setEdited] = useState<string | null>(null)
  /** The row at which Tab comes into the list: the last that was in hand. */
  const [stop, setStop] = useState(0)
  const isNarrow = useNarrow()
  const rowPx = isNarrow ? NARROW_ROW_PX : ROW_PX
  const drawn = useVirtualizer({ count: rows.length, getScrollElement: () => place.current, estimateSize: () => rowPx, overscan: 20 })
  const { measure } = drawn
  // biome-ignore lint/correctness/useExhaustiveDependencies: measured anew when rows become taller
  useEffect(() => measure(), [rowPx, measure])
  const inSight = drawn.getVirtualItems()
  const stopAt = inSight.some(({ index }) => index === stop) ? stop : (inSight[0]?.index ?? 0)
  const lastInSight = inSight[inSight.length - 1]?.index ?? 0
  // biome-ignore lint/correctness/useExhaustiveDependencies: asked once for each stretch that comes into sight
  useEffect(() => {
    if (rows.length > 0 && lastInSight >= rows.length - AHEAD) onEnd()
  }, [lastInSight, rows.length])
  const toggle = (id: string): void => {
    const next = new Set(chosen)
    if (!next.delete(id)) next.add(id)
    onChoose(next)
  }
  const focusAt = (at: number): void => focusDrawn(place.current, at, drawn.scrollToIndex)
  const { remove, switchOn } = useRowActions()
  const onKey = (event: KeyboardEvent): void => {
    const target = event.target as HTMLElement
    const line = target.closest<HTMLElement>('[data-at]')
    const at = Number(line?.dataset.at ?? -1)
    const row = rows[at]
    if (row === undefined || edited === row.id || stepInRow(event, line)) return
    if (!target.matches('[data-open]') && !/^(?:Arrow|Page)/.test(event.key)) return
    const step = { ArrowDown: 1, ArrowUp: -1, PageDown: 10, PageUp: -10 }[event.key] ?? 0
    if (step !== 0) focusAt(Math.max(0, Math.min(rows.length - 1, at + step)))
    else if (event.key === 'Enter' && canEdit) setEdited(row.id)
    else if (event.key === 'Delete' && canEdit) remove.mutate(row)
    else if (event.key === ' ' && canEdit) toggle(row.id)
    else if (event.key === 'o' && canEdit) switchOn.mutate(row)
    else if (event.key === 'e') onOpen(row)
    else return
    event.preventDefault()
  }
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: keys go from row to row; each row's own button is the control
    <div ref={place} className="min-h-0 flex-1 overflow-y-auto max-lg:h-[64dvh] max-lg:flex-none" onKeyDown={onKey} data-rows>
      <ul className="relative" style={{ height: drawn.getTotalSize() }} aria-label="Redirects">
        {inSight.map((item) => {
          const row = rows[item.index]
          if (row === undefined) return null
          return (
            <li
              key={row.id}
              data-at={item.index}
              onFocus={() => setStop(item.index)}
              className="absolute inset-x-0 border-b"
              style={{
                top: item.start,
                height: item.size,
                background: isBad(findings.get(row.id)) ? 'color-mix(in srgb, var(--red) 9%, transparent)' : undefined,
              }}
            >
              {edited === row.id ? (
                <Editing
                  row={row}
                  onClose={() => {
                    setEdited(null)
                    focusAt(item.index)
                  }}
                  onMore={() => {
                    setEdited(null)
                    onOpen(row)
                  }}
                />
              ) : (
                <Shown
                  row={row}
                  finding={findings.get(row.id)}
                  isNarrow={isNarrow}
                  isStop={item.index === stopAt}
                  isChosen={chosen.has(row.id)}
                  canEdit={canEdit}
                  onChoose={() => toggle(row.id)}
                  onEdit={() => (canEdit ? setEdited(row.id) : onOpen(row))}
                  onOpen={() => onOpen(row)}
                />
              )}
            </li>
          )
        })}
      </ul>
    </div>
  )
}

const isBad = (finding: RedirectFinding | undefined): boolean => finding?.kind === 'loop' || finding?.kind === 'dead'

const GRID =
  'grid h-full grid-cols-[24px_minmax(0,1fr)_170px_minmax(0,1fr)_74px_64px] items-center gap-x-3 px-4 max-md:grid-cols-[24px_minmax(0,1fr)_auto] max-md:px-3'

/** The heads of the columns. */
export function Heads() {
  return (
    <div aria-hidden="true" className={`${GRID} !h-9 border-b text-[14px] text-ink-soft max-md:hidden`}>
      <span />
      <span>Asked for</span>
      <span>The way</span>
      <span>Lands on</span>
      <span className="text-right">Hits</span>
      <span />
    </div>
  )
}

function Shown({
  row,
  finding,
  isNarrow,
  isStop,
  isChosen,
  canEdit,
  onChoose,
  onEdit,
  onOpen,
}: {
  row: RedirectRow
  finding: RedirectFinding | undefined
  isNarrow: boolean
  /** Whether Tab comes to this one; the others are reached by the arrows. */
  isStop: boolean
  isChosen: boolean
  canEdit: boolean
  onChoose: () => void
  onEdit: () => void
  onOpen: () => void
}) {
  const hops = finding?.kind === 'chain' || finding?.kind === 'loop' ? Math.max(2, Math.min(3, finding.stops.length - 1)) : 1
  const statuses = [row.status, ...Array<number>(hops - 1).fill(finding?.other?.status ?? row.status)]
  const marks = [
    row.match === 'exact' ? '' : row.match === 'under' ? 'and under it' : row.match,
    row.hosts.length === 0 ? '' : row.hosts.length === 1 ? (row.hosts[0] ?? '') : `${row.hosts.length} hosts`,
    Object.keys(row.when).length === 0 ? '' : 'with conditions',
    row.isOn ? '' : 'off',
  ].filter((mark) => mark !== '')
  return (
    <div className={`${GRID} ${row.isOn ? '' : 'text-ink-soft'}`}>
      {canEdit ? (
        <input
          type="checkbox"
          tabIndex={-1}
          className="!h-5 !w-5"
          checked={isChosen}
          aria-label={`Choose ${row.from}`}
          onChange={onChoose}
        />
      ) : (
        <span />
      )}
      <button
        type="button"
        data-open
        tabIndex={isStop ? 0 : -1}
        className="flex min-w-0 items-baseline gap-2 text-left"
        title={row.from}
        onClick={onEdit}
      >
        <span className="address truncate">{readableAddress(row.from)}</span>
        {marks.length > 0 && <span className="note shrink-0 text-[12.5px]">{marks.join(', ')}</span>}
      </button>
      <span className={`max-md:hidden ${row.isOn ? '' : 'opacity-70'}`}>
        <Way statuses={statuses} end={endOf(row, finding)} width={165} />
      </span>
      <span
        className={`address min-w-0 truncate max-md:order-last max-md:col-span-2 max-md:col-start-2 ${row.to === '' ? '!font-[inherit] text-ink-soft' : ''}`}
        title={row.to}
      >
        {row.to === '' ? STATUS_WORDS[row.status] : `${isNarrow ? `${row.status} → ` : ''}${bare(row.to)}`}
      </span>
      <span
        className="text-right tabular-nums max-md:hidden"
        title={
          row.lastHitOn === null
            ? 'Nobody has come by yet'
            : `${number(row.hits)} by people, ${number(row.otherHits)} by tools; last on ${row.lastHitOn}`
        }
      >
        {row.hits + row.otherHits === 0 ? <span className="text-ink-soft">–</span> : number(row.hits)}
      </span>
      <button type="button" tabIndex={-1} className="button button-plain !min-h-8 !px-2 text-[13px] font-normal" onClick={onOpen}>
        {canEdit ? 'More' : 'See'}
        <span className="sr-only"> of {row.from}</span>
      </button>
    </div>
  )
}

const shortOf = ({ from, to, status, version }: RedirectRow) => ({ value: { from, to, status }, version })

/** A row while it is changed where it stands. Enter saves, Escape leaves it as it was. */
function Editing({ row, onClose, onMore }: { row: RedirectRow; onClose: () => void; onMore: () => void }) {
  const edited = useEdited(shortOf(row), { key: `redirect line ${row.id}` })
  const { from, to, status } = edited.value
  const place = useRef<HTMLFormElement>(null)
  useEffect(() => place.current?.querySelector('input')?.select(), [])
  const save = useMutation({
    mutationFn: () =>
      edited.save(
        (value, version) => call('redirects.change', { id: row.id, body: { version, ...value } }),
        (current) => shortOf(RedirectRow.parse(current)),
      ),
    onSuccess: (now) => {
      onClose()
      void tellRow(now, {
        label: 'Undo',
        onClick: () =>
          void call('redirects.restore', { id: row.id, body: { version: now.version, of: row.version } }).catch((error: unknown) =>
            toast.error(wordsOf(error)),
          ),
      })
    },
    onError: (error) => toast.error(wordsOf(error)),
  })
  const { isChanged } = edited
  const leads = status < 400
  return (
    <form
      ref={place}
      className={`${GRID} bg-sun max-md:!grid-cols-1`}
      onSubmit={(event) => {
        event.preventDefault()
        if (isChanged) save.mutate()
        else onClose()
      }}
      onKeyDown={(event) => {
        if (event.key !== 'Escape') return
        event.preventDefault()
        event.stopPropagation()
        onClose()
      }}
    >
      <span className="max-md:hidden" />
      <input
        className="field address !min-h-8 !py-1"
        aria-label={`Asked for, ${MATCH_WORDS[row.match]}`}
        value={from}
        onChange={({ target }) => edited.set({ from: target.value })}
      />
      <Select
        label="Status"
        isLabelHidden
        className="!min-h-8 !py-1"
        value={String(status)}
        options={REDIRECT_STATUSES.map((each) => [String(each), `${each}: ${STATUS_WORDS[each]}`])}
        onChange={(value) => edited.set({ status: REDIRECT_STATUSES.find((each) => String(each) === value) ?? status })}
      />
      <input
        className="field address !min-h-8 !py-1"
        aria-label="Lands on"
        value={leads ? to : ''}
        disabled={!leads}
        onChange={({ target }) => edited.set({ to: target.value })}
      />
      <button type="submit" className="button button-main !min-h-8 !px-2" disabled={save.isPending || !isAgreed(edited)}>
        Save
      </button>
      <button type="button" className="button !min-h-8 !px-2" onClick={onMore}>
        More
      </button>
      <div className="col-span-full">
        <Sides edited={edited} words={{ from: 'Asked for', to: 'Lands on', status: 'Status' }} />
      </div>
    </form>
  )
}

/** What is done with one row by one key, each with its undo. */
export function useRowActions() {
  const back = (row: RedirectRow): void =>
    void call('redirects.putBack', { id: row.id }).then(
      (now) => tellRow(now),
      (error: unknown) => toast.error(wordsOf(error)),
    )
  const remove = useMutation({
    mutationFn: (row: RedirectRow) => call('redirects.remove', { id: row.id }),
    onSuccess: (_, row) =>
      toast.success(`${row.from} is taken away.`, { duration: UNDO_MS, action: { label: 'Undo', onClick: () => back(row) } }),
    onError: (error) => toast.error(wordsOf(error)),
  })
  const switchOn = useMutation({
    mutationFn: (row: RedirectRow) => call('redirects.change', { id: row.id, body: { version: row.version, isOn: !row.isOn } }),
    onSuccess: (now) => tellRow(now),
    onError: (error) => toast.error(wordsOf(error)),
  })
  return { remove, switchOn }
}
