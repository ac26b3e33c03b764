import { useMutation } from '@tanstack/react-query'
import { type KeyboardEvent, useRef, useState } from 'react'
import { toast } from 'sonner'
import type { MissedAddress } from '../../contract/missed.ts'
import type { RedirectNew } from '../../contract/redirects.ts'
import { SURE } from '../../core/routing/index.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { Problem } from '../../ui/Form.tsx'
import { useAskOn } from '../../ui/query.tsx'
import { stepInRow } from '../../ui/roving.ts'
import { stepOf, toldStep } from '../../ui/steps.ts'
import { type InWords, number } from '../../words/index.ts'
import { toldRows } from './Outcome.tsx'
import { bare } from './words.ts'

const REFRESH_MS = 10_000

/** Addresses that visitors asked for in vain: Enter takes the suggestion. */
export function Missed({ canEdit, onMake }: { canEdit: boolean; onMake: (row: RedirectNew) => void }) {
  const { data, error, fetchNextPage, hasNextPage } = useAskOn('missed.list', { query: {} }, { refreshMs: REFRESH_MS })
  const items = data?.pages.flatMap((page) => page.items) ?? []
  const noise = data?.pages[0]?.noise ?? []
  const rule = data?.pages[0]?.rule ?? []
  const score = data?.pages[0]?.score ?? []
  const most = Math.max(1, ...items.map(({ people }) => people))
  const place = useRef<HTMLUListElement>(null)
  const [stop, setStop] = useState('')
  const stopAt = items.some(({ id }) => id === stop) ? stop : items[0]?.id
  const take = useMutation({
    mutationFn: (rows: readonly InWords<MissedAddress>[]) =>
      call('redirect-steps.create', {
        body: {
          what: rows.length === 1 ? `A row for ${rows[0]?.path.slice(0, 150)}` : `Rows for ${rows.length} missed addresses`,
          items: rows.map(({ path, suggestions }) => ({
            do: 'make',
            row: { from: path, to: suggestions[0]?.to ?? '/', note: 'was asked for in vain' },
          })),
        },
      }),
    onSuccess: async ({ made, rows, refused, step }) => {
      if (refused[0] !== undefined) toast.error(refused[0].reason)
      if (made > 0) toldStep(await toldRows(rows), stepOf('redirects', step))
    },
    onError: (failure) => toast.error(wordsOf(failure)),
  })
  const ignore = useMutation({
    mutationFn: ({ id, isIgnored }: { id: string; isIgnored: boolean }) => call('missed.ignore', { body: { ids: [id], isIgnored } }),
    onSuccess: (_, { id, isIgnored }) => {
      if (isIgnored) toast.success('Left alone.', { action: { label: 'Undo', onClick: () => ignore.mutate({ id, isIgnored: false }) } })
    },
    onError: (failure) => toast.error(wordsOf(failure)),
  })
  const sure = items.filter(({ suggestions }) => (suggestions[0]?.score ?? 0) >= SURE)
  const onKey = (event: KeyboardEvent): void => {
    const target = event.target as HTMLElement
    const line = target.closest('li')
    if (line === null || stepInRow(event, line)) return
    const all = [...(place.current?.querySelectorAll<HTMLElement>('[data-missed]') ?? [])]
    const at = all.findIndex((each) => line.contains(each))
    if (at === -1) return
    const item = items[at]
    if (event.key === 'ArrowDown') all[at + 1]?.focus()
    else if (event.key === 'ArrowUp') all[at - 1]?.focus()
    else if (event.key === 'Delete' && canEdit && item !== undefined) ignore.mutate({ id: item.id, isIgnored: true })
    else return
    event.preventDefault()
  }
  return (
    <aside
      aria-label="Missed addresses"
      className="flex min-h-0 flex-col border-l bg-[color-mix(in_srgb,var(--sheet)_55%,var(--paper))] max-lg:border-l-0"
    >
      <header className="px-4 pt-5 pb-3">
        <h2 className="text-[19px]">Missed addresses</h2>
        <p className="note">what visitors asked for and did not find{canEdit ? '; Enter takes the suggestion' : ''}</p>
        {canEdit && sure.length > 1 && (
          <button type="button" className="button mt-2" disabled={take.isPending} onClick={() => take.mutate(sure)}>
            Take {sure.length} sure ones
          </button>
        )}
      </header>
      <Problem error={error} className="px-4" />
      <ul ref={place} className="min-h-0 flex-1 divide-y overflow-y-auto border-y" onKeyDown={onKey}>
        {items.map((item) => (
          <Item
            key={item.id}
            item={item}
            most={most}
            canEdit={canEdit}
            isStop={item.id === stopAt}
            onStop={() => setStop(item.id)}
            onTake={() => (item.suggestions[0] === undefined ? onMake({ from: item.path }) : take.mutate([item]))}
            onMake={() => onMake({ from: item.path, ...(item.suggestions[0] === undefined ? {} : { to: item.suggestions[0].to }) })}
            onIgnore={() => ignore.mutate({ id: item.id, isIgnored: true })}
          />
        ))}
        {data !== undefined && items.length === 0 && (
          <li className="px-4 py-8 text-center text-ink-soft">Nobody has asked for a page in vain.</li>
        )}
        {hasNextPage && (
          <li className="px-4 py-3 text-center">
            <button type="button" className="button" onClick={() => void fetchNextPage()}>
              Show more
            </button>
          </li>
        )}
      </ul>
      <Apart noise={noise} rule={rule} score={score} />
    </aside>
  )
}

function Item({
  item,
  most,
  canEdit,
  isStop,
  onStop,
  onTake,
  onMake,
  onIgnore,
}: {
  item: InWords<MissedAddress>
  most: number
  canEdit: boolean
  /** Whether Tab comes to this one; the others are reached by the arrows. */
  isStop: boolean
  onStop: () => void
  onTake: () => void
  onMake: () => void
  onIgnore: () => void
}) {
  const [best] = item.suggestions
  const rises = item.week > item.weekBefore && item.week > 4
  const from = item.referrers.map(({ referrer }) => referrer).join(', ')
  return (
    <li className="group relative px-4 py-2.5 focus-within:bg-sun hover:bg-sun" onFocus={onStop}>
      <button
        type="button"
        data-missed
        tabIndex={isStop ? 0 : -1}
        className="block w-full text-left disabled:opacity-100"
        disabled={!canEdit}
        onClick={onTake}
      >
        <span className="flex items-baseline justify-between gap-3">
          <span className="address min-w-0 truncate" title={`${item.host}${item.path}`}>
            {item.path}
          </span>
          <b className="tabular-nums" title={`${item.people} by people, ${item.others} by tools`}>
            {number(item.people)}
          </b>
        </span>
        <span
          aria-hidden="true"
          className="my-1 block h-1 rounded-full bg-rope"
          style={{ width: `${Math.max(4, (item.people / most) * 100)}%` }}
        />
        <span className="block">
          {best === undefined ? (
            <>
              <span aria-hidden="true">→ </span>no good guess
            </>
          ) : (
            <>
              <span aria-hidden="true">→ </span>
              <span className="address">{bare(best.to)}</span>
            </>
          )}
        </span>
        <span className="note block">
          {[best?.reason ?? '', rises ? `up from ${item.weekBefore} last week` : '', from === '' ? '' : `from ${from}`]
            .filter((part) => part !== '')
            .join('; ') || 'leads outside? a partner’s page?'}
        </span>
      </button>
      {canEdit && (
        <span className="mt-1 hidden gap-3 text-[13.5px] group-focus-within:flex group-hover:flex max-lg:flex">
          <button type="button" tabIndex={-1} className="underline" onClick={onMake}>
            Lead it elsewhere<span className="sr-only">: {item.path}</span>
          </button>
          <button type="button" tabIndex={-1} className="underline" onClick={onIgnore}>
            Leave it alone<span className="sr-only">: {item.path}</span>
          </button>
        </span>
      )}
    </li>
  )
}

function Apart({
  noise,
  rule,
  score,
}: {
  noise: readonly { kind: string; visits: number }[]
  rule: readonly string[]
  score: readonly string[]
}) {
  const all = noise.reduce((sum, { visits }) => sum + visits, 0)
  return (
    <details className="px-4 py-3 text-[13.5px] text-ink-soft">
      <summary className="cursor-pointer">
        {all === 0 ? 'How this is counted' : `${number(all)} requests of robots and scanners are kept apart`}
      </summary>
      <div className="mt-2 grid max-h-[30vh] gap-2 overflow-y-auto">
        {noise.length > 0 && <p>{noise.map(({ kind, visits }) => `${kind}: ${number(visits)}`).join(', ')}, in 30 days.</p>}
        <ul className="grid list-disc gap-1 pl-4">
          {rule.map((sentence) => (
            <li key={sentence}>{sentence}</li>
          ))}
        </ul>
        <p>How suggestions are scored:</p>
        <ul className="grid list-disc gap-1 pl-4">
          {score.map((sentence) => (
            <li key={sentence}>{sentence}</li>
          ))}
        </ul>
      </div>
    </details>
  )
}
