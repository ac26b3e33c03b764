import { useId } from 'react'

/** Several lines to write in, with their label above them. */
export function TextArea({
  label,
  value,
  isAddress = false,
  placeholder,
  onChange,
}: {
  label: string
  value: string
  /** Set as addresses are: evenly, and not corrected. */
  isAddress?: boolean
  placeholder?: string
  onChange: (value: string) => void
}) {
  const id = useId()
  return (
    <div>
      <label className="field-label" htmlFor={id}>
        {label}
      </label>
      <textarea
        id={id}
        className={`field min-h-24 ${isAddress ? 'address' : ''}`}
        value={value}
        placeholder={placeholder}
        spellCheck={!isAddress}
        onChange={({ target }) => onChange(target.value)}
      />
    </div>
  )
}
