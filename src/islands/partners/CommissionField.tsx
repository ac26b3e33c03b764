import { useState } from 'react'
import type { Commission } from '../../contract/partners.ts'
import { plainAmount, readMinor } from '../../core/earnings/index.ts'
import { sayCommission } from '../../core/partners/index.ts'
import { Select } from '../../ui/Select.tsx'
import { TextField } from '../../ui/TextField.tsx'

const KINDS = [
  ['unknown', 'not known yet'],
  ['percent', 'a share of each sale'],
  ['flat', 'an amount an order'],
  ['recurring', 'a share of each payment'],
  ['tiers', 'more, the more is sold'],
] as const

const percentIn = (text: string): number => Math.min(100, Math.max(0, Number(text.replace(',', '.')) || 0))

const beginning = (kind: string): Commission => {
  if (kind === 'percent') return { kind, percent: 5 }
  if (kind === 'flat') return { kind, amount: 100 }
  if (kind === 'recurring') return { kind, percent: 5, months: 12 }
  if (kind === 'tiers')
    return {
      kind,
      by: 'orders',
      each: 'month',
      steps: [
        { from: 1, percent: 5 },
        { from: 20, percent: 7 },
      ],
    }
  return { kind: 'unknown' }
}

/** What a programme pays: its kind, the numbers that belong to it, and the sentence that they make. */
export function CommissionField({
  value,
  currency,
  onChange,
}: {
  value: Commission
  currency: string
  onChange: (value: Commission) => void
}) {
  const [amount, setAmount] = useState(value.kind === 'flat' ? plainAmount({ minor: value.amount, currency }) : '')
  return (
    <div className="grid grid-cols-3 gap-x-5 gap-y-3 max-md:grid-cols-1">
      <Select label="Commission" value={value.kind} options={KINDS} onChange={(kind) => onChange(beginning(kind))} />
      {(value.kind === 'percent' || value.kind === 'recurring') && (
        <TextField
          label="Percent"
          inputMode="decimal"
          value={String(value.percent)}
          onChange={(text) => onChange({ ...value, percent: percentIn(text) })}
        />
      )}
      {value.kind === 'recurring' && (
        <TextField
          label="For months"
          inputMode="numeric"
          placeholder="as long as they pay"
          value={value.months === null ? '' : String(value.months)}
          onChange={(text) => onChange({ ...value, months: /^[1-9]\d*$/.test(text) ? Number(text) : null })}
        />
      )}
      {value.kind === 'flat' && (
        <TextField
          label={`Amount in ${currency}`}
          inputMode="decimal"
          value={amount}
          aria-invalid={readMinor(amount, 'point', currency) === null}
          onChange={(text) => {
            setAmount(text)
            const minor = readMinor(text, 'point', currency)
            if (minor !== null && minor >= 0) onChange({ kind: 'flat', amount: minor })
          }}
        />
      )}
      {value.kind === 'tiers' && (
        <>
          <Select
            label="Counted by"
            value={value.by}
            options={[
              ['orders', 'orders'],
              ['sales', 'value of the sales'],
            ]}
            onChange={(by) => onChange({ ...value, by: by === 'sales' ? 'sales' : 'orders' })}
          />
          <Select
            label="In a"
            value={value.each}
            options={[
              ['month', 'month'],
              ['year', 'year'],
            ]}
            onChange={(each) => onChange({ ...value, each: each === 'year' ? 'year' : 'month' })}
          />
          {value.steps.map((step, i) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: steps have no name but their place
            <div key={i} className="col-span-3 grid grid-cols-[1fr_1fr_auto] items-end gap-3 max-md:col-span-1">
              <TextField
                label={`From ${value.by === 'orders' ? 'order' : `cents of ${currency}`}`}
                inputMode="numeric"
                value={String(step.from)}
                onChange={(text) =>
                  onChange({ ...value, steps: value.steps.map((each, j) => (j === i ? { ...each, from: Number(text) || 0 } : each)) })
                }
              />
              <TextField
                label="Percent"
                inputMode="decimal"
                value={String(step.percent)}
                onChange={(text) =>
                  onChange({ ...value, steps: value.steps.map((each, j) => (j === i ? { ...each, percent: percentIn(text) } : each)) })
                }
              />
              <button
                type="button"
                className="button button-plain"
                disabled={value.steps.length === 1}
                onClick={() => onChange({ ...value, steps: value.steps.filter((_, j) => j !== i) })}
              >
                Take out
              </button>
            </div>
          ))}
          <button
            type="button"
            className="button justify-self-start"
            disabled={value.steps.length >= 20}
            onClick={() =>
              onChange({
                ...value,
                steps: [...value.steps, { from: (value.steps.at(-1)?.from ?? 0) + 10, percent: (value.steps.at(-1)?.percent ?? 0) + 1 }],
              })
            }
          >
            Another step
          </button>
        </>
      )}
      <p className="note col-span-3 max-md:col-span-1">{sayCommission(value, currency)}</p>
    </div>
  )
}
