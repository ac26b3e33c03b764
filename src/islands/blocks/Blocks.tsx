import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import type { Block, BlockList } from '../../contract/blocks.ts'
import { partMark } from '../../core/blocks/index.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { NewPart } from '../../ui/NewPart.tsx'
import { Queries, useAsk } from '../../ui/query.tsx'
import { StateWord } from '../../ui/StateWord.tsx'
import { PutBlock } from './PutBlock.tsx'

/** The blocks that pages share. */
export function Blocks({ initial, canMake }: { initial: BlockList; canMake: boolean }) {
  return (
    <Queries>
      <List initial={initial} canMake={canMake} />
    </Queries>
  )
}

const START = '<p>Words that every page shows.</p>\n'

function List({ initial, canMake }: { initial: BlockList; canMake: boolean }) {
  const { data } = useAsk('blocks.list', {}, { initialData: initial })
  const [isMaking, setMaking] = useState(false)
  const [placing, setPlacing] = useState<Block | null>(null)
  const make = useMutation({
    mutationFn: (wanted: { name: string; title: string }) => call('blocks.create', { body: { ...wanted, source: START } }),
    onSuccess: ({ block }) => location.assign(`/pages/${block.id}`),
    onError: (error) => toast.error(wordsOf(error)),
  })
  return (
    <div className="mx-auto grid max-w-[900px] gap-4 px-5 py-7 max-md:px-3">
      <header className="flex flex-wrap items-center justify-between gap-3">
        <div>
          <h1 className="text-[26px]">Shared blocks</h1>
          <p className="note">Edited once, shown on every page that puts them in.</p>
        </div>
        {canMake && (
          <button type="button" className="button button-main" onClick={() => setMaking(true)}>
            Make a block
          </button>
        )}
      </header>
      {data.items.length === 0 ? (
        <p className="sheet px-5 py-8 text-center text-ink-soft">
          None yet. A footer or a side column that every page repeats is a good first one.
        </p>
      ) : (
        <ul className="sheet divide-y">
          {data.items.map((block) => (
            <li key={block.id}>
              <div className="flex flex-wrap items-center gap-x-4 px-4 py-2.5">
                <span className="min-w-0 flex-1">
                  <a href={`/pages/${block.id}`} className="font-semibold">
                    {block.title}
                  </a>
                  <span className="note block">
                    {block.usedOn === 0 ? 'on no page yet' : `on ${block.usedOn} ${block.usedOn === 1 ? 'page' : 'pages'}`} · by hand:{' '}
                    <code>{partMark('block', block.name)}</code>
                  </span>
                  {block.faults.map(({ name, why }) => (
                    <span key={`${name} ${why}`} className="block text-[13.5px] text-red">
                      {name.replaceAll('_', ' ')}: {why}; readers see nothing there
                    </span>
                  ))}
                </span>
                <StateWord state={block.state} />
                <button type="button" className="button" onClick={() => setPlacing(block)}>
                  {canMake ? 'Put it on pages' : 'Where it shows'}
                  <span className="sr-only"> {block.title}</span>
                </button>
              </div>
            </li>
          ))}
        </ul>
      )}
      {placing !== null && <PutBlock block={placing} canPut={canMake} onClose={() => setPlacing(null)} />}
      {isMaking && (
        <NewPart what="block" isBusy={make.isPending} onMake={(wanted) => make.mutate(wanted)} onClose={() => setMaking(false)} />
      )}
    </div>
  )
}
