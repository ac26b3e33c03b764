import { useMutation } from '@tanstack/react-query'
import { useId, useState } from 'react'
import { toast } from 'sonner'
import type { PlanList, Publication, PublicationList, PublicationNew, Unpublished } from '../../contract/publications.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { LinkChanges } from '../../ui/LinkChanges.tsx'
import { PickPages } from '../../ui/PickPages.tsx'
import { Queries, useAsk } from '../../ui/query.tsx'
import { sayWhen } from '../../ui/when.ts'
import { Comparison } from '../editor/Comparison.tsx'
import { usePublishing } from './publishing.tsx'

interface ReviewProps {
  initial: Unpublished
  past: PublicationList
  plans: PlanList
  canPublish: boolean
}

/** What differs from the live site, link changes first; publishing all of it or some, now or later; and what was published. */
export function Review(props: ReviewProps) {
  return (
    <Queries>
      <Whole {...props} />
    </Queries>
  )
}

function Whole({ initial, past, plans, canPublish }: ReviewProps) {
  const { data } = useAsk('publications.unpublished', {}, { initialData: initial })
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set())
  const [chosenId, setChosenId] = useState<string | null>(null)
  const [isPlanning, setPlanning] = useState(false)
  const wanted = data.pages.filter(({ id }) => !left.has(id))
  const what: PublicationNew = left.size === 0 ? { all: true } : { pages: wanted.map(({ id }) => id) }
  const shown = data.pages.find(({ id }) => id === chosenId) ?? data.pages[0]
  const { begin, isBusy, question } = usePublishing(({ number }) => {
    toast.success(`Published as number ${number}. The live site is being asked for each change.`)
    setLeft(new Set())
  })
  const isEmpty = data.pages.length + data.files === 0
  return (
    <div className="mx-auto grid max-w-[1200px] gap-8 px-5 py-6 max-md:px-3">
      <section className="grid gap-4">
        <header className="flex flex-wrap items-center gap-3">
          <h1 className="text-[26px]">What differs from the live site</h1>
          <span className="note flex-1">
            {data.linkChanges} {data.linkChanges === 1 ? 'link change' : 'link changes'}
          </span>
          {canPublish && !isEmpty && (
            <>
              <button type="button" className="button" onClick={() => setPlanning(true)} disabled={wanted.length === 0}>
                Publish later
              </button>
              <button
                type="button"
                className="button button-main"
                disabled={isBusy || (wanted.length === 0 && left.size > 0)}
                onClick={() => begin(what)}
              >
                {left.size === 0 ? 'Publish everything' : `Publish ${wanted.length} of ${data.pages.length}`}
              </button>
            </>
          )}
        </header>
        {isEmpty ? (
          <p className="sheet px-5 py-8 text-center text-ink-soft">Everything is live.</p>
        ) : (
          <div className="grid grid-cols-[330px_minmax(0,1fr)] gap-5 max-lg:grid-cols-1">
            <ul className="sheet max-h-[60dvh] divide-y overflow-y-auto" aria-label="What differs">
              {data.pages.map((page) => (
                <li key={page.id} className={`flex items-start gap-2.5 px-3 py-2 ${page.id === shown?.id ? 'bg-sun' : ''}`}>
                  <input
                    type="checkbox"
                    className="mt-0.5"
                    aria-label={`Publish ${page.title}`}
                    checked={!left.has(page.id)}
                    disabled={!canPublish}
                    onChange={() =>
                      setLeft((before) => new Set(before.has(page.id) ? [...before].filter((id) => id !== page.id) : [...before, page.id]))
                    }
                  />
                  <button
                    type="button"
                    aria-pressed={page.id === shown?.id}
                    className="min-w-0 flex-1 text-left leading-snug"
                    onClick={() => setChosenId(page.id)}
                  >
                    <b className="block truncate font-semibold">{page.title}</b>
                    <span className="note block">
                      {page.isRemoved ? 'goes away' : page.isNew ? 'new' : 'changed'}
                      {page.kind === 'page' ? '' : ` ${page.kind}`}
                      {page.by === null ? '' : ` by ${page.by}`}, {sayWhen(page.at)}
                    </span>
                  </button>
                  {page.linkChanges > 0 && (
                    <span className="chip shrink-0 !px-2 !py-0 text-[13px]">
                      {page.linkChanges} {page.linkChanges === 1 ? 'link' : 'links'}
                    </span>
                  )}
                </li>
              ))}
              {data.morePages > 0 && <li className="note px-3 py-2">and {data.morePages} more pages</li>}
              {data.files > 0 && (
                <li className="px-3 py-2">
                  <b className="font-semibold">
                    {data.files} {data.files === 1 ? 'file goes' : 'files go'} along
                  </b>
                  <ul>
                    {data.filePaths.map((path) => (
                      <li key={path} className="address truncate text-ink-soft" title={path}>
                        {path}
                      </li>
                    ))}
                  </ul>
                  {data.files > data.filePaths.length && <span className="note">and {data.files - data.filePaths.length} more</span>}
                </li>
              )}
            </ul>
            {shown !== undefined && <OneDifference key={`${shown.id} ${shown.at}`} page={shown} />}
          </div>
        )}
      </section>
      <Plans plans={plans} canPublish={canPublish} />
      <Past past={past} canPublish={canPublish} />
      {question}
      {isPlanning && <PlanDialog pages={data.pages} morePages={data.morePages} left={left} onClose={() => setPlanning(false)} />}
    </div>
  )
}

function OneDifference({ page }: { page: Unpublished['pages'][number] }) {
  const { data, error } = useAsk('publications.difference', { id: page.id })
  return (
    <section className="sheet grid content-start gap-4 px-4 py-3.5" aria-label={`Changes of ${page.title}`}>
      <p className="flex flex-wrap items-baseline gap-3">
        <b className="font-display text-[18px]">{page.title}</b>
        <span className="address flex-1 text-ink-soft">{page.path}</span>
        <a href={page.kind === 'menu' ? `/menus/${page.id}` : `/pages/${page.id}`}>Open</a>
      </p>
      {error !== null && <p role="alert">{wordsOf(error)}</p>}
      {data !== undefined && data.links.length > 0 && <LinkChanges links={data.links} more={data.moreLinks} />}
      {data !== undefined && data.links.length === 0 && <p className="note">No link of it changes.</p>}
      {data !== undefined && !page.isNew && !page.isRemoved && (
        <div className="border-t pt-3">
          <Comparison before={data.before ?? ''} after={data.after ?? ''} names={['live', 'draft']} />
        </div>
      )}
    </section>
  )
}

/** @param left - pages that are not to go along, as ticked before */
function PlanDialog({
  pages,
  morePages,
  left,
  onClose,
}: {
  pages: Unpublished['pages']
  morePages: number
  left: ReadonlySet<string>
  onClose: () => void
}) {
  const id = useId()
  const [chosen, setChosen] = useState<ReadonlySet<string> | null>(
    left.size === 0 ? null : new Set(pages.filter((page) => !left.has(page.id)).map((page) => page.id)),
  )
  const what: PublicationNew = chosen === null ? { all: true } : { pages: [...chosen] }
  const [at, setAt] = useState('')
  const plan = useMutation({
    mutationFn: () => call('publications.plan', { body: { at: new Date(at).toISOString(), what } }),
    onSuccess: () => {
      toast.success('Planned. It publishes by itself.')
      onClose()
    },
    onError: (error) => toast.error(wordsOf(error)),
  })
  return (
    <Dialog title="Publish later" isOpen onClose={onClose}>
      <form
        className="grid gap-3"
        onSubmit={(event) => {
          event.preventDefault()
          plan.mutate()
        }}
      >
        <PickPages
          label="What? It goes live by itself, in your name."
          all="Everything that differs then"
          some="These pages, as they are then"
          first="all"
          pages={pages}
          more={morePages}
          chosen={chosen}
          onChoose={setChosen}
        />
        <div>
          <label className="field-label" htmlFor={id}>
            When? (your clock)
          </label>
          <input id={id} className="field" type="datetime-local" required value={at} onChange={(event) => setAt(event.target.value)} />
        </div>
        <p className="flex justify-end">
          <button type="submit" className="button button-main" disabled={at === '' || plan.isPending || chosen?.size === 0}>
            Plan it
          </button>
        </p>
      </form>
    </Dialog>
  )
}

function Plans({ plans, canPublish }: { plans: PlanList; canPublish: boolean }) {
  const { data } = useAsk('publications.plans', {}, { initialData: plans, refetchInterval: 10_000 })
  const cancel = useMutation({
    mutationFn: (id: string) => call('publications.cancelPlan', { id }),
    onError: (error) => toast.error(wordsOf(error)),
  })
  if (data.items.length === 0) return null
  return (
    <section>
      <h2 className="mb-2 text-[19px]">Planned</h2>
      <ul className="sheet divide-y">
        {data.items.slice(0, 10).map((plan) => (
          <li key={plan.id} className="flex flex-wrap items-center gap-3 px-4 py-2">
            <b className="font-semibold">{sayWhen(plan.at)}</b>
            <span className="note flex-1">
              {plan.pages === null ? 'everything' : `${plan.pages} ${plan.pages === 1 ? 'page' : 'pages'}`}
              {plan.by === null ? '' : `, by ${plan.by}`}
              {plan.message === null ? '' : `. ${plan.message}`}
            </span>
            <span className={plan.state === 'failed' ? 'text-red' : plan.state === 'done' ? 'text-sea' : 'font-semibold text-rope-text'}>
              {plan.state}
            </span>
            {plan.state === 'planned' && canPublish && (
              <button type="button" className="button" disabled={cancel.isPending} onClick={() => cancel.mutate(plan.id)}>
                Give it up
              </button>
            )}
          </li>
        ))}
      </ul>
    </section>
  )
}

function Past({ past, canPublish }: { past: PublicationList; canPublish: boolean }) {
  const { data } = useAsk(
    'publications.list',
    {},
    { initialData: past, refetchInterval: (query) => (query.state.data?.items[0]?.check === null ? 1_500 : 30_000) },
  )
  const [open, setOpen] = useState<Publication | null>(null)
  return (
    <section>
      <h2 className="mb-2 text-[19px]">Published</h2>
      {data.items.length === 0 && <p className="note">Nothing has been published yet.</p>}
      <ul className="sheet divide-y">
        {data.items.map((publication) => (
          <li key={publication.id}>
            <button
              type="button"
              className="flex w-full flex-wrap items-center gap-3 px-4 py-2 text-left hover:bg-sun"
              onClick={() => setOpen(publication)}
            >
              <b className="w-8 font-semibold">{publication.number}</b>
              <span className="min-w-0 flex-1">
                {sayWhen(publication.at)}
                {publication.by === null ? '' : `, ${publication.by}`}
                <span className="note block">
                  {publication.pages} {publication.pages === 1 ? 'page' : 'pages'}
                  {publication.files > 0 ? `, ${publication.files} ${publication.files === 1 ? 'file' : 'files'}` : ''}
                  {publication.restored === null ? '' : ` · back to number ${publication.restored}`}
                </span>
              </span>
              <CheckWord publication={publication} />
            </button>
          </li>
        ))}
      </ul>
      {open !== null && (
        <OnePublication publication={open} newest={data.items[0] ?? null} canPublish={canPublish} onClose={() => setOpen(null)} />
      )}
    </section>
  )
}

/** What the live site answered. */
function CheckWord({ publication: { check } }: { publication: Publication }) {
  if (check === null) return <span className="note">asking the live site…</span>
  if (check.problems.length > 0) return <span className="text-red">{check.problems.length} not as meant</span>
  return (
    <span className="text-sea">
      {check.links === 0 ? 'live ✓' : `${check.found} of ${check.links} changed ${check.links === 1 ? 'link' : 'links'} found live ✓`}
    </span>
  )
}

function OnePublication({
  publication,
  newest,
  canPublish,
  onClose,
}: {
  publication: Publication
  /** What is live now: the way back from a restoration. */
  newest: Publication | null
  canPublish: boolean
  onClose: () => void
}) {
  const { data, error } = useAsk('publications.view', { id: publication.id })
  const restore = useMutation({
    mutationFn: () => call('publications.restore', { id: publication.id }),
    onSuccess: ({ number }) => {
      toast.success(`The live site is as it was after number ${publication.number}. That is publication ${number}.`, {
        duration: 20_000,
        ...(newest === null ? {} : { action: { label: 'Undo', onClick: () => undo.mutate() } }),
      })
      onClose()
    },
    onError: (problem) => toast.error(wordsOf(problem)),
  })
  const undo = useMutation({
    mutationFn: () => call('publications.restore', { id: newest?.id ?? '' }),
    onSuccess: () => {
      toast.success('The live site is as it was before.')
    },
    onError: (problem) => toast.error(wordsOf(problem)),
  })
  const [isAsking, setAsking] = useState(false)
  const later = newest === null ? 0 : newest.number - publication.number
  return (
    <Dialog title={`Publication ${publication.number}`} isOpen onClose={onClose} isWide>
      <div className="grid gap-4">
        {error !== null && <p role="alert">{wordsOf(error)}</p>}
        {canPublish && newest?.id !== publication.id && (
          <div className="flex flex-wrap items-center gap-3">
            {isAsking ? (
              <>
                <p className="basis-full">
                  Readers lose what {later === 1 ? 'the publication since' : `the ${later} publications since`} brought; pages that came
                  later answer “not found”. Drafts with work in them stay as they are, and this can be undone.
                </p>
                <button type="button" className="button button-main" disabled={restore.isPending} onClick={() => restore.mutate()}>
                  Yes, bring it back to number {publication.number}
                </button>
                <button type="button" className="button button-plain" onClick={() => setAsking(false)}>
                  Leave it
                </button>
              </>
            ) : (
              <button type="button" className="button" onClick={() => setAsking(true)}>
                Bring the live site back to this
              </button>
            )}
          </div>
        )}
        {data?.check?.problems.map((problem) => (
          <p key={`${problem.path} ${problem.text} ${problem.href}`} className="text-red">
            {problem.path}: {problem.text === '' ? problem.href : `“${problem.text}”`}: {problem.why}
          </p>
        ))}
        <ul className="grid gap-4">
          {data?.items.map((item) => (
            <li key={`${item.kind} ${item.path}`} className="grid gap-1.5 border-b pb-3 last:border-0">
              <p>
                <b className="font-semibold">{item.title}</b> <span className="note">{item.what}</span>{' '}
                <span className="address text-ink-soft">{item.path}</span>
              </p>
              {item.links.length > 0 && <LinkChanges links={item.links} more={item.moreLinks} />}
            </li>
          ))}
        </ul>
        {data !== undefined && data.moreItems > 0 && <p className="note">and {data.moreItems} more</p>}
      </div>
    </Dialog>
  )
}
