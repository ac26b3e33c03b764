import {
  closestCenter,
  DndContext,
  type DragEndEvent,
  type DragMoveEvent,
  KeyboardSensor,
  PointerSensor,
  useSensor,
  useSensors,
} from '@dnd-kit/core'
import { SortableContext, verticalListSortingStrategy } from '@dnd-kit/sortable'
import { History as HistoryIcon, Plus } from 'lucide-react'
import { type KeyboardEvent, useMemo, useState } from 'react'
import { toast } from 'sonner'
import type { Menu, MenuBody } from '../../contract/menus.ts'
import type { Page } from '../../contract/pages.ts'
import {
  type FlatEntry,
  flatMenu,
  indentEntry,
  labelOf,
  moveEntry,
  nestedMenu,
  outdentEntry,
  removeEntry,
  setLandings,
} from '../../core/menus/index.ts'
import type { SiteSetup } from '../../core/rules/index.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { Queries } from '../../ui/query.tsx'
import { useSite } from '../../ui/short-links.ts'
import { SORTING_INSTRUCTIONS, spokenSorting, stepInOrder } from '../../ui/sorting.ts'
import { EntryPanel } from './EntryPanel.tsx'
import { Joining, Landings, NotInIt } from './MenuAsides.tsx'
import { MenuHistory } from './MenuHistory.tsx'
import { DEPTH_PX, MenuRow } from './MenuRow.tsx'
import { useMenuDraft } from './menu-draft.ts'

interface MenuEditorProps {
  menu: Menu
  pages: readonly Page[]
  setup: SiteSetup
  port: number
  canEdit: boolean
}

/** A menu: entries one below the other, dragged or keyed into place, saved by itself. */
export function MenuEditor(props: MenuEditorProps) {
  return <Queries>{props.menu.isBroken ? <BrokenMenu menu={props.menu} canEdit={props.canEdit} /> : <Arrange {...props} />}</Queries>
}

/** What is stored cannot be read: it is said, and nothing is saved over it. */
function BrokenMenu({ menu, canEdit }: { menu: Menu; canEdit: boolean }) {
  const [isLooking, setLooking] = useState(false)
  return (
    <div className="mx-auto grid max-w-[760px] gap-4 px-5 py-6">
      <h1 className="text-[24px]">{menu.title}</h1>
      <p role="alert" className="sheet px-5 py-4">
        What is stored of this menu cannot be read, so it is not shown and nothing is saved over it. Readers keep what is live. An older
        version can be brought back.
      </p>
      {canEdit && (
        <p>
          <button type="button" className="button button-main" onClick={() => setLooking(true)}>
            Look at older versions
          </button>
        </p>
      )}
      {isLooking && (
        <MenuHistory
          menu={menu}
          onRestore={(_body, revision) =>
            void call('pages.restore', { id: menu.id, body: { version: menu.version, revision } }).then(
              () => location.reload(),
              (error: unknown) => toast.error(wordsOf(error)),
            )
          }
          onClose={() => setLooking(false)}
        />
      )}
    </div>
  )
}

function Arrange({ menu, pages, setup, port, canEdit }: MenuEditorProps) {
  const { body, change, undo } = useMenuDraft(menu)
  const flat = useMemo(() => flatMenu(body.entries as Parameters<typeof flatMenu>[0]), [body])
  const site = useSite(setup, port)
  const [chosenId, setChosenId] = useState<string | null>(null)
  const [marked, setMarked] = useState<ReadonlySet<string>>(new Set())
  const [shift, setShift] = useState(0)
  const [isLooking, setLooking] = useState(false)
  const ids = flat.map(({ id }) => id)
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 5 } }),
    useSensor(KeyboardSensor, { coordinateGetter: stepInOrder(ids, DEPTH_PX) }),
  )
  const setFlat = (next: readonly FlatEntry[]): void => {
    if (next !== flat) change({ ...body, entries: nestedMenu(next) as MenuBody['entries'] })
  }
  /** Moves are told to whoever does not see them. */
  const [told, setTold] = useState('')
  const setMoved = (next: readonly FlatEntry[], id: string): void => {
    setFlat(next)
    const at = next.findIndex((entry) => entry.id === id)
    const entry = next[at]
    if (entry !== undefined) setTold(`${entry.label} is number ${at + 1} of ${next.length}, level ${entry.depth + 1}.`)
  }
  const chosen = flat.find(({ id }) => id === chosenId) ?? null
  const titles = flat.filter(({ kind, id }) => kind === 'title' && marked.has(id))

  const onDragEnd = ({ active, over, delta }: DragEndEvent): void => {
    setShift(0)
    const id = String(active.id)
    const from = flat.findIndex((entry) => entry.id === id)
    const to = over === null ? from : flat.findIndex((entry) => entry.id === over.id)
    const depth = Math.max(0, (flat[from]?.depth ?? 0) + Math.round(delta.x / DEPTH_PX))
    setMoved(moveEntry(flat, id, to, depth), id)
  }
  const onKey = (event: KeyboardEvent, { id }: FlatEntry): void => {
    if (!canEdit) return
    const index = flat.findIndex((entry) => entry.id === id)
    const depth = flat[index]?.depth ?? 0
    if (event.altKey && event.key === 'ArrowRight') setMoved(indentEntry(flat, id), id)
    else if (event.altKey && event.key === 'ArrowLeft') setMoved(outdentEntry(flat, id), id)
    else if (event.altKey && event.key === 'ArrowUp' && index > 0) setMoved(moveEntry(flat, id, index - 1, depth), id)
    else if (event.altKey && event.key === 'ArrowDown') setMoved(moveEntry(flat, id, index + 1, depth), id)
    else if (event.key === 'Delete') setFlat(removeEntry(flat, id))
    else if ((event.ctrlKey || event.metaKey) && event.key === 'z') undo?.()
    else return
    event.preventDefault()
    const isGrip = event.currentTarget.hasAttribute('data-grip')
    requestAnimationFrame(() => document.querySelector<HTMLElement>(isGrip ? `[data-grip="${id}"]` : `[data-entry="${id}"]`)?.focus())
  }
  const add = (entry: Omit<FlatEntry, 'id' | 'depth'>): void => {
    const id = crypto.randomUUID()
    const index = chosen === null ? flat.length : flat.findIndex((each) => each.id === chosen.id) + 1
    setFlat([...flat.slice(0, index), { ...entry, id, depth: chosen?.depth ?? 0 }, ...flat.slice(index)])
    setChosenId(id)
    requestAnimationFrame(() => document.querySelector<HTMLInputElement>('[data-entry-label]')?.select())
  }
  return (
    <div className="mx-auto grid max-w-[1160px] grid-cols-[minmax(0,1fr)_350px] gap-6 px-5 py-6 max-lg:grid-cols-1 max-md:px-3">
      <section aria-label="Entries">
        <header className="mb-3 flex flex-wrap items-center gap-2.5">
          <h1 className="flex-1 text-[24px]">{menu.title}</h1>
          <button type="button" className="button button-plain !px-2" aria-label="History" title="History" onClick={() => setLooking(true)}>
            <HistoryIcon size={17} aria-hidden="true" />
          </button>
          {canEdit && (
            <>
              <button type="button" className="button" disabled={undo === null} onClick={() => undo?.()}>
                Undo
              </button>
              <button type="button" className="button" onClick={() => add({ kind: 'title', label: 'A title', href: '' })}>
                <Plus size={15} aria-hidden="true" />
                Title
              </button>
              <button type="button" className="button" onClick={() => add({ kind: 'link', label: 'A link', href: '/' })}>
                <Plus size={15} aria-hidden="true" />
                Link
              </button>
            </>
          )}
        </header>
        <p className="note mb-2">
          Drag an entry by its grip, to the right to hang it below the one above. Or with keys: <kbd>Alt</kbd> and the arrows move it,{' '}
          <kbd>Delete</kbd> takes it out.
        </p>
        {flat.length === 0 && (
          <p className="sheet px-5 py-8 text-center text-ink-soft">Nothing in it yet. Add pages from the list on the right.</p>
        )}
        <p className="sr-only" aria-live="polite">
          {told}
        </p>
        <DndContext
          id="menu"
          sensors={sensors}
          collisionDetection={closestCenter}
          onDragMove={({ delta }: DragMoveEvent) => setShift(Math.round(delta.x / DEPTH_PX))}
          onDragEnd={onDragEnd}
          onDragCancel={() => setShift(0)}
          accessibility={{
            announcements: spokenSorting(ids, (id) => flat.find((entry) => entry.id === id)?.label ?? 'The entry'),
            screenReaderInstructions: SORTING_INSTRUCTIONS,
          }}
        >
          <SortableContext items={ids} strategy={verticalListSortingStrategy} disabled={!canEdit}>
            <ul className="grid gap-1">
              {flat.map((entry) => (
                <MenuRow
                  key={entry.id}
                  entry={entry}
                  shift={shift}
                  canEdit={canEdit}
                  isChosen={entry.id === chosenId}
                  isMarked={marked.has(entry.id)}
                  onChoose={() => setChosenId(entry.id)}
                  onMark={() =>
                    setMarked(
                      (before) => new Set(before.has(entry.id) ? [...before].filter((id) => id !== entry.id) : [...before, entry.id]),
                    )
                  }
                  onKey={(event) => onKey(event, entry)}
                />
              ))}
            </ul>
          </SortableContext>
        </DndContext>
        {titles.length > 1 && (
          <Landings
            titles={titles}
            pages={pages}
            onSet={(landings) => {
              setFlat(setLandings(flat, landings))
              setMarked(new Set())
            }}
          />
        )}
      </section>
      <aside className="grid content-start gap-6" aria-label="The chosen entry">
        {chosen !== null && (
          <EntryPanel
            key={chosen.id}
            entry={chosen}
            site={site}
            canEdit={canEdit}
            onChange={(next) => setFlat(flat.map((entry) => (entry.id === next.id ? next : entry)))}
            onRemove={() => {
              setFlat(removeEntry(flat, chosen.id))
              setChosenId(null)
            }}
          />
        )}
        <NotInIt
          body={body}
          pages={pages}
          canEdit={canEdit}
          onAdd={(page) => add({ kind: 'page', label: labelOf(page.title), href: page.path })}
          onLeave={(path, isLeft) => change({ ...body, left: isLeft ? [...body.left, path] : body.left.filter((each) => each !== path) })}
        />
        <Joining body={body} flat={flat} canEdit={canEdit} onChange={(joins) => change({ ...body, joins })} />
      </aside>
      {isLooking && <MenuHistory menu={menu} onRestore={(next) => change(next)} onClose={() => setLooking(false)} />}
    </div>
  )
}
