import { useMutation, useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { Toaster, toast } from 'sonner'
import type { Publication, PublicationNew, Unpublished } from '../../contract/publications.ts'
import { ask, wordsOf } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { Queries, queries } from '../../ui/query.tsx'
import { type Saving, useSaving } from '../../ui/saving.ts'

/** The foot of every screen: what is saved, what differs from the live site, and publishing it. */
export function Ledge({ canPublish }: { canPublish: boolean }) {
  return (
    <Queries>
      <LedgeBar canPublish={canPublish} />
      <Toaster
        position="top-center"
        richColors={false}
        toastOptions={{
          style: { background: 'var(--sheet)', color: 'var(--ink)', border: '1px solid var(--edge)', fontFamily: 'var(--font-text)' },
        }}
      />
    </Queries>
  )
}

function LedgeBar({ canPublish }: { canPublish: boolean }) {
  const [isLooking, setLooking] = useState(false)
  const saving = useSaving()
  const { data, error } = useQuery({
    queryKey: ['unpublished'],
    queryFn: ({ signal }) => ask<Unpublished>('GET', '/publications/unpublished', undefined, signal),
    refetchInterval: 15_000,
  })
  const publish = useMutation({
    mutationFn: (wanted: PublicationNew) => ask<Publication>('POST', '/publications', wanted),
    onSuccess: (made) => {
      setLooking(false)
      toast.success(`Published: ${countWords(made.pages, made.files)}. Readers see it now.`)
      void queries.invalidateQueries()
    },
    onError: (problem) => toast.error(wordsOf(problem)),
  })
  const pages = data === undefined ? 0 : data.pages.length + data.morePages
  const differs = pages + (data?.files ?? 0) > 0
  const isBusy = publish.isPending || saving.state === 'waiting' || saving.state === 'saving'
  return (
    <footer className="flex min-h-[46px] shrink-0 flex-wrap items-center gap-x-4 gap-y-1 bg-deck px-5 py-1.5 text-sm text-deck-text max-md:px-3">
      <SavingWords saving={saving} />
      <span className="flex-1 max-md:hidden" />
      <span role="status" className="max-md:min-w-0 max-md:flex-1">
        {data === undefined ? (
          error === null ? (
            'Looking at the live site…'
          ) : (
            wordsOf(error)
          )
        ) : differs ? (
          <>
            <b>{countWords(pages, data.files)}</b> {pages + data.files === 1 ? 'differs' : 'differ'} from the live site
          </>
        ) : (
          'Everything is live'
        )}
      </span>
      {differs && (
        <button type="button" className="button button-deck !gap-1" onClick={() => setLooking(true)}>
          See<span className="max-md:hidden">what differs</span>
        </button>
      )}
      {differs && canPublish && (
        <button type="button" className="button button-main" disabled={isBusy} onClick={() => publish.mutate({ all: true })}>
          {publish.isPending ? 'Publishing…' : 'Publish'}
        </button>
      )}
      {data !== undefined && (
        <Dialog title="What differs from the live site" isOpen={isLooking} onClose={() => setLooking(false)}>
          <Differences data={data} canPublish={canPublish} isBusy={isBusy} onPublish={(ids) => publish.mutate({ pages: ids })} />
        </Dialog>
      )}
    </footer>
  )
}

function SavingWords({ saving }: { saving: Saving }) {
  const [mark, words] = wordsFor(saving)
  if (words === '') return null
  return (
    <span data-saving={saving.state} aria-live="polite" className="flex items-center gap-2">
      <span aria-hidden="true" className="inline-block size-2 rounded-full" style={{ background: mark }} />
      {words}
    </span>
  )
}

function wordsFor(saving: Saving): [string, string] {
  switch (saving.state) {
    case 'nothing':
      return ['', '']
    case 'waiting':
    case 'saving':
      return ['var(--rope)', 'Saving…']
    case 'saved':
      return ['#6cc0b2', 'Saved']
    case 'kept here':
      return ['#f0907c', `Kept in this browser. ${saving.why}`]
    default:
      return ['#f0907c', saving.why]
  }
}

function Differences({
  data,
  canPublish,
  isBusy,
  onPublish,
}: {
  data: Unpublished
  canPublish: boolean
  isBusy: boolean
  onPublish: (ids: string[]) => void
}) {
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set())
  const chosen = data.pages.filter(({ id }) => !left.has(id))
  return (
    <>
      <ul className="divide-y">
        {data.pages.map((page) => (
          <li key={page.id} className="flex items-start gap-3 py-2">
            <input
              id={`publish-${page.id}`}
              type="checkbox"
              className="mt-1 size-4 accent-[var(--sea)]"
              checked={!left.has(page.id)}
              onChange={() =>
                setLeft((before) => new Set(before.has(page.id) ? [...before].filter((id) => id !== page.id) : [...before, page.id]))
              }
            />
            <label htmlFor={`publish-${page.id}`} className="min-w-0 flex-1">
              <b className="font-semibold">{page.title}</b>{' '}
              <span className="note">
                {page.isNew ? 'new' : 'changed'}
                {page.by === null ? '' : ` by ${page.by}`}
              </span>
              <span className="address block text-ink-soft">{page.path}</span>
            </label>
            <a href={`/pages/${page.id}`} className="text-sm">
              Open
            </a>
          </li>
        ))}
      </ul>
      {data.morePages > 0 && <p className="note py-2">and {data.morePages} more pages</p>}
      {data.files > 0 && <p className="note py-2">{countWords(0, data.files)} go along with whatever is published.</p>}
      {canPublish ? (
        <p className="mt-3 flex justify-end">
          <button
            type="button"
            className="button button-main"
            disabled={isBusy || chosen.length === 0}
            onClick={() => onPublish(chosen.map(({ id }) => id))}
          >
            Publish {countWords(chosen.length, 0)}
          </button>
        </p>
      ) : (
        <p className="note mt-3">An editor publishes these.</p>
      )}
    </>
  )
}

function countWords(pages: number, files: number): string {
  const words = [
    pages === 0 && files > 0 ? '' : `${pages} ${pages === 1 ? 'page' : 'pages'}`,
    files === 0 ? '' : `${files} ${files === 1 ? 'file' : 'files'}`,
  ]
  return words.filter((each) => each !== '').join(' and ')
}
