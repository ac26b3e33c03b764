import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import { EARNED_BY, type EarnedLine } from '../../contract/earnings.ts'
import type { Partner } from '../../contract/partners.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { useAsk } from '../../ui/query.tsx'
import { When } from '../../ui/When.tsx'
import { Amount, AmountsTable } from './AmountsTable.tsx'
import { ReportDialog } from './ReportDialog.tsx'
import { money } from './words.ts'

const BY_WORDS: Readonly<Record<(typeof EARNED_BY)[number], string>> = {
  partner: 'by partner',
  page: 'by page',
  placement: 'by placement',
  'short link': 'by short link',
  'not joined': 'not joined',
}

/** What came in, and the reports that said so. */
export function Earnings({ partners, canEdit }: { partners: readonly Partner[]; canEdit: boolean }) {
  const [by, setBy] = useState<(typeof EARNED_BY)[number]>('partner')
  const [isBringing, setBringing] = useState(false)
  const { data } = useAsk('earnings.look', { query: { by } })
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_340px] gap-6 max-lg:grid-cols-1">
      <section aria-label="What came in">
        <header className="mb-3 flex flex-wrap items-center gap-2">
          <h2 className="mr-2 text-[19px]">What came in</h2>
          {EARNED_BY.map((each) => (
            <button
              key={each}
              type="button"
              className="chip aria-pressed:border-ink aria-pressed:font-semibold"
              aria-pressed={by === each}
              onClick={() => setBy(each)}
            >
              {BY_WORDS[each]}
            </button>
          ))}
        </header>
        {by === 'not joined' && (
          <p className="note mb-2">
            Orders whose sub-ID stands on none of your pages: reported without one, or from a link that was made elsewhere.
          </p>
        )}
        <AmountsTable
          label={`Earnings ${BY_WORDS[by]}`}
          heads={[
            [by === 'not joined' ? 'Sub-ID' : `${by[0]?.toUpperCase()}${by.slice(1)}`, false],
            ...['Orders', 'Pending', 'Confirmed', 'Paid', 'Taken back', ...(by === 'partner' ? ['EPC'] : [])].map(
              (words) => [words, true] as const,
            ),
          ]}
        >
          {data?.items.map((line) => (
            <Line key={`${line.key} ${line.currency}`} line={line} withEpc={by === 'partner'} />
          ))}
          {data?.items.length === 0 && (
            <tr>
              <td colSpan={7} className="py-6 text-center text-ink-soft">
                {by === 'not joined' ? 'Every order found its way back.' : 'Nothing yet. Bring a partner’s report in.'}
              </td>
            </tr>
          )}
        </AmountsTable>
        {(data?.more ?? 0) > 0 && <p className="note mt-2">and more than {data?.items.length} others</p>}
      </section>
      <Reports partners={partners} canEdit={canEdit} onBring={() => setBringing(true)} />
      {isBringing && <ReportDialog partners={partners} onClose={() => setBringing(false)} />}
    </div>
  )
}

function Line({ line, withEpc }: { line: EarnedLine; withEpc: boolean }) {
  const cell = (minor: number): string => (minor === 0 ? '–' : money(minor, line.currency))
  return (
    <tr>
      <th scope="row" className="max-w-72 truncate border-t" title={line.name}>
        {line.name}
      </th>
      <td className="text-right">{line.orders}</td>
      <Amount>{cell(line.pending)}</Amount>
      <Amount>{cell(line.confirmed)}</Amount>
      <Amount>{cell(line.paid)}</Amount>
      <Amount>{cell(line.reversed)}</Amount>
      {withEpc && <Amount>{line.epc === null ? '–' : money(line.epc, line.currency)}</Amount>}
    </tr>
  )
}

function Reports({ partners, canEdit, onBring }: { partners: readonly Partner[]; canEdit: boolean; onBring: () => void }) {
  const { data } = useAsk('earnings.reports', {})
  const undo = useMutation({
    mutationFn: (id: string) => call('earnings.undo', { id }),
    onSuccess: () => toast.success('The report is taken back, with everything it said.'),
    onError: (failure) => toast.error(wordsOf(failure)),
  })
  return (
    <section aria-label="Reports">
      <header className="mb-2 flex items-baseline justify-between gap-3">
        <h2 className="text-[19px]">Reports</h2>
        {canEdit && (
          <button type="button" className="button button-main" disabled={partners.length === 0} onClick={onBring}>
            Bring a report in
          </button>
        )}
      </header>
      <ul className="sheet divide-y">
        {data?.items.map((report) => (
          <li key={report.id} className={`px-4 py-2 ${report.isUndone ? 'text-ink-soft' : ''}`}>
            <p className="flex items-baseline justify-between gap-3">
              <b className="min-w-0 truncate font-semibold">{report.name}</b>
              {report.isUndone ? (
                <span className="note">taken back</span>
              ) : (
                canEdit && (
                  <button type="button" className="text-[14px] underline" disabled={undo.isPending} onClick={() => undo.mutate(report.id)}>
                    take back<span className="sr-only">: {report.name}</span>
                  </button>
                )
              )}
            </p>
            <p className="note">
              {partners.find(({ id }) => id === report.partnerId)?.name ?? 'a partner'}, <When at={report.at} />: {report.made} new
              {report.changed > 0 && `, ${report.changed} corrected`}
              {report.same > 0 && `, ${report.same} known`}
              {report.refused > 0 && `, ${report.refused} left out`}
            </p>
          </li>
        ))}
        {data?.items.length === 0 && <li className="note px-4 py-4">None yet.</li>}
      </ul>
    </section>
  )
}
