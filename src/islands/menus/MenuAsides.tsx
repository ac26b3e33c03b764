import { type KeyboardEvent, useId, useState } from 'react'
import type { MenuBody } from '../../contract/menus.ts'
import type { Page } from '../../contract/pages.ts'
import { type FlatEntry, leftOut } from '../../core/menus/index.ts'
import { SearchField } from '../../ui/long-list.tsx'
import { Select } from '../../ui/Select.tsx'
import { useUnsaved } from '../../ui/unsaved.ts'

/** Several titles get a landing in one go. */
export function Landings({
  titles,
  pages,
  onSet,
}: {
  titles: readonly FlatEntry[]
  pages: readonly Page[]
  onSet: (landings: ReadonlyMap<string, string>) => void
}) {
  const id = useId()
  const [values, setValues] = useState<ReadonlyMap<string, string>>(new Map())
  useUnsaved(values.size > 0)
  const paths = new Set(pages.map(({ path }) => path))
  /** What is wrong with a landing, told at its box; null for one that leads somewhere, and for none. */
  const faultOf = (value: string | undefined): string | null => {
    if (value === undefined || value === '' || paths.has(value) || /^(?:https?:|mailto:|tel:|#)/i.test(value)) return null
    return value.startsWith('/')
      ? 'No page of this path is in the list. If it is no file either, readers find nothing.'
      : 'This is no address. Take a page from the list, or paste one.'
  }
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
            aria-describedby={`${id}-${title.id}-told`}
            aria-invalid={faultOf(values.get(title.id)) !== null}
            onKeyDown={toNextBox}
            onChange={(event) => setValues((before) => new Map([...before, [title.id, event.target.value.trim()]]))}
          />
          <p id={`${id}-${title.id}-told`} aria-live="polite" className="col-start-2 text-[14px] text-red empty:hidden">
            {faultOf(values.get(title.id))}
          </p>
        </div>
      ))}
      <p className="flex justify-end">
        <button
          type="submit"
          className="button button-main"
          disabled={[...values.values()].some((value) => !value.startsWith('/') && faultOf(value) !== null)}
        >
          Set them all
        </button>
      </p>
    </form>
  )
}

/** Enter goes to the next box, and from the last one to the button. */
function toNextBox(event: KeyboardEvent<HTMLInputElement>): void {
  if (event.key !== 'Enter') return
  event.preventDefault()
  const fields = [...(event.currentTarget.form?.elements ?? [])].filter(
    (each): each is HTMLInputElement | HTMLButtonElement => each instanceof HTMLInputElement || each instanceof HTMLButtonElement,
  )
  fields[fields.indexOf(event.currentTarget) + 1]?.focus()
}

/** Pages that the menu does not show. */
export function NotInIt({
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
      {out.length > 8 && <SearchField label="Find a page" hint="Find a page" value={search} onChange={setSearch} className="mb-1.5" />}
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
export function Joining({
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
  const value = typeof body.joins === 'string' ? body.joins : `under ${body.joins.under}`
  return (
    <section>
      <Select
        label="A new page joins this menu"
        isReadOnly={!canEdit}
        value={value}
        options={[
          ['nowhere', 'not at all'],
          ['first', 'as its first entry'],
          ['last', 'as its last entry'],
          ...flat.map(({ id: entry, label }) => [`under ${entry}`, `below “${label}”`] as const),
        ]}
        onChange={(chosen) =>
          onChange(chosen.startsWith('under ') ? { under: chosen.slice('under '.length) } : (chosen as 'nowhere' | 'first' | 'last'))
        }
      />
    </section>
  )
}
