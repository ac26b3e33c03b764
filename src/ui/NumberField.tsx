import { useEffect, useId, useRef, useState } from 'react'
import { digitsOf, plainAmount, readAmount } from '../core/earnings/index.ts'
import { type DecimalMark, decimalMarkOf, type NumberUnit, readNumber, writtenNumber } from '../core/numbers/index.ts'
import type { Result } from '../core/result.ts'

const UNIT_WORDS: Readonly<Record<NumberUnit, string>> = {
  number: '',
  percent: 'percent',
  days: 'days',
  months: 'months',
  minutes: 'minutes',
  clicks: 'clicks',
  orders: 'orders',
  pixels: 'pixels',
}

/** How whoever looks parts what is smaller than one. Asked in the browser alone: fields are shown once it is known. */
const markHere = (): DecimalMark => (typeof navigator === 'undefined' ? 'point' : decimalMarkOf(navigator.language))

/** A number as a field shows and reads it. */
interface Reading {
  readonly write: (value: number) => string
  readonly read: (typed: string) => Result<number, string>
  /** What is wrong with what was typed, as a sentence. */
  readonly say: (fault: string, typed: string, detail: Readonly<Record<string, unknown>>) => string
  readonly isWhole: boolean
}

interface FieldProps {
  label: string
  value: number | null
  /** Told of each number that is understood, and of null where nothing stands and that is allowed. */
  onChange: (value: number | null) => void
  /** Where it may stay empty; what that means, as it is shown there. */
  empty?: string | undefined
  note?: string | undefined
  isOff?: boolean | undefined
  /** Told of what stands there when the field is left, where that is understood. */
  onDone?: ((value: number | null) => void) | undefined
}

/**
 * A number to type: it keeps what is typed as it is typed, understands both marks and a unit behind it, and says what it does
 * not understand. Until it understands, the form it stands in is not sent, and nobody is told of another number.
 */
export function NumberField({
  unit = 'number',
  least = 0,
  most,
  digits = 0,
  ...field
}: FieldProps & { unit?: NumberUnit; least?: number; most: number; digits?: number }) {
  const asked = { unit, least, most, digits }
  const reading: Reading = {
    isWhole: digits === 0,
    write: (value) => writtenNumber(value, markHere()),
    read: (typed) => readNumber(typed, asked, markHere()),
    say: (fault, typed, detail) => {
      const example = writtenNumber(digits === 0 ? Math.min(most, Math.max(least, 30)) : Math.min(most, 8.5), markHere())
      if (fault === 'other-unit')
        return UNIT_WORDS[unit] === ''
          ? `“${detail.word}” is not understood here: write the number alone.`
          : `“${detail.word}” is not understood here: ${UNIT_WORDS[unit]} are meant.`
      if (fault === 'not-whole') return `A whole number is meant, such as ${example}.`
      if (fault === 'too-many-digits') return `No more than ${digits} digits behind the ${markHere()}.`
      if (fault === 'too-small') return `${writtenNumber(least, markHere())} is the least.`
      if (fault === 'too-large') return `${writtenNumber(most, markHere())} is the most.`
      return `“${typed.trim().slice(0, 40)}” is no number: write one such as ${example}.`
    },
  }
  return <Field {...field} reading={reading} />
}

/** An amount of money, in the smallest unit of its currency. */
export function MoneyField({ currency, ...field }: FieldProps & { currency: string }) {
  const reading: Reading = {
    isWhole: digitsOf(currency) === 0,
    write: (minor) => (markHere() === 'comma' ? plainAmount({ minor, currency }).replace('.', ',') : plainAmount({ minor, currency })),
    read: (typed) => readAmount(typed, currency, markHere()),
    say: (fault, typed, detail) => {
      if (fault === 'other-currency') return `This says ${detail.currency}, and it is paid in ${currency}.`
      if (fault === 'below-nothing') return 'An amount below nothing cannot stand here.'
      return `“${typed.trim().slice(0, 40)}” is no amount in ${currency}: write one such as ${markHere() === 'comma' ? '12,50' : '12.50'}.`
    },
  }
  return <Field {...field} reading={reading} />
}

function Field({ label, value, onChange, onDone, empty, note, isOff = false, reading }: FieldProps & { reading: Reading }) {
  const id = useId()
  const field = useRef<HTMLInputElement>(null)
  const [typed, setTyped] = useState(value === null ? '' : reading.write(value))
  const [isAsked, setAsked] = useState(false)
  const read = typed.trim() === '' ? null : reading.read(typed)
  const fault =
    read === null ? (empty === undefined ? 'A number is needed here.' : null) : read.ok ? null : reading.say(read.fault, typed, read.detail)
  // What was set from elsewhere is shown; what was typed and means the same stays as it was typed.
  const [shownValue, setShownValue] = useState(value)
  const means = read === null ? null : read.ok ? read.value : undefined
  if (value !== shownValue) {
    setShownValue(value)
    if (means !== undefined && value !== means) setTyped(value === null ? '' : reading.write(value))
  }
  useEffect(() => field.current?.setCustomValidity(fault ?? ''), [fault])
  const isWrong = fault !== null && (read !== null || isAsked)
  return (
    <div>
      <label className="field-label" htmlFor={id}>
        {label}
      </label>
      <input
        ref={field}
        id={id}
        className="field"
        inputMode={reading.isWhole ? 'numeric' : 'decimal'}
        autoComplete="off"
        placeholder={empty}
        disabled={isOff}
        value={typed}
        aria-invalid={isWrong}
        aria-describedby={isWrong || note !== undefined ? `${id}-said` : undefined}
        onInvalid={() => setAsked(true)}
        onBlur={() => {
          setAsked(true)
          if (fault === null && means !== undefined) onDone?.(means)
        }}
        onChange={({ target }) => {
          setTyped(target.value)
          const next = target.value.trim() === '' ? null : reading.read(target.value)
          if (next === null) {
            if (empty !== undefined) tell(null)
          } else if (next.ok) tell(next.value)
        }}
      />
      <p id={`${id}-said`} aria-live="polite" className={isWrong ? 'mt-0.5 text-[14px] text-red' : 'note mt-0.5'}>
        {isWrong ? fault : note}
      </p>
    </div>
  )

  function tell(next: number | null): void {
    setShownValue(next)
    onChange(next)
  }
}
