import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import type { BulkChangeBody, Selection } from '../../contract/bulk-changes.ts'
import { readableAddress } from '../../core/address/index.ts'
import { call, isAway } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { Problem, Waiting } from '../../ui/Form.tsx'
import { JobProgress, useJob } from '../../ui/job.tsx'
import { useWaiting } from '../../ui/sending.ts'
import { stepOf, toldStep } from '../../ui/steps.ts'
import { Tag } from '../../ui/Tag.tsx'
import { number } from '../../words/index.ts'
import { isComplete, Parameters } from './BulkParameters.tsx'

/** A change that is being got ready for a number of links. */
export interface Bulk {
  readonly title: string
  readonly change: BulkChangeBody
  readonly selection: Selection
  readonly links: number
}

/** What a bulk change needs to be told, then what it would do, link by link, and only then the doing; undone in one step. */
export function BulkDialog({ bulk, onClose, onDone }: { bulk: Bulk; onClose: () => void; onDone: () => void }) {
  const [change, setChange] = useState(bulk.change)
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set())
  const selection: Selection =
    'filter' in bulk.selection
      ? { ...bulk.selection, except: [...(bulk.selection.except ?? []), ...left] }
      : { links: bulk.selection.links.filter(([page]) => !left.has(page)) }
  const isLong = bulk.links > SHORT_MAX
  const [job, setJob] = useState('')
  /** Under which what is asked for next tells how far it is. */
  const nextJob = (): { job?: string } => {
    if (!isLong) return {}
    const id = crypto.randomUUID()
    setJob(id)
    return { job: id }
  }
  const look = useMutation({
    mutationFn: () => call('bulk-changes.make', { body: { change, selection: bulk.selection, dryRun: true, ...nextJob() } }),
  })
  const make = useMutation({
    mutationFn: () => call('bulk-changes.make', { body: { change, selection, ...nextJob() } }),
    onSuccess: (made) => {
      const words = `${made.links} ${made.links === 1 ? 'link' : 'links'} changed on ${made.pages} ${made.pages === 1 ? 'page' : 'pages'}.`
      toldStep(words, stepOf('links', made.id), onDone)
      onDone()
      onClose()
    },
  })
  const review = look.data ?? null
  const { isWaiting, takeBack, send } = useWaiting(review === null ? look : make, review === null)
  const kept = review === null ? [] : review.byPage.filter(({ pageId }) => !left.has(pageId))
  const links = kept.reduce((sum, page) => sum + page.links, 0)
  const isReady = isComplete(change)
  return (
    <Dialog title={bulk.title} isOpen onClose={onClose} isWide>
      <form
        className="grid gap-4"
        onSubmit={(event) => {
          event.preventDefault()
          if (!isWaiting) send()
        }}
      >
        <Problem error={isAway(look.error ?? make.error) ? null : (look.error ?? make.error)} />
        {isWaiting && <Waiting onTakeBack={takeBack} />}
        <Parameters
          change={change}
          onChange={(next) => {
            setChange(next)
            look.reset()
          }}
        />
        {isLong && (look.isPending || make.isPending) && <Progress key={job} id={job} />}
        {review === null ? (
          <p className="flex items-center justify-between gap-3">
            <span className="note">
              {bulk.links} {bulk.links === 1 ? 'link' : 'links'} chosen. Nothing changes before you have seen what would.
            </span>
            <button type="submit" className="button button-main" disabled={!isReady || look.isPending}>
              {look.isPending ? 'Looking…' : 'Show what would change'}
            </button>
          </p>
        ) : (
          <>
            <div className="flex flex-wrap items-center justify-between gap-3" aria-live="polite">
              <p>
                <b>
                  {links} {links === 1 ? 'link' : 'links'} on {kept.length} {kept.length === 1 ? 'page' : 'pages'}
                </b>{' '}
                <span className="text-ink-soft">would change. Readers see it with the next publication.</span>
              </p>
              <button type="submit" className="button button-main" disabled={links === 0 || make.isPending}>
                {make.isPending ? 'Changing…' : `Change ${links} ${links === 1 ? 'link' : 'links'}`}
              </button>
            </div>
            {review.skipped.map(({ why, links: count }) => (
              <p key={why} className="note">
                {count} left as {count === 1 ? 'it is' : 'they are'}: {why}
              </p>
            ))}
            <ul className="grid max-h-[52dvh] gap-3 overflow-y-auto border-t pt-3" aria-label="What would change" tabIndex={0}>
              {review.byPage.slice(0, PAGES_SHOWN).map((page) => (
                <li key={page.pageId} className={left.has(page.pageId) ? 'text-ink-soft' : ''}>
                  <label className="flex items-center gap-2.5">
                    <input
                      type="checkbox"
                      checked={!left.has(page.pageId)}
                      onChange={() =>
                        setLeft(
                          (before) =>
                            new Set(before.has(page.pageId) ? [...before].filter((id) => id !== page.pageId) : [...before, page.pageId]),
                        )
                      }
                    />
                    <b className="min-w-0 truncate font-semibold">{page.title}</b>
                    <span className="address min-w-0 flex-1 truncate text-ink-soft">{readableAddress(page.page)}</span>
                    <span className="note shrink-0">
                      {page.links} {page.links === 1 ? 'link' : 'links'}
                    </span>
                  </label>
                  <ul className="mt-1.5 grid gap-2 pl-6.5">
                    {review.items
                      .filter(({ pageId }) => pageId === page.pageId)
                      .slice(0, ITEMS_PER_PAGE)
                      .map((item, i) => (
                        // biome-ignore lint/suspicious/noArrayIndexKey: two links of a page may be the same to the letter
                        <li key={i} className="grid gap-1">
                          <span className="note truncate">“{item.text === '' ? 'a picture' : item.text}”</span>
                          <Tag tag={item.before} />
                          <Tag tag={item.after} before={item.before} />
                        </li>
                      ))}
                  </ul>
                </li>
              ))}
            </ul>
            {review.byPage.length > PAGES_SHOWN && (
              <p className="note">and {number(review.byPage.length - PAGES_SHOWN)} more pages, which change with them</p>
            )}
            {review.moreItems > 0 && <p className="note">and {review.moreItems} more links, counted and not shown</p>}
          </>
        )}
      </form>
    </Dialog>
  )
}

/** More links than these take longer than a moment. */
const SHORT_MAX = 2_000

/** Links of one page shown in the review. */
const ITEMS_PER_PAGE = 6

const PAGES_SHOWN = 500

/** How far a change of many links is; its job begins with the call that makes it. */
function Progress({ id }: { id: string }) {
  const { job, stop, isStopping } = useJob(id, true)
  return (
    <JobProgress
      job={job}
      words={({ done, total }) => `${number(done)} of ${number(total)} links looked at`}
      onStop={job === undefined || isStopping ? null : stop}
    />
  )
}
