import { type ComponentProps, useId } from 'react'

/** A line to write in, with its label above it. What else an `input` takes goes on to it. */
export function TextField({
  label,
  value,
  isAddress = false,
  onChange,
  ...more
}: {
  label: string
  value: string
  /** Set as an address is: evenly, and not corrected. */
  isAddress?: boolean
  onChange: (value: string) => void
} & Omit<ComponentProps<'input'>, 'onChange' | 'value' | 'id' | 'className'> & { [name: `data-${string}`]: unknown }) {
  const id = useId()
  const asAddress = isAddress ? { autoComplete: 'off', spellCheck: false } : {}
  return (
    <div>
      <label className="field-label" htmlFor={id}>
        {label}
      </label>
      <input
        id={id}
        className={`field ${isAddress ? 'address' : ''}`}
        value={value}
        {...asAddress}
        {...more}
        onChange={(event) => onChange(event.target.value)}
      />
    </div>
  )
}
