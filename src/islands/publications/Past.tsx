import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import type { Publication, PublicationList } from '../../contract/publications.ts'
import { readableAddress } from '../../core/address/index.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { Problem } from '../../ui/Form.tsx'
import { LinkChanges } from '../../ui/LinkChanges.tsx'
import { useAsk } from '../../ui/query.tsx'
import { useOneStop } from '../../ui/roving.ts'
import { When } from '../../ui/When.tsx'
import type { InWords } from '../../words/index.ts'

export function Past({ past, canPublish }: { past: InWords<PublicationList>; canPublish: boolean }) {
  const { data } = useAsk(
    'publications.list',
    {},
    { initialData: past, refetchInterval: (query) => (query.state.data?.items[0]?.check === null ? 1_500 : 30_000) },
  )
  const [open, setOpen] = useState<InWords<Publication> | null>(null)
  const stop = useOneStop<HTMLUListElement>()
  return (
    <section>
      <h2 className="mb-2 text-[19px]">Published</h2>
      {data.items.length === 0 && <p className="note">Nothing has been published yet.</p>}
      <ul {...stop} className="sheet divide-y" aria-label="Publications">
        {data.items.map((publication) => (
          <li key={publication.id}>
            <button
              type="button"
              className="flex w-full flex-wrap items-center gap-3 px-4 py-2 text-left hover:bg-sun"
              onClick={() => setOpen(publication)}
            >
              <b className="w-8 font-semibold">{publication.number}</b>
              <span className="min-w-0 flex-1">
                <When at={publication.at} />
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
        <Problem error={error} />
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
                <span className="address text-ink-soft">{readableAddress(item.path)}</span>
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
