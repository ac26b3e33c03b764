import { useMutation } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { toast } from 'sonner'
import type { RedirectFinding } from '../../contract/redirect-review.ts'
import type { RedirectStepItem } from '../../contract/redirect-steps.ts'
import type { RedirectList, RedirectNew, RedirectQuery, RedirectRow } from '../../contract/redirects.ts'
import { FINDING_KINDS, REDIRECT_ORDERS } from '../../core/routing/index.ts'
import { addressOf, call, wordsOf } from '../../ui/api.ts'
import { Problem } from '../../ui/Form.tsx'
import { SearchField, useLongList } from '../../ui/long-list.tsx'
import { Queries, useAsk } from '../../ui/query.tsx'
import { Select } from '../../ui/Select.tsx'
import { stepOf, toldStep } from '../../ui/steps.ts'
import { ToChanges } from '../../ui/ToChanges.tsx'
import { counted, number } from '../../words/index.ts'
import { Bench } from './Bench.tsx'
import { Missed } from './Missed.tsx'
import { PasteDialog } from './PasteDialog.tsx'
import { RehearseDialog } from './RehearseDialog.tsx'
import { ReplayDialog } from './ReplayDialog.tsx'
import { ReviewDialog } from './ReviewDialog.tsx'
import { RowDialog } from './RowDialog.tsx'
import { Heads, Table } from './Table.tsx'
import { findingChip, HURTS, MATCH_WORDS } from './words.ts'

interface RedirectsProps {
  initial: RedirectList
  canEdit: boolean
  canExport: boolean
  /** Hosts that a row can be for. */
  hosts: readonly string[]
}

export function Redirects(props: RedirectsProps) {
  return (
    <Queries>
      <View {...props} />
    </Queries>
  )
}

const PAGE_ROWS = 200
/** Hits are loaded within a second or two of the answer; people watch for them. */
const HITS_EVERY_MS = 4_000
const COUNTED_MAX = 10_000

type Facets = Pick<RedirectQuery, 'status' | 'match' | 'host' | 'state'>
type Shown =
  | 'nothing'
  | 'paste'
  | 'rehearse'
  | 'replay'
  | { readonly review: RedirectFinding['kind'] | null }
  | { readonly made: RedirectNew }
  | { readonly row: string }

const ORDER_WORDS: Readonly<Record<(typeof REDIRECT_ORDERS)[number], string>> = {
  table: 'table order',
  from: 'by address',
  hits: 'most hits',
  last: 'last hit',
  newest: 'newest',
}
const STATE_WORDS: Readonly<Record<string, string>> = {
  on: 'on',
  off: 'off',
  'never-hit': 'never hit',
  conditional: 'with conditions',
  scheduled: 'for a time',
}

function View({ initial, canEdit, canExport, hosts }: RedirectsProps) {
  const [facets, setFacets] = useState<Facets>({})
  const [sort, setSort] = useState<(typeof REDIRECT_ORDERS)[number]>('table')
  const isPlain = sort === 'table' && Object.values(facets).every((value) => value === undefined)
  const list = useLongList('redirects.list', (search) => ({ query: { limit: PAGE_ROWS, search, sort, ...facets } }), {
    ...(isPlain ? { initial } : {}),
    refreshMs: HITS_EVERY_MS,
  })
  const rows = list.pages?.flatMap(({ items }) => items) ?? []
  const total = list.pages?.[0]?.total ?? 0
  const counts = useAsk('redirects.facets', {}).data?.facets
  const [shown, setShown] = useState<Shown>('nothing')
  useEffect(() => {
    // Another screen may lead to one kind of finding, or to a row for an address.
    const asked = new URLSearchParams(location.search)
    const kind = FINDING_KINDS.find((each) => each === asked.get('review'))
    const from = asked.get('from')
    if (kind !== undefined) setShown({ review: kind })
    else if (from !== null && canEdit) setShown({ made: { from, to: asked.get('to') ?? '' } })
  }, [canEdit])
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set())
  const review = useAsk('redirect-review.look', { query: {} })
  const findings = new Map((review.data?.items ?? []).map((finding) => [finding.row.id, finding]))
  const close = (): void => setShown('nothing')
  const openedId = typeof shown === 'object' && 'row' in shown ? shown.row : null
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_330px] max-lg:block">
      <div className="flex min-h-0 min-w-0 flex-col gap-3 px-5 py-5 max-lg:h-auto max-md:px-3">
        <header className="flex flex-wrap items-baseline gap-x-3 gap-y-2">
          <h1 className="text-[26px]">Redirects</h1>
          <p className="text-ink-soft" aria-live="polite">
            {total > COUNTED_MAX ? `more than ${number(COUNTED_MAX)} rows` : counted(total, 'row')}
            {list.wanted !== '' || !isPlain ? ' found' : ', the most fitting one answers'}
          </p>
          <span className="ml-auto flex flex-wrap gap-2.5 max-md:ml-0">
            <ToChanges kind="redirects" />
            {canExport && <Download />}
            {canEdit && (
              <>
                <button type="button" className="button" onClick={() => setShown('paste')}>
                  Paste two columns
                </button>
                <button type="button" className="button" onClick={() => setShown({ made: { from: '' } })}>
                  New row
                </button>
              </>
            )}
          </span>
        </header>
        <Bench canEdit={canEdit} onMake={(made) => setShown({ made })} onChange={(row) => setShown({ row })} />
        <div className="flex flex-wrap items-center gap-2">
          {review.data?.counts.map(({ kind, rows: found }) => (
            <button
              key={kind}
              type="button"
              className={`chip hover:bg-sun ${HURTS.has(kind) ? 'chip-red' : ''}`}
              onClick={() => setShown({ review: kind })}
            >
              <b>{number(found)}</b> {findingChip(kind, found)}
            </button>
          ))}
          {review.data !== undefined && review.data.total === 0 && review.data.rows > 0 && (
            <span className="note">Nothing is wrong in the table.</span>
          )}
          {canEdit && (
            <span className="ml-auto flex gap-2 max-md:ml-0">
              <button type="button" className="chip hover:bg-sun" onClick={() => setShown('rehearse')}>
                Rehearse a move
              </button>
              <button type="button" className="chip hover:bg-sun" onClick={() => setShown('replay')}>
                Replay a log
              </button>
            </span>
          )}
        </div>
        <section aria-label="The table" className="sheet flex min-h-[260px] flex-1 flex-col overflow-hidden">
          <div className="flex flex-wrap items-center gap-2 border-b px-3 py-2">
            <SearchField
              label="Find a row"
              hint="Find by address or note"
              value={list.search}
              onChange={list.setSearch}
              className="!w-[190px] !min-h-8 !py-1 max-md:!w-full"
            />
            {FACETS.map(({ name, all, words }) => (
              <Facet
                key={name}
                label={all}
                value={facets[name]}
                options={(counts?.[name] ?? []).map(({ value, rows: found }) => [value, `${words(value)} (${number(found)})`])}
                onChange={(value) => setFacets({ ...facets, [name]: value })}
              />
            ))}
            <Select
              label="In which order"
              isLabelHidden
              className="ml-auto !min-h-8 !w-auto max-w-[150px] !py-1 text-[14px]"
              value={sort}
              options={REDIRECT_ORDERS.map((each) => [each, ORDER_WORDS[each]])}
              onChange={(value) => setSort(REDIRECT_ORDERS.find((each) => each === value) ?? 'table')}
            />
          </div>
          {chosen.size > 0 && <Together rows={rows.filter(({ id }) => chosen.has(id))} onDone={() => setChosen(new Set())} />}
          <Problem error={list.error} className="px-4 py-3" />
          <Heads />
          {list.pages !== null && rows.length === 0 ? (
            <p className="px-4 py-10 text-center text-ink-soft">
              {list.wanted !== '' || !isPlain
                ? 'No row is like that.'
                : canEdit
                  ? 'No rows yet. Type an old address on the bench, or paste two columns: old address, new address.'
                  : 'No rows yet.'}
            </p>
          ) : (
            <Table
              rows={rows}
              findings={findings}
              canEdit={canEdit}
              chosen={chosen}
              onChoose={setChosen}
              onOpen={({ id }) => setShown({ row: id })}
              onEnd={() => list.hasMore && !list.isComing && list.more()}
            />
          )}
        </section>
        {canEdit && (
          <p className="note max-md:hidden">
            <kbd>Enter</kbd> changes a row where it stands, <kbd>e</kbd> opens all of it, <kbd>o</kbd> switches it on or off,{' '}
            <kbd>Delete</kbd> takes it away, <kbd>Space</kbd> chooses it; arrows go about.
          </p>
        )}
      </div>
      <Missed canEdit={canEdit} onMake={(made) => setShown({ made })} />
      {shown === 'paste' && <PasteDialog onClose={close} />}
      {shown === 'rehearse' && <RehearseDialog onClose={close} />}
      {shown === 'replay' && <ReplayDialog onClose={close} />}
      {typeof shown === 'object' && 'review' in shown && (
        <ReviewDialog first={shown.review} canEdit={canEdit} onOpen={(row) => setShown({ row })} onClose={close} />
      )}
      {typeof shown === 'object' && 'made' in shown && (
        <RowDialog row={null} given={shown.made} hosts={hosts} canEdit={canEdit} onClose={close} />
      )}
      {openedId !== null && <Opened key={openedId} id={openedId} hosts={hosts} canEdit={canEdit} onClose={close} />}
    </div>
  )
}

/** A row that was asked for by its id: as it is now, wherever it stands in the list. */
function Opened({ id, hosts, canEdit, onClose }: { id: string; hosts: readonly string[]; canEdit: boolean; onClose: () => void }) {
  const { data, error } = useAsk('redirects.get', { id }, { staleTime: 0 })
  if (error !== null) toast.error(wordsOf(error))
  return data === undefined ? null : <RowDialog row={data} given={null} hosts={hosts} canEdit={canEdit} onClose={onClose} />
}

const FACETS = [
  { name: 'status', all: 'any status', words: (value: string) => value },
  { name: 'match', all: 'any kind', words: (value: string) => MATCH_WORDS[value as RedirectRow['match']] ?? value },
  { name: 'host', all: 'any host', words: (value: string) => (value === 'all' ? 'for all hosts' : value) },
  { name: 'state', all: 'on or off', words: (value: string) => STATE_WORDS[value] ?? value },
] as const

function Facet({
  label,
  value,
  options,
  onChange,
}: {
  label: string
  value: string | undefined
  options: readonly (readonly [value: string, words: string])[]
  onChange: (value: string | undefined) => void
}) {
  if (options.length < 2 && value === undefined) return null
  return (
    <Select
      label={label}
      isLabelHidden
      className={`!min-h-8 !w-auto max-w-[122px] !py-1 text-[14px] ${value === undefined ? '' : 'bg-sun font-semibold'}`}
      value={value ?? ''}
      options={[['', label], ...options]}
      onChange={(chosen) => onChange(chosen === '' ? undefined : chosen)}
    />
  )
}

/** What is done with several rows at once, in one step. */
function Together({ rows, onDone }: { rows: readonly RedirectRow[]; onDone: () => void }) {
  const carry = useMutation({
    mutationFn: ({ what, item }: { what: string; item: (row: RedirectRow) => RedirectStepItem }) =>
      call('redirect-steps.create', { body: { what: `${what} ${counted(rows.length, 'row')}`, items: rows.map(item) } }),
    onSuccess: ({ made, changed, removed, refused, step }) => {
      toldStep(`${counted(made + changed + removed, 'row')} changed.`, stepOf('redirects', step))
      if (refused[0] !== undefined) toast.error(refused[0].reason)
      onDone()
    },
    onError: (error) => toast.error(wordsOf(error)),
  })
  const set = (what: string, isOn: boolean): void =>
    carry.mutate({ what, item: ({ id, version }) => ({ do: 'change', id, change: { version, isOn } }) })
  return (
    <div className="flex flex-wrap items-center gap-2.5 border-b bg-sun px-3 py-1.5">
      <b>{counted(rows.length, 'row')} chosen</b>
      <button type="button" className="button !min-h-8" onClick={() => set('Switched on', true)}>
        Switch on
      </button>
      <button type="button" className="button !min-h-8" onClick={() => set('Switched off', false)}>
        Switch off
      </button>
      <button
        type="button"
        className="button !min-h-8"
        onClick={() => carry.mutate({ what: 'Took away', item: ({ id }) => ({ do: 'remove', id }) })}
      >
        Take away
      </button>
      <button type="button" className="button button-plain !min-h-8" onClick={onDone}>
        Choose none
      </button>
    </div>
  )
}

const DOWNLOADS = [
  ['csv', 'CSV'],
  ['json', 'JSON'],
  ['httpd', 'Apache httpd'],
  ['nginx', 'nginx'],
] as const

function Download() {
  return (
    <details className="relative">
      <summary className="button list-none">Take out</summary>
      <ul className="sheet absolute right-0 z-30 mt-1 grid w-[200px] py-1 max-md:left-0" style={{ boxShadow: 'var(--shadow)' }}>
        {DOWNLOADS.map(([as, words]) => (
          <li key={as}>
            <a
              className="block px-4 py-1.5 no-underline hover:bg-sun"
              href={addressOf('redirect-lists.download', { query: { as } })}
              download
            >
              {words}
            </a>
          </li>
        ))}
      </ul>
    </details>
  )
}
