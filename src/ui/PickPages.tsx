import { useId } from 'react'

interface Pickable {
  readonly id: string
  readonly title: string
}

/** All pages, or some of them by their ticks. `chosen` is null for all. */
export function PickPages({
  label,
  all,
  some,
  pages,
  first,
  chosen,
  more = 0,
  onChoose,
}: {
  label: string
  /** What choosing all, and choosing some, is called. */
  all: string
  some: string
  pages: readonly Pickable[]
  /** What is ticked when somebody begins to choose. */
  first: 'all' | 'none'
  chosen: ReadonlySet<string> | null
  /** Pages that are meant by "all" and not listed. */
  more?: number
  onChoose: (chosen: ReadonlySet<string> | null) => void
}) {
  const name = useId()
  const radio = (words: string, isOn: boolean, next: ReadonlySet<string> | null) => (
    <label className="flex min-h-6 items-center gap-2">
      <input type="radio" name={name} checked={isOn} onChange={() => onChoose(next)} />
      {words}
    </label>
  )
  return (
    <fieldset className="grid gap-1.5">
      <legend className="field-label">{label}</legend>
      {radio(all, chosen === null, null)}
      {radio(some, chosen !== null, new Set(first === 'all' ? pages.map(({ id }) => id) : []))}
      {chosen !== null && (
        <ul className="ml-6 grid max-h-[220px] gap-1 overflow-y-auto">
          {pages.map(({ id, title }) => (
            <li key={id}>
              <label className="flex min-h-6 items-center gap-2">
                <input
                  type="checkbox"
                  checked={chosen.has(id)}
                  onChange={({ target }) => onChoose(new Set(target.checked ? [...chosen, id] : [...chosen].filter((each) => each !== id)))}
                />
                <span className="truncate">{title}</span>
              </label>
            </li>
          ))}
          {more > 0 && <li className="note">{more} more; only those listed can be chosen one by one.</li>}
        </ul>
      )}
    </fieldset>
  )
}
