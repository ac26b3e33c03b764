import { useState } from 'react'
import { toast } from 'sonner'
import type { Page } from '../../contract/pages.ts'
import { differenceOf } from '../../core/markup/index.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { Problem } from '../../ui/Form.tsx'
import { useAsk } from '../../ui/query.tsx'
import { When } from '../../ui/When.tsx'
import { Comparison } from './Comparison.tsx'
import type { PageDraft } from './draft.ts'

const MADE: Readonly<Record<string, string>> = {
  edit: 'edited',
  import: 'brought in',
  new: 'made',
  restore: 'went back',
  refuse: 'link refused',
  accept: 'link accepted',
  move: 'moved',
  bulk: 'changed with others',
  bake: 'marks written in',
  undo: 'a change of many taken back',
  'sub-ids': 'partner links told apart',
  publication: 'publication restored',
}

/** Every version of a page: compare one with what is here now, and go back to it. Going back is a change like any other. */
export function History({
  page,
  draft,
  onClose,
}: {
  page: Pick<Page, 'id' | 'title'>
  draft: PageDraft
  version: number | null
  onClose: () => void
}) {
  const { data, error } = useAsk('pages.history', { id: page.id }, { staleTime: 0 })
  const [chosen, setChosen] = useState<number | null>(null)
  const version = chosen ?? data?.items.find((each) => each.isLive)?.version ?? data?.items[0]?.version ?? null
  const { data: source } = useAsk(
    'pages.revision',
    { id: page.id, query: { version } },
    { enabled: version !== null, staleTime: Number.POSITIVE_INFINITY },
  )
  const now = draft.state.text
  const restore = (): void => {
    const change = source === undefined ? null : differenceOf(now, source.source)
    if (change === null) return
    draft.change([change])
    toast.success('It is as it was. Undo takes that back.')
    onClose()
  }
  return (
    <Dialog title={`History of ${page.title}`} isOpen onClose={onClose} isWide>
      <Problem error={error} />
      <div className="grid grid-cols-[230px_minmax(0,1fr)] gap-5 max-md:grid-cols-1">
        <ol className="grid max-h-[62dvh] content-start gap-0.5 overflow-y-auto max-md:max-h-[26dvh]" aria-label="Versions">
          {data?.items.map((each) => (
            <li key={each.version}>
              <button
                type="button"
                aria-pressed={each.version === version}
                className="w-full rounded-md px-2.5 py-1.5 text-left leading-snug hover:bg-sun aria-pressed:bg-sun"
                onClick={() => setChosen(each.version)}
              >
                <span className="block font-semibold">
                  <When at={each.at} />
                </span>
                <span className="note block">
                  {MADE[each.madeBy] ?? each.madeBy}
                  {each.by === null ? '' : ` by ${each.by}`}
                  {each.isLive && <span className="text-sea"> · live</span>}
                </span>
              </button>
            </li>
          ))}
        </ol>
        <div className="min-w-0">
          {source === undefined ? (
            <p className="note">Choose a version.</p>
          ) : (
            <>
              <p className="mb-3 flex flex-wrap items-center gap-3">
                <button type="button" className="button button-main" disabled={source.source === now} onClick={restore}>
                  Go back to this version
                </button>
                {source.source === now && <span className="note">This is what you have now.</span>}
              </p>
              <div className="max-h-[54dvh] overflow-y-auto">
                <Comparison before={source.source} after={now} names={['then', 'now']} />
              </div>
            </>
          )}
        </div>
      </div>
    </Dialog>
  )
}
