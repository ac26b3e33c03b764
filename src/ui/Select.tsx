import { type ReactNode, useId } from 'react'

/** One of several, with its label above it. */
export function Select({
  label,
  value,
  options,
  onChange,
}: {
  label: string
  value: string
  options: readonly (readonly [value: string, words: ReactNode])[]
  onChange: (value: string) => void
}) {
  const id = useId()
  return (
    <div>
      <label className="field-label" htmlFor={id}>
        {label}
      </label>
      <select id={id} className="field" value={value} onChange={({ target }) => onChange(target.value)}>
        {options.map(([each, words]) => (
          <option key={each} value={each}>
            {words}
          </option>
        ))}
      </select>
    </div>
  )
}
