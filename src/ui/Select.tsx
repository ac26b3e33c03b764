import { type ReactNode, useId } from 'react'

/** One of several, with its label above it. */
export function Select({
  label,
  value,
  options,
  onChange,
  isReadOnly = false,
  isLabelHidden = false,
  className = '',
  id: given,
}: {
  label: string
  value: string
  options: readonly (readonly [value: string, words: ReactNode])[]
  onChange: (value: string) => void
  isReadOnly?: boolean
  /** Where what stands around it says what it is: the label is only heard. */
  isLabelHidden?: boolean
  className?: string
  /** By which something else leads to it; its own where it is left out. */
  id?: string
}) {
  const own = useId()
  const id = given ?? own
  const field = (
    <select
      id={id}
      className={`field ${className}`}
      disabled={isReadOnly}
      value={value}
      onChange={({ target }) => onChange(target.value)}
      {...(isLabelHidden ? { 'aria-label': label } : {})}
    >
      {options.map(([each, words]) => (
        <option key={each} value={each}>
          {words}
        </option>
      ))}
    </select>
  )
  if (isLabelHidden) return field
  return (
    <div>
      <label className="field-label" htmlFor={id}>
        {label}
      </label>
      {field}
    </div>
  )
}
