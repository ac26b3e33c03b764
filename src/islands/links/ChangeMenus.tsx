import { Menu } from '@base-ui/react/menu'
import type { BulkChangeBody } from '../../contract/bulk-changes.ts'

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
