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
}: {
  label: string
  value: string
  options: readonly (readonly [value: string, words: ReactNode])[]
  onChange: (value: string) => void
  isReadOnly?: boolean
  /** Where what stands around it says what it is: the label is only heard. */
  isLabelHidden?: boolean
  className?: string
}) {
  const id = useId()
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
