import { Menu } from '@base-ui/react/menu'
import { useMemo, useState } from 'react'
import type { BulkChangeBody } from '../../contract/bulk-changes.ts'
import { useAsk } from '../../ui/query.tsx'
import { sayWhen } from '../../ui/when.ts'
import { undoBulk } from './BulkDialog.tsx'
import { changeWords } from './words.ts'

const MORE: readonly (readonly [words: string, title: string, change: BulkChangeBody])[] = [
  ['Tag…', 'Tag them', { do: 'tag', add: [], remove: [] }],
  ['Take the titles as words', 'Take the titles as words', { do: 'take title' }],
  ['Leave the hints to the rules', 'Leave the hints to the rules', { do: 'tell', hints: null }],
  ['Leave the opening to the rules', 'Leave the opening to the rules', { do: 'open', opens: null }],
  ['Bake the rules in', 'Bake the rules into these pages', { do: 'bake' }],
  ['Take the links off', 'Take these links off', { do: 'unlink' }],
]

/** Changes that are seldom wanted. */
export function More({ onPick }: { onPick: (title: string, change: BulkChangeBody) => void }) {
  return (
    <Menu.Root>
      <Menu.Trigger className="button">More…</Menu.Trigger>
      <Menu.Portal>
        <Menu.Positioner side="top" align="end" sideOffset={6} className="z-40">
          <Menu.Popup className="sheet grid py-1" style={{ boxShadow: 'var(--shadow)' }}>
            {MORE.map(([words, title, change]) => (
              <Menu.Item key={words} className="cursor-pointer px-4 py-1.5 data-[highlighted]:bg-sun" onClick={() => onPick(title, change)}>
                {words}
              </Menu.Item>
            ))}
          </Menu.Popup>
        </Menu.Positioner>
      </Menu.Portal>
    </Menu.Root>
  )
}

/** The newest bulk changes, each undone in one step. */
export function Done({ canChange, onChanged }: { canChange: boolean; onChanged: () => void }) {
  const [isOpen, setOpen] = useState(false)
  const { data } = useAsk('bulk-changes.list', {}, { enabled: canChange })
  const items = useMemo(() => data?.items ?? [], [data])
  if (items.length === 0) return null
  return (
    <Menu.Root open={isOpen} onOpenChange={setOpen}>
      <Menu.Trigger className="button">Changes made</Menu.Trigger>
      <Menu.Portal>
        <Menu.Positioner align="end" sideOffset={6} className="z-40">
          <Menu.Popup
            className="sheet grid max-h-[60dvh] w-[360px] max-w-[92vw] overflow-y-auto py-1"
            style={{ boxShadow: 'var(--shadow)' }}
          >
            {items.map((item) => (
              <Menu.Item
                key={item.id}
                disabled={item.isUndone}
                className="flex cursor-pointer items-center gap-3 px-4 py-1.5 data-[disabled]:cursor-default data-[highlighted]:bg-sun"
                onClick={() => void undoBulk(item.id, onChanged)}
              >
                <span className="min-w-0 flex-1">
                  <span className="block truncate">
                    {item.links} {item.links === 1 ? 'link' : 'links'} {changeWords(item.change)}
                  </span>
                  <span className="note block">
                    {item.by ?? 'somebody'}, {sayWhen(item.at)}
                  </span>
                </span>
                <span className="shrink-0 text-[14px] font-semibold">{item.isUndone ? 'taken back' : 'Undo'}</span>
              </Menu.Item>
            ))}
          </Menu.Popup>
        </Menu.Positioner>
      </Menu.Portal>
    </Menu.Root>
  )
}
