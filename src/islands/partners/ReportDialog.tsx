import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import type { ReportGuessed, ReportLayout, ReportTaken } from '../../contract/earnings.ts'
import type { Partner } from '../../contract/partners.ts'
import {
  columnKey,
  DATE_STYLES,
  type DateStyle,
  DECIMAL_STYLES,
  type DecimalStyle,
  type LineFault,
  NEEDED_FIELDS,
  REPORT_FIELDS,
  type ReportField,
} from '../../core/earnings/index.ts'
import { call } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { FileField } from '../../ui/FileField.tsx'
import { Form, Problem } from '../../ui/Form.tsx'
import { Select } from '../../ui/Select.tsx'
import { TextField } from '../../ui/TextField.tsx'
import { money } from './words.ts'

const FIELD_WORDS: Readonly<Record<ReportField, string>> = {
  date: 'Day of the order',
  commission: 'Your commission',
  sale: 'Value of the sale',
  currency: 'Currency',
  order: 'Order number',
  sub: 'Sub-ID',
  status: 'Status',
}
const DECIMAL_WORDS: Readonly<Record<DecimalStyle, string>> = { point: '1,234.50', comma: '1.234,50' }
const DATE_WORDS: Readonly<Record<DateStyle, string>> = { 'year first': '2026-11-03', 'day first': '3.11.2026', 'month first': '11/3/2026' }
const FAULT_WORDS: Readonly<Record<LineFault, string>> = {
  'date-unreadable': 'no day of this style',
  'amount-unreadable': 'no amount of this style',
  'currency-unknown': 'no currency',
  'state-unknown': 'a status that is not known',
  'header-again': 'the columns’ names again',
  total: 'a total, no order',
  equal: 'says the same of the same order as',
  'too-few-columns': 'too few columns',
}

type Draft = Pick<ReportLayout, 'columns' | 'equalLines'> & { decimals: DecimalStyle | ''; dates: DateStyle | ''; currency: string }

/** A partner's report: chosen, confirmed where it does not decide by itself, looked at, and taken in. */
export function ReportDialog({ partners, onClose }: { partners: readonly Partner[]; onClose: () => void }) {
  const [partnerId, setPartnerId] = useState(partners.find(({ isNetwork }) => !isNetwork)?.id ?? partners[0]?.id ?? '')
  const [file, setFile] = useState<File | null>(null)
  const [guess, setGuess] = useState<ReportGuessed | null>(null)
  const [draft, setDraft] = useState<Draft | null>(null)
  const [seen, setSeen] = useState<ReportTaken | null>(null)
  const look = useMutation({
    mutationFn: ({ chosen, partner }: { chosen: File; partner: string }) =>
      call('earnings.guess', { query: { partnerId: partner }, body: chosen }),
    onSuccess: (found) => {
      setGuess(found)
      setDraft({
        columns: found.columns,
        decimals: found.decimals ?? '',
        dates: found.dates ?? '',
        currency: found.currency ?? 'EUR',
        equalLines: found.equalLines,
      })
    },
  })
  const choose = (chosen: File | null, partner: string): void => {
    setFile(chosen)
    setPartnerId(partner)
    setGuess(null)
    setDraft(null)
    setSeen(null)
    if (chosen !== null) look.mutate({ chosen, partner })
  }
  const layout =
    draft === null || draft.decimals === '' || draft.dates === '' ? null : { ...draft, decimals: draft.decimals, dates: draft.dates }
  const missing = NEEDED_FIELDS.filter((field) => draft?.columns[field] === undefined)
  const take = useMutation({
    mutationFn: (dryRun: boolean) =>
      call('earnings.take', {
        query: { partnerId, name: file?.name ?? 'report', layout: JSON.stringify(layout) as never, dryRun: dryRun ? '1' : '0' },
        body: file ?? new Blob(),
      }),
    onSuccess: (taken, dryRun) => {
      if (dryRun) return setSeen(taken)
      toast.success(`${taken.made} new, ${taken.changed} corrected, ${taken.same} known already.`)
      onClose()
    },
  })
  const change = (next: Partial<Draft>): void => {
    setDraft((before) => (before === null ? before : { ...before, ...next }))
    setSeen(null)
  }
  return (
    <Dialog title="Bring a report in" isOpen isWide onClose={onClose}>
      <Form
        sending={{ ...take, mutate: () => take.mutate(seen === null) }}
        words={guess === null ? null : seen === null ? 'Look at it' : `Take ${seen.lines} lines in`}
        isLook={seen === null}
        canSend={layout !== null && missing.length === 0}
      >
        <div className="grid grid-cols-2 gap-5 max-md:grid-cols-1">
          <Select
            label="Partner"
            value={partnerId}
            options={partners.map(({ id, name }) => [id, name])}
            onChange={(id) => choose(file, id)}
          />
          <FileField label="Report, as CSV" accept=".csv,.tsv,.txt,text/csv,text/plain" onFile={(chosen) => choose(chosen, partnerId)} />
        </div>
        <Problem error={look.error} />
        {guess !== null && draft !== null && (
          <>
            <p className="note">
              {guess.isRemembered ? 'Read as last time. ' : ''}
              Columns are parted by {guess.delimiter === '\t' ? 'tabs' : `“${guess.delimiter}”`}.
              {guess.missing.length > 0 && (
                <b className="text-red">
                  {' '}
                  Last time it also had: {guess.missing.map((field) => FIELD_WORDS[field].toLowerCase()).join(', ')}.
                </b>
              )}
            </p>
            <div className="grid grid-cols-4 gap-x-4 gap-y-3 max-md:grid-cols-2">
              {REPORT_FIELDS.map((field) => (
                <Select
                  key={field}
                  label={FIELD_WORDS[field] + (NEEDED_FIELDS.some((each) => each === field) ? '' : ' (if there)')}
                  value={guess.names.find((name) => columnKey(name) === columnKey(draft.columns[field] ?? '')) ?? ''}
                  options={[
                    ['', '–'],
                    ...guess.names.filter((name, i, all) => name !== '' && all.indexOf(name) === i).map((name) => [name, name] as const),
                  ]}
                  onChange={(name) => {
                    const { [field]: _gone, ...others } = draft.columns
                    change({ columns: name === '' ? others : { ...others, [field]: name } })
                  }}
                />
              ))}
              <Select
                label="Numbers look like"
                value={draft.decimals}
                options={[['', 'choose'], ...DECIMAL_STYLES.map((each) => [each, DECIMAL_WORDS[each]] as const)]}
                onChange={(decimals) => change({ decimals: decimals as DecimalStyle })}
              />
              <Select
                label="Days look like"
                value={draft.dates}
                options={[['', 'choose'], ...DATE_STYLES.map((each) => [each, DATE_WORDS[each]] as const)]}
                onChange={(dates) => change({ dates: dates as DateStyle })}
              />
              <TextField
                label="Currency, where none is said"
                value={draft.currency}
                maxLength={3}
                onChange={(currency) => change({ currency: currency.toUpperCase() })}
              />
            </div>
            {guess.mixed !== null && (
              <p role="alert" className="text-red">
                Numbers are written in two styles: lines {guess.mixed[0]} and {guess.mixed[1]} differ. Lines of the other style are left
                out.
              </p>
            )}
            {guess.mixed === null && guess.decimals === null && draft.decimals === '' && (
              <p className="text-red">Nothing in the file tells “1,234” from “1.234”. Choose how its numbers look.</p>
            )}
            {guess.dates === null && draft.dates === '' && (
              <p className="text-red">Every day in it could be two. Choose how its days look.</p>
            )}
            <section className="overflow-x-auto" tabIndex={0} aria-label="The first lines of the file">
              <table className="w-full text-[13px] [&_td]:border-t [&_td]:px-2 [&_td]:py-1 [&_td]:whitespace-nowrap">
                <tbody>
                  {guess.sample.map((row, i) => (
                    // biome-ignore lint/suspicious/noArrayIndexKey: rows of a file
                    <tr key={i} className={i === 0 ? 'font-semibold' : ''}>
                      {row.map((cell, j) => (
                        // biome-ignore lint/suspicious/noArrayIndexKey: cells of a row
                        <td key={j}>{cell}</td>
                      ))}
                    </tr>
                  ))}
                </tbody>
              </table>
            </section>
          </>
        )}
        {seen !== null && <Seen seen={seen} />}
        {draft !== null && (draft.equalLines === 'each' || (seen !== null && seen.equal > 0)) && (
          <label className="flex items-start gap-2.5">
            <input
              type="checkbox"
              checked={draft.equalLines === 'each'}
              onChange={({ target }) => change({ equalLines: target.checked ? 'each' : 'once' })}
            />
            <span>
              Count equal lines each
              <span className="note block">
                As they are, lines that say the same of the same order count once. Some partners write a line for each piece that was
                bought.
              </span>
            </span>
          </label>
        )}
      </Form>
    </Dialog>
  )
}

function Seen({ seen }: { seen: ReportTaken }) {
  return (
    <div className="sheet px-4 py-3" aria-live="polite">
      <p>
        <b className="font-semibold">{seen.made} new</b>, {seen.changed} corrected, {seen.same} known already; {seen.joined} of them stand
        on a page or a short link of yours.
      </p>
      {seen.equal > 0 && (
        <p>
          <b className="font-semibold">
            {seen.equal} {seen.equal === 1 ? 'line says' : 'lines say'} the same of the same order as one before
          </b>{' '}
          and {seen.equal === 1 ? 'is' : 'are'} not counted again.
        </p>
      )}
      <p>In all {seen.sums.map(({ currency, commission }) => money(commission, currency)).join(' and ') || 'nothing'}.</p>
      {seen.refused.length > 0 && (
        <details className="note mt-1" open={seen.refused.length < 4}>
          <summary className="cursor-pointer">
            {seen.refused.length + seen.moreRefused} {seen.refused.length + seen.moreRefused === 1 ? 'line is' : 'lines are'} left out
          </summary>
          <ul className="mt-1 grid gap-0.5 pl-3">
            {seen.refused.slice(0, 50).map(({ line, why, cell }) => (
              <li key={line}>
                line {line}: {FAULT_WORDS[why]}
                {cell !== '' && (
                  <>
                    {' '}
                    <span className="address">{cell.slice(0, 80)}</span>
                  </>
                )}
              </li>
            ))}
          </ul>
        </details>
      )}
    </div>
  )
}
