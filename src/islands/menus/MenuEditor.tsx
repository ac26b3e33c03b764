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
import { SortableContext, sortableKeyboardCoordinates, useSortable, verticalListSortingStrategy } from '@dnd-kit/sortable'
import { CSS } from '@dnd-kit/utilities'
import { useMutation } from '@tanstack/react-query'
import { GripVertical, History as HistoryIcon, Plus } from 'lucide-react'
import { type KeyboardEvent, useCallback, useEffect, useId, useMemo, useRef, useState } from 'react'
import { toast } from 'sonner'
import type { Menu, MenuBody } from '../../contract/menus.ts'
import type { Page, Revision, RevisionSource } from '../../contract/pages.ts'
import {
  type FlatEntry,
  flatMenu,
  indentEntry,
  leftOut,
  moveEntry,
  nestedMenu,
  outdentEntry,
  readMenu,
  removeEntry,
  setLandings,
} from '../../core/menus/index.ts'
import { compileSite, type SiteSetup } from '../../core/rules/index.ts'
import { ask, isAway, Refusal, wordsOf } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { Queries, queries } from '../../ui/query.tsx'
import { tellSaving } from '../../ui/saving.ts'
import { sayWhen } from '../../ui/when.ts'
import { EntryPanel } from './EntryPanel.tsx'

interface MenuEditorProps {
  menu: Menu
  pages: readonly Page[]
  setup: SiteSetup
  port: number
  canEdit: boolean
}

/** One level deeper for each of these many pixels that an entry is dragged to the right. */
const DEPTH_PX = 28
const SAVE_AFTER_MS = 500
const TRY_AGAIN_MS = 3_000

/** A menu: entries one below the other, dragged or keyed into place, saved by itself. */
export function MenuEditor(props: MenuEditorProps) {
  return (
    <Queries>
      <Arrange {...props} />
    </Queries>
  )
}

/** The menu as it is edited, with undo; saved half a second after the last change, kept here while the server is away. */
function useMenuDraft(initial: Menu) {
  const key = `map-rope menu ${initial.id}`
  const [body, setBody] = useState<MenuBody>(() => keptBody(key, initial) ?? initial.menu)
  const [past, setPast] = useState<readonly MenuBody[]>([])
  const version = useRef(initial.version)
  const saved = useRef(initial.menu)
  const newest = useRef(body)
  newest.current = body
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined)
  const save = useCallback(async (): Promise<void> => {
    const wanted = newest.current
    if (wanted === saved.current) return
    tellSaving({ state: 'saving' })
    try {
      const made = await ask<Menu>('PUT', `/menus/${initial.id}`, { version: version.current, menu: wanted })
      version.current = made.version
      saved.current = wanted
      if (newest.current === wanted) {
        localStorage.removeItem(key)
        tellSaving({ state: 'saved', at: Date.now() })
        void queries.invalidateQueries({ queryKey: ['unpublished'] })
      } else void save()
    } catch (error) {
      if (isAway(error)) {
        tellSaving({ state: 'kept here', why: wordsOf(error) })
        timer.current = setTimeout(() => void save(), TRY_AGAIN_MS)
      } else if (error instanceof Refusal && error.fault === 'moved-on') {
        const current = error.facts.current as Menu
        version.current = current.version
        toast(`${current.editedBy ?? 'Somebody'} changed this menu in the meantime. Yours is on top now; theirs is in its history.`)
        void save()
      } else tellSaving({ state: 'refused', why: wordsOf(error) })
    }
  }, [initial.id, key])
  const put = useCallback(
    (next: MenuBody): void => {
      setBody(next)
      try {
        localStorage.setItem(key, JSON.stringify({ version: version.current, body: next }))
      } catch {
        // The server has it half a second later.
      }
      tellSaving({ state: 'waiting' })
      clearTimeout(timer.current)
      timer.current = setTimeout(() => void save(), SAVE_AFTER_MS)
    },
    [key, save],
  )
  useEffect(() => {
    if (newest.current !== saved.current) void save()
  }, [save])
  return {
    body,
    change(next: MenuBody): void {
      if (next === body) return
      setPast((before) => [...before.slice(-99), body])
      put(next)
    },
    undo:
      past.length === 0
        ? null
        : (): void => {
            const before = past[past.length - 1]
            setPast(past.slice(0, -1))
            if (before !== undefined) put(before)
          },
  }
}

function keptBody(key: string, initial: Menu): MenuBody | null {
  try {
    const kept = JSON.parse(localStorage.getItem(key) ?? 'null') as { version: number; body: MenuBody } | null
    return kept !== null && kept.version === initial.version ? kept.body : null
  } catch {
    return null
  }
}

function Arrange({ menu, pages, setup, port, canEdit }: MenuEditorProps) {
  const { body, change, undo } = useMenuDraft(menu)
  const flat = useMemo(() => flatMenu(body.entries as Parameters<typeof flatMenu>[0]), [body])
  const site = useMemo(() => compileSite(setup, port), [setup, port])
  const [chosenId, setChosenId] = useState<string | null>(null)
  const [marked, setMarked] = useState<ReadonlySet<string>>(new Set())
  const [shift, setShift] = useState(0)
  const [isLooking, setLooking] = useState(false)
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 5 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  )
  const setFlat = (next: readonly FlatEntry[]): void => {
    if (next !== flat) change({ ...body, entries: nestedMenu(next) as MenuBody['entries'] })
  }
  const chosen = flat.find(({ id }) => id === chosenId) ?? null
  const titles = flat.filter(({ kind, id }) => kind === 'title' && marked.has(id))

  const onDragEnd = ({ active, over, delta }: DragEndEvent): void => {
    setShift(0)
    const id = String(active.id)
    const from = flat.findIndex((entry) => entry.id === id)
    const to = over === null ? from : flat.findIndex((entry) => entry.id === over.id)
    const depth = Math.max(0, (flat[from]?.depth ?? 0) + Math.round(delta.x / DEPTH_PX))
    setFlat(moveEntry(flat, id, to, depth))
  }
  const onKey = (event: KeyboardEvent, { id }: FlatEntry): void => {
    if (!canEdit) return
    const index = flat.findIndex((entry) => entry.id === id)
    const depth = flat[index]?.depth ?? 0
    if (event.altKey && event.key === 'ArrowRight') setFlat(indentEntry(flat, id))
    else if (event.altKey && event.key === 'ArrowLeft') setFlat(outdentEntry(flat, id))
    else if (event.altKey && event.key === 'ArrowUp' && index > 0) setFlat(moveEntry(flat, id, index - 1, depth))
    else if (event.altKey && event.key === 'ArrowDown') setFlat(moveEntry(flat, id, index + 1, depth))
    else if (event.key === 'Delete') setFlat(removeEntry(flat, id))
    else if ((event.ctrlKey || event.metaKey) && event.key === 'z') undo?.()
    else return
    event.preventDefault()
    requestAnimationFrame(() => document.querySelector<HTMLElement>(`[data-entry="${id}"]`)?.focus())
  }
  const add = (entry: Omit<FlatEntry, 'id' | 'depth'>): void => {
    const id = crypto.randomUUID()
    const index = chosen === null ? flat.length : flat.findIndex((each) => each.id === chosen.id) + 1
    setFlat([...flat.slice(0, index), { ...entry, id, depth: chosen?.depth ?? 0 }, ...flat.slice(index)])
    setChosenId(id)
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
        <DndContext
          id="menu"
          sensors={sensors}
          collisionDetection={closestCenter}
          onDragMove={({ delta }: DragMoveEvent) => setShift(Math.round(delta.x / DEPTH_PX))}
          onDragEnd={onDragEnd}
          onDragCancel={() => setShift(0)}
        >
          <SortableContext items={flat.map(({ id }) => id)} strategy={verticalListSortingStrategy} disabled={!canEdit}>
            <ul className="grid gap-1">
              {flat.map((entry) => (
                <Row
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
          onAdd={(page) => add({ kind: 'page', label: page.title, href: page.path })}
          onLeave={(path, isLeft) => change({ ...body, left: isLeft ? [...body.left, path] : body.left.filter((each) => each !== path) })}
        />
        <Joining body={body} flat={flat} canEdit={canEdit} onChange={(joins) => change({ ...body, joins })} />
      </aside>
      {isLooking && <MenuHistory menu={menu} onRestore={(next) => change(next)} onClose={() => setLooking(false)} />}
    </div>
  )
}

function Row({
  entry,
  shift,
  canEdit,
  isChosen,
  isMarked,
  onChoose,
  onMark,
  onKey,
}: {
  entry: FlatEntry
  shift: number
  canEdit: boolean
  isChosen: boolean
  isMarked: boolean
  onChoose: () => void
  onMark: () => void
  onKey: (event: KeyboardEvent) => void
}) {
  const { attributes, listeners, setNodeRef, transform, transition, isDragging } = useSortable({ id: entry.id })
  const depth = Math.max(0, entry.depth + (isDragging ? shift : 0))
  return (
    <li
      ref={setNodeRef}
      style={{
        transform: CSS.Translate.toString(transform === null ? null : { ...transform, x: 0 }),
        transition,
        marginLeft: depth * DEPTH_PX,
        zIndex: isDragging ? 2 : undefined,
        position: 'relative',
      }}
    >
      <div className={`sheet flex items-center gap-2 pr-3 ${isChosen ? '!border-ink' : ''} ${isDragging ? 'opacity-80' : ''}`}>
        {canEdit && (
          <button
            type="button"
            className="cursor-grab px-1.5 py-2.5 text-ink-soft"
            aria-label={`Move ${entry.label}`}
            {...attributes}
            {...listeners}
          >
            <GripVertical size={16} aria-hidden="true" />
          </button>
        )}
        <button
          type="button"
          data-entry={entry.id}
          aria-pressed={isChosen}
          className="min-w-0 flex-1 py-2 text-left"
          onClick={onChoose}
          onKeyDown={onKey}
        >
          <span className="block truncate font-semibold">{entry.label}</span>
          <span className="address block truncate text-ink-soft">{entry.href === '' ? 'leads nowhere' : entry.href}</span>
        </button>
        {entry.kind === 'title' && canEdit && (
          <label className="note flex items-center gap-1.5">
            <input
              type="checkbox"
              className="size-4 accent-[var(--sea)]"
              checked={isMarked}
              onChange={onMark}
              aria-label={`Choose the title ${entry.label}`}
            />
          </label>
        )}
        <span className="note shrink-0">{entry.kind}</span>
      </div>
    </li>
  )
}

/** Several titles get a landing in one go. */
function Landings({
  titles,
  pages,
  onSet,
}: {
  titles: readonly FlatEntry[]
  pages: readonly Page[]
  onSet: (landings: ReadonlyMap<string, string>) => void
}) {
  const [values, setValues] = useState<ReadonlyMap<string, string>>(new Map())
  const id = useId()
  return (
    <form
      className="sheet mt-4 grid gap-3 px-4 py-3"
      onSubmit={(event) => {
        event.preventDefault()
        onSet(values)
      }}
    >
      <h2 className="text-[17px]">{titles.length} titles: where do they lead?</h2>
      <datalist id={`${id}-pages`}>
        {pages.map((page) => (
          <option key={page.id} value={page.path}>
            {page.title}
          </option>
        ))}
      </datalist>
      {titles.map((title) => (
        <div key={title.id} className="grid grid-cols-[140px_minmax(0,1fr)] items-center gap-3">
          <label htmlFor={`${id}-${title.id}`} className="truncate font-semibold">
            {title.label}
          </label>
          <input
            id={`${id}-${title.id}`}
            className="field address"
            list={`${id}-pages`}
            placeholder="nowhere"
            defaultValue={title.href}
            onChange={(event) => setValues((before) => new Map([...before, [title.id, event.target.value.trim()]]))}
          />
        </div>
      ))}
      <p className="flex justify-end">
        <button type="submit" className="button button-main">
          Set them all
        </button>
      </p>
    </form>
  )
}

/** Pages that the menu does not show. */
function NotInIt({
  body,
  pages,
  canEdit,
  onAdd,
  onLeave,
}: {
  body: MenuBody
  pages: readonly Page[]
  canEdit: boolean
  onAdd: (page: Page) => void
  onLeave: (path: string, isLeft: boolean) => void
}) {
  const out = leftOut(body as Parameters<typeof leftOut>[0], pages)
  const [search, setSearch] = useState('')
  const found = out.filter(({ title, path }) => `${title} ${path}`.toLowerCase().includes(search.toLowerCase()))
  return (
    <section>
      <h2 className="mb-1.5 text-[17px]">Not in this menu</h2>
      {out.length > 8 && (
        <input
          className="field mb-1.5"
          type="search"
          aria-label="Find a page"
          placeholder="Find a page"
          value={search}
          onChange={(event) => setSearch(event.target.value)}
        />
      )}
      {out.length === 0 && <p className="note">Every page is in it.</p>}
      <ul className="grid max-h-[300px] gap-0.5 overflow-y-auto">
        {found.slice(0, 200).map((page) => {
          const isLeft = body.left.includes(page.path)
          return (
            <li key={page.id} className="flex items-center gap-1.5 py-0.5">
              <span className="min-w-0 flex-1">
                <span className={`block truncate ${isLeft ? 'text-ink-soft' : 'font-semibold'}`}>{page.title}</span>
                <span className="note block truncate">{isLeft ? 'left out on purpose' : page.path}</span>
              </span>
              {canEdit && (
                <>
                  <button type="button" className="button !min-h-0 !px-2 !py-0.5 text-[13px]" onClick={() => onAdd(page)}>
                    Add<span className="sr-only"> {page.title}</span>
                  </button>
                  <button
                    type="button"
                    className="button button-plain !min-h-0 !px-2 !py-0.5 text-[13px] font-normal"
                    onClick={() => onLeave(page.path, !isLeft)}
                  >
                    {isLeft ? 'Let in' : 'Leave out'}
                    <span className="sr-only"> {page.title}</span>
                  </button>
                </>
              )}
            </li>
          )
        })}
      </ul>
    </section>
  )
}

/** Where a new page joins. */
function Joining({
  body,
  flat,
  canEdit,
  onChange,
}: {
  body: MenuBody
  flat: readonly FlatEntry[]
  canEdit: boolean
  onChange: (joins: MenuBody['joins']) => void
}) {
  const id = useId()
  const value = typeof body.joins === 'string' ? body.joins : `under ${body.joins.under}`
  return (
    <section>
      <label className="field-label" htmlFor={id}>
        A new page joins this menu
      </label>
      <select
        id={id}
        className="field"
        value={value}
        disabled={!canEdit}
        onChange={(event) => {
          const chosen = event.target.value
          onChange(chosen.startsWith('under ') ? { under: chosen.slice('under '.length) } : (chosen as 'nowhere' | 'first' | 'last'))
        }}
      >
        <option value="nowhere">not at all</option>
        <option value="first">as its first entry</option>
        <option value="last">as its last entry</option>
        {flat.map(({ id: entry, label }) => (
          <option key={entry} value={`under ${entry}`}>
            below “{label}”
          </option>
        ))}
      </select>
    </section>
  )
}

/** Versions of the menu; going back is a change like any other. */
function MenuHistory({ menu, onRestore, onClose }: { menu: Menu; onRestore: (body: MenuBody) => void; onClose: () => void }) {
  const [items, setItems] = useState<readonly Revision[] | null>(null)
  const [shown, setShown] = useState<{ version: number; body: MenuBody } | null>(null)
  useEffect(() => {
    ask<{ items: Revision[] }>('GET', `/pages/${menu.id}/history`).then(
      (answer) => setItems(answer.items),
      (error: unknown) => toast.error(wordsOf(error)),
    )
  }, [menu.id])
  const look = useMutation({
    mutationFn: (version: number) => ask<RevisionSource>('GET', `/pages/${menu.id}/revision?version=${version}`),
    onSuccess: ({ version, source }) => setShown({ version, body: readMenu(source) as MenuBody }),
    onError: (error) => toast.error(wordsOf(error)),
  })
  return (
    <Dialog title={`History of ${menu.title}`} isOpen onClose={onClose} isWide>
      <div className="grid grid-cols-[230px_minmax(0,1fr)] gap-5 max-md:grid-cols-1">
        <ol className="grid max-h-[60dvh] content-start gap-0.5 overflow-y-auto" aria-label="Versions">
          {items?.map((each) => (
            <li key={each.version}>
              <button
                type="button"
                aria-pressed={shown?.version === each.version}
                className="w-full rounded-md px-2.5 py-1.5 text-left hover:bg-sun aria-pressed:bg-sun"
                onClick={() => look.mutate(each.version)}
              >
                <span className="block font-semibold">{sayWhen(each.at)}</span>
                <span className="note block">
                  {each.by === null ? each.madeBy : `by ${each.by}`}
                  {each.isLive && <span className="text-sea"> · live</span>}
                </span>
              </button>
            </li>
          ))}
        </ol>
        <div>
          {shown === null ? (
            <p className="note">Choose a version.</p>
          ) : (
            <>
              <p className="mb-3">
                <button
                  type="button"
                  className="button button-main"
                  onClick={() => {
                    onRestore(shown.body)
                    onClose()
                  }}
                >
                  Go back to this version
                </button>
              </p>
              <ul className="grid gap-1">
                {flatMenu(shown.body.entries as Parameters<typeof flatMenu>[0]).map((entry) => (
                  <li key={entry.id} style={{ marginLeft: entry.depth * DEPTH_PX }}>
                    <b className="font-semibold">{entry.label}</b>{' '}
                    <span className="address text-ink-soft">{entry.href || 'leads nowhere'}</span>
                  </li>
                ))}
              </ul>
            </>
          )}
        </div>
      </div>
    </Dialog>
  )
}
