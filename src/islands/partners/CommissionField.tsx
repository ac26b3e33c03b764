import { useState } from 'react'
import { Commission } from '../../contract/partners.ts'
import { tellCommission } from '../../core/partners/index.ts'
import { MoneyField, NumberField } from '../../ui/NumberField.tsx'
import { Select } from '../../ui/Select.tsx'
import { inWords } from '../../words/index.ts'

const KINDS = [
  ['unknown', 'not known yet'],
  ['percent', 'a share of each sale'],
  ['flat', 'an amount an order'],
  ['recurring', 'a share of each payment'],
  ['tiers', 'more, the more is sold'],
] as const

/** A commission that is being filled in: what nobody has said yet is null. */
type Filled<T> = T extends readonly (infer E)[]
  ? Filled<E>[]
  : T extends object
    ? { [K in keyof T]: T[K] extends number ? number | null : Filled<T[K]> }
    : T
type Draft = Filled<Commission>

const BEGINNINGS: Readonly<Record<Commission['kind'], Draft>> = {
  unknown: { kind: 'unknown' },
  percent: { kind: 'percent', percent: null },
  flat: { kind: 'flat', amount: null },
  recurring: { kind: 'recurring', percent: null, months: null },
  tiers: { kind: 'tiers', by: 'orders', each: 'month', steps: [{ from: null, percent: null }] },
}
/** Whether all is said that has to be. */
const isWhole = (draft: Draft): draft is Commission => Commission.safeParse(draft).success

const PERCENT = { unit: 'percent', most: 100, digits: 2 } as const

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
  const [draft, setDraft] = useState<Draft>(value)
  // What was set from elsewhere is shown; what is being filled in stays.
  const [told, setTold] = useState(value)
  if (value !== told) {
    setTold(value)
    setDraft(value)
  }
  const change = (next: Draft): void => {
    setDraft(next)
    if (!isWhole(next)) return
    setTold(next)
    onChange(next)
  }
  return (
    <div className="grid grid-cols-3 gap-x-5 gap-y-3 max-md:grid-cols-1">
      <Select
        label="Commission"
        value={draft.kind}
        options={KINDS}
        onChange={(kind) => change(BEGINNINGS[KINDS.find(([each]) => each === kind)?.[0] ?? 'unknown'])}
      />
      {(draft.kind === 'percent' || draft.kind === 'recurring') && (
        <NumberField label="Percent" {...PERCENT} value={draft.percent} onChange={(percent) => change({ ...draft, percent })} />
      )}
      {draft.kind === 'recurring' && (
        <NumberField
          label="For months"
          unit="months"
          least={1}
          most={600}
          empty="as long as they pay"
          value={draft.months}
          onChange={(months) => change({ ...draft, months })}
        />
      )}
      {draft.kind === 'flat' && (
        <MoneyField
          label={`Amount in ${currency}`}
          currency={currency}
          value={draft.amount}
          onChange={(amount) => change({ kind: 'flat', amount })}
        />
      )}
      {draft.kind === 'tiers' && (
        <>
          <Select
            label="Counted by"
            value={draft.by}
            options={[
              ['orders', 'orders'],
              ['sales', 'value of the sales'],
            ]}
            onChange={(by) =>
              change({ ...draft, by: by === 'sales' ? 'sales' : 'orders', steps: draft.steps.map((step) => ({ ...step, from: null })) })
            }
          />
          <Select
            label="In a"
            value={draft.each}
            options={[
              ['month', 'month'],
              ['year', 'year'],
            ]}
            onChange={(each) => change({ ...draft, each: each === 'year' ? 'year' : 'month' })}
          />
          {draft.steps.map((step, i) => {
            const put = (next: Partial<typeof step>): void =>
              change({ ...draft, steps: draft.steps.map((each, j) => (j === i ? { ...each, ...next } : each)) })
            return (
              // biome-ignore lint/suspicious/noArrayIndexKey: steps have no name but their place
              <div key={`${draft.by} ${i}`} className="col-span-3 grid grid-cols-[1fr_1fr_auto] items-start gap-3 max-md:col-span-1">
                {draft.by === 'orders' ? (
                  <NumberField label="From order" unit="orders" most={1_000_000} value={step.from} onChange={(from) => put({ from })} />
                ) : (
                  <MoneyField
                    label={`From sales of, in ${currency}`}
                    currency={currency}
                    value={step.from}
                    onChange={(from) => put({ from })}
                  />
                )}
                <NumberField label="Percent" {...PERCENT} value={step.percent} onChange={(percent) => put({ percent })} />
                <button
                  type="button"
                  className="button button-plain mt-6"
                  disabled={draft.steps.length === 1}
                  onClick={() => change({ ...draft, steps: draft.steps.filter((_, j) => j !== i) })}
                >
                  Take out
                </button>
              </div>
            )
          })}
          <button
            type="button"
            className="button justify-self-start"
            disabled={draft.steps.length >= 20}
            onClick={() => change({ ...draft, steps: [...draft.steps, { from: null, percent: null }] })}
          >
            Another step
          </button>
        </>
      )}
      <p className="note col-span-3 max-md:col-span-1">
        {isWhole(draft) ? inWords(tellCommission(draft, currency)) : 'Fill in the numbers, and it is said here in words.'}
      </p>
    </div>
  )
}
