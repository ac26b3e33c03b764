import { useState } from 'react'
import { toast } from 'sonner'
import type { PlanList, PublicationList, PublicationNew, Unpublished } from '../../contract/publications.ts'
import { readableAddress } from '../../core/address/index.ts'
import { Problem } from '../../ui/Form.tsx'
import { LinkChanges } from '../../ui/LinkChanges.tsx'
import { Queries, useAsk } from '../../ui/query.tsx'
import { useOneStop } from '../../ui/roving.ts'
import { When } from '../../ui/When.tsx'
import type { InWords } from '../../words/index.ts'
import { Comparison } from '../editor/Comparison.tsx'
import { Past } from './Past.tsx'
import { PlanDialog, Plans } from './Plans.tsx'
import { usePublishing } from './publishing.tsx'

interface ReviewProps {
  initial: Unpublished
  past: InWords<PublicationList>
  plans: InWords<PlanList>
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
  const stop = useOneStop<HTMLUListElement>()
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
            <ul {...stop} className="sheet max-h-[60dvh] divide-y overflow-y-auto" aria-label="What differs">
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
                      {page.by === null ? '' : ` by ${page.by}`}, <When at={page.at} />
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
        <span className="address flex-1 text-ink-soft">{readableAddress(page.path)}</span>
        <a href={page.kind === 'menu' ? `/menus/${page.id}` : `/pages/${page.id}`}>Open</a>
      </p>
      <Problem error={error} />
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
