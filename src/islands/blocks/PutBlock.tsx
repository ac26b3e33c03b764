import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import type { Block, BlockPut } from '../../contract/blocks.ts'
import { readableAddress } from '../../core/address/index.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { PickPages } from '../../ui/PickPages.tsx'
import { useAsk } from '../../ui/query.tsx'
import { Select } from '../../ui/Select.tsx'

const PLACES: readonly BlockPut['where'][] = ['before the text', 'behind the text', 'at the end of the page']
const pages = (count: number): string => `${count} ${count === 1 ? 'page' : 'pages'}`

/** Where a block shows, and putting it on all or some of the other pages. */
export function PutBlock({ block, canPut, onClose }: { block: Block; canPut: boolean; onClose: () => void }) {
  const [where, setWhere] = useState<BlockPut['where']>('behind the text')
  const [chosen, setChosen] = useState<ReadonlySet<string> | null>(null)
  const uses = useAsk('blocks.uses', { id: block.id })
  const all = useAsk('pages.list', { query: { limit: 200 } }, { enabled: canPut })
  const put = useMutation({
    mutationFn: () => call('blocks.put', { id: block.id, body: { pages: chosen === null ? 'all' : [...chosen], where } }),
    onSuccess: ({ put: count, unfit }) => {
      toast.success(`Put on ${pages(count)}, as ${count === 1 ? 'a draft' : 'drafts'}.`)
      if (unfit.length > 0) toast(`Not on ${unfit.slice(0, 3).join(', ')}: there is no such place.`)
      onClose()
    },
    onError: (error) => toast.error(wordsOf(error)),
  })
  const shown = new Set(uses.data?.items.map((page) => page.id))
  const others = (all.data?.items ?? []).filter((page) => !shown.has(page.id))
  return (
    <Dialog title={block.title} isOpen onClose={onClose}>
      <div className="grid gap-4">
        <section>
          <h3 className="font-text font-semibold">
            {uses.data === undefined
              ? 'Looking where it shows…'
              : uses.data.items.length === 0
                ? 'It shows on no page yet'
                : `It shows on ${pages(uses.data.items.length)}`}
          </h3>
          <ul className="mt-1 max-h-[160px] overflow-y-auto">
            {uses.data?.items.map((page) => (
              <li key={page.id} className="truncate">
                <a href={`/pages/${page.id}`}>{page.title}</a> <span className="address text-ink-soft">{readableAddress(page.path)}</span>
              </li>
            ))}
          </ul>
        </section>
        {canPut && others.length > 0 && (
          <form
            className="grid gap-3 border-t pt-3"
            onSubmit={(event) => {
              event.preventDefault()
              put.mutate()
            }}
          >
            <Select
              label="Where on the page?"
              value={where}
              options={PLACES.map((each) => [each, each])}
              onChange={(value) => setWhere(value as BlockPut['where'])}
            />
            <PickPages
              label="On which pages?"
              all="All that do not show it yet"
              some="Only these"
              first="none"
              pages={others}
              chosen={chosen}
              onChoose={setChosen}
            />
            <p className="flex justify-end">
              <button type="submit" className="button button-main" disabled={put.isPending || chosen?.size === 0}>
                {put.isPending ? 'Putting it there…' : chosen === null ? 'Put it on all of them' : `Put it on ${pages(chosen.size)}`}
              </button>
            </p>
          </form>
        )}
      </div>
    </Dialog>
  )
}
