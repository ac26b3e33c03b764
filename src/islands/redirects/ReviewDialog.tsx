import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import type { RedirectFinding } from '../../contract/redirect-review.ts'
import { readableAddress } from '../../core/address/index.ts'
import { call } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { Problem } from '../../ui/Form.tsx'
import { MoreButton } from '../../ui/long-list.tsx'
import { useAsk, useAskOn } from '../../ui/query.tsx'
import { stepOf, toldStep } from '../../ui/steps.ts'
import { counted, number } from '../../words/index.ts'
import { bare, FINDING_WORDS, findingChip } from './words.ts'

/** How soon it is looked again whether the pages to suggest have been read. */
const SUGGESTIONS_MS = 1_500

/** What is wrong in the table, each with what mends it; all mends are shown before, carried out as one, and taken back as one. */
export function ReviewDialog({
  first,
  canEdit,
  onOpen,
  onClose,
}: {
  /** Shown at first; null for everything. */
  first: RedirectFinding['kind'] | null
  canEdit: boolean
  onOpen: (id: string) => void
  onClose: () => void
}) {
  const [kind, setKind] = useState(first)
  const [isPreview, setPreview] = useState(false)
  const found = useAskOn(
    'redirect-review.look',
    { query: kind === null ? {} : { kind } },
    { refreshMs: ({ areSuggestionsComing }) => (areSuggestionsComing ? SUGGESTIONS_MS : false) },
  )
  const { error } = found
  const data = found.data?.pages[0]
  const items = found.data?.pages.flatMap((page) => page.items) ?? []
  const counts = data?.counts ?? []
  const mendable = counts.filter((each) => kind === null || each.kind === kind).reduce((sum, each) => sum + each.mendable, 0)
  return (
    <Dialog title="What is wrong in the table" isOpen onClose={onClose} isWide>
      <div className="grid gap-4">
        <Problem error={error} />
        <div className="flex flex-wrap gap-2">
          <button type="button" className="chip aria-pressed:bg-sun" aria-pressed={kind === null} onClick={() => setKind(null)}>
            everything
          </button>
          {counts.map((each) => (
            <button
              key={each.kind}
              type="button"
              className="chip aria-pressed:bg-sun"
              aria-pressed={kind === each.kind}
              onClick={() => setKind(each.kind)}
            >
              <b>{number(each.rows)}</b> {findingChip(each.kind, each.rows)}
            </button>
          ))}
        </div>
        {kind !== null && <p>{FINDING_WORDS[kind]}</p>}
        {data?.total === 0 && (
          <p className="py-6 text-center text-ink-soft">Nothing is wrong. {counted(data.rows, 'row')} looked through.</p>
        )}
        {data?.areSuggestionsComing === true && (
          <p role="status" className="note">
            The pages of the site are being read; where such a row may lead instead is here in a moment.
          </p>
        )}
        {isPreview ? (
          <Preview kinds={kind === null ? undefined : [kind]} onBack={() => setPreview(false)} onDone={onClose} />
        ) : (
          <>
            <ul className="max-h-[50vh] divide-y overflow-y-auto rounded-md border">
              {items.map((finding) => (
                <Item key={`${finding.row.id} ${finding.kind}`} finding={finding} canEdit={canEdit} onOpen={onOpen} />
              ))}
              <li>
                <MoreButton
                  list={{ hasMore: found.hasNextPage, isComing: found.isFetchingNextPage, more: () => void found.fetchNextPage() }}
                  shown={items.length}
                />
              </li>
            </ul>
            {canEdit && (
              <p className="flex justify-end">
                <button type="button" className="button button-main" disabled={mendable === 0} onClick={() => setPreview(true)}>
                  See {mendable === 1 ? 'the mend' : `all ${number(mendable)} mends`}
                </button>
              </p>
            )}
          </>
        )}
      </div>
    </Dialog>
  )
}

const mendWords = ({ kind, mend, suggestion }: RedirectFinding): string =>
  mend === null
    ? suggestion === null
      ? kind === 'loop'
        ? 'Say where one of its rows is to lead instead.'
        : kind === 'chain'
          ? 'One of the steps is for now only, depends on who asks, or ends nowhere: look at it by hand.'
          : 'What was meant only you can say.'
      : `Perhaps ${suggestion} was meant.`
    : 'to' in mend
      ? `Lead it to ${bare(mend.to)} in one step.`
      : 'isOn' in mend
        ? 'Switch it off.'
        : 'Take it away.'

function Item({ finding, canEdit, onOpen }: { finding: RedirectFinding; canEdit: boolean; onOpen: (id: string) => void }) {
  const { row, stops, other, suggestion } = finding
  const lead = useMutation({
    mutationFn: (to: string) =>
      call('redirect-steps.create', {
        body: {
          what: `${row.from.slice(0, 120)} leads elsewhere`,
          items: [{ do: 'change', id: row.id, change: { version: row.version, to } }],
        },
      }),
    onSuccess: ({ step, refused }, to) => {
      if (refused[0] !== undefined) toast.error(refused[0].reason)
      else toldStep(`${row.from} leads to ${bare(to)} now.`, stepOf('redirects', step))
    },
  })
  return (
    <li className="grid grid-cols-[minmax(0,1fr)_auto] items-center gap-x-4 gap-y-1 px-3 py-2">
      <span className="min-w-0">
        <span className="address block">
          {stops.length > 1 ? stops.map(bare).join(' → ') : `${row.from} → ${row.to === '' ? row.status : bare(row.to)}`}
        </span>
        <span className="note block">
          {FINDING_WORDS[finding.kind]}{' '}
          {other !== null && finding.kind !== 'chain' && finding.kind !== 'loop' && <>It is the row for {other.from}. </>}
          <b>{mendWords(finding)}</b>
        </span>
        <Problem error={lead.error} />
      </span>
      {canEdit && (
        <span className="flex gap-2">
          {suggestion !== null && (
            <button type="button" className="button !min-h-8" disabled={lead.isPending} onClick={() => lead.mutate(suggestion)}>
              Lead it there
            </button>
          )}
          <button type="button" className="button !min-h-8" onClick={() => onOpen(row.id)}>
            Open<span className="sr-only"> {row.from}</span>
          </button>
        </span>
      )}
    </li>
  )
}

/** What the mends would do, before they do it. */
function Preview({ kinds, onBack, onDone }: { kinds: RedirectFinding['kind'][] | undefined; onBack: () => void; onDone: () => void }) {
  const body = { ...(kinds === undefined ? {} : { kinds }) }
  const { data, error } = useAsk('redirect-review.mend', { body: { ...body, dryRun: true } }, { staleTime: 0, gcTime: 0 })
  const mend = useMutation({
    mutationFn: () => call('redirect-review.mend', { body }),
    onSuccess: ({ changed, removed, step }) => {
      toldStep(`${counted(changed + removed, 'row')} mended.`, stepOf('redirects', step))
      onDone()
    },
  })
  if (data === undefined) return error === null ? <p role="status">Looking…</p> : <Problem error={error} />
  return (
    <div className="grid gap-3">
      <ul className="max-h-[50vh] divide-y overflow-y-auto rounded-md border">
        {data.items.map((each) => (
          <li key={each.id} className="px-3 py-2">
            <span className="address block">{readableAddress(each.from)}</span>
            <span className="note">
              <del className="address">{each.before === '' ? 'nowhere' : bare(each.before)}</del>{' '}
              <ins className="address">{bare(each.after)}</ins>
            </span>
          </li>
        ))}
      </ul>
      <Problem error={mend.error} />
      <p className="flex flex-wrap justify-end gap-2.5">
        <button type="button" className="button" onClick={onBack}>
          Back
        </button>
        <button
          type="button"
          className="button button-main"
          disabled={mend.isPending || data.items.length === 0}
          onClick={() => mend.mutate()}
        >
          Mend {counted(data.items.length, 'row')}
        </button>
      </p>
    </div>
  )
}
