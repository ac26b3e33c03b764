import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import type { MenuList } from '../../contract/menus.ts'
import { partMark } from '../../core/blocks/index.ts'
import { flatMenu } from '../../core/menus/index.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { NewPart } from '../../ui/NewPart.tsx'
import { Queries, useAsk } from '../../ui/query.tsx'
import { StateWord } from '../../ui/StateWord.tsx'

/** The menus that pages share. */
export function Menus({ initial, canMake }: { initial: MenuList; canMake: boolean }) {
  return (
    <Queries>
      <List initial={initial} canMake={canMake} />
    </Queries>
  )
}

function List({ initial, canMake }: { initial: MenuList; canMake: boolean }) {
  const { data } = useAsk('menus.list', {}, { initialData: initial })
  const [isMaking, setMaking] = useState(false)
  const make = useMutation({
    mutationFn: (wanted: { name: string; title: string }) => call('menus.create', { body: wanted }),
    onSuccess: (menu) => location.assign(`/menus/${menu.id}`),
    onError: (error) => toast.error(wordsOf(error)),
  })
  return (
    <div className="mx-auto grid max-w-[900px] gap-4 px-5 py-7 max-md:px-3">
      <header className="flex flex-wrap items-center justify-between gap-3">
        <h1 className="text-[26px]">Menus</h1>
        {canMake && (
          <button type="button" className="button button-main" onClick={() => setMaking(true)}>
            Make a menu
          </button>
        )}
      </header>
      {data.items.length === 0 ? (
        <p className="sheet px-5 py-8 text-center text-ink-soft">
          No menus yet. A menu is arranged once and stands on every page that puts it in.
        </p>
      ) : (
        <ul className="sheet divide-y">
          {data.items.map((menu) => (
            <li key={menu.id}>
              <a href={`/menus/${menu.id}`} className="flex flex-wrap items-center gap-x-4 px-4 py-2.5 no-underline hover:bg-sun">
                <span className="min-w-0 flex-1">
                  <b className="font-semibold">{menu.title}</b>
                  <span className="note block">
                    {flatMenu(menu.menu.entries).length} entries · put in with <code>{partMark('menu', menu.name)}</code>
                  </span>
                </span>
                <StateWord state={menu.state} />
              </a>
            </li>
          ))}
        </ul>
      )}
      {isMaking && (
        <NewPart what="menu" isBusy={make.isPending} onMake={(wanted) => make.mutate(wanted)} onClose={() => setMaking(false)} />
      )}
    </div>
  )
}
