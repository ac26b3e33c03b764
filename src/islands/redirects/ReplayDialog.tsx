import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { reportOf } from '../../contract/jobs.ts'
import type { ReplayReport } from '../../contract/redirect-trials.ts'
import type { RedirectNew } from '../../contract/redirects.ts'
import { readableAddress } from '../../core/address/index.ts'
import { call } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { FileField } from '../../ui/FileField.tsx'
import { Problem } from '../../ui/Form.tsx'
import { JobProgress, useJob } from '../../ui/job.tsx'
import { counted, number } from '../../words/index.ts'
import { bare } from './words.ts'

/** Examples shown of each. */
const SHOWN = 12

export function ReplayDialog({ onClose }: { onClose: () => void }) {
  return (
    <Dialog title="Replay a log" isOpen onClose={onClose} isWide>
      <ReplayPart rows={[]} />
    </Dialog>
  )
}

/** Runs an access log through the table as it is, and as it is to be: with rows that are off, and those that are given. */
export function ReplayPart({ rows }: { rows: readonly RedirectNew[] }) {
  const [jobId, setJobId] = useState<string | null>(null)
  const send = useMutation({
    mutationFn: (file: File) => {
      const form = new FormData()
      form.set('file', file)
      if (rows.length > 0) form.set('rows', JSON.stringify(rows))
      return call('redirect-trials.replay', { body: form })
    },
    onSuccess: ({ job }) => setJobId(job),
  })
  const { job, error, isRunning, stop, isStopping } = useJob(jobId)
  const report = job?.state === 'done' ? reportOf('replay', job) : null
  return (
    <div className="grid gap-4">
      <p>
        Each request of an access log is asked once more: of what answers now, and of what would with{' '}
        {rows.length === 0 ? 'the rows that are switched off' : 'the chosen rows'} as well. Nothing is changed, and nothing of the log is
        kept.
      </p>
      <Problem error={send.error ?? error} />
      {(send.isPending || isRunning) && (
        <JobProgress
          job={job}
          words={({ done, total }) => `${Math.round((done / Math.max(1, total)) * 100)} in a hundred`}
          beginning="Sending…"
          onStop={jobId === null || isStopping ? null : stop}
        />
      )}
      {(job?.state === 'failed' || job?.state === 'cancelled') && <p role="alert">{job.message}</p>}
      {report !== null && <Outcome report={report} />}
      {!send.isPending && !isRunning && (
        <FileField
          label={report === null ? 'An access log (Common or Combined Log Format, plain or .gz)' : 'Another log'}
          accept=".log,.gz,.txt,text/*"
          onFile={(file) => send.mutate(file)}
        />
      )}
    </div>
  )
}

function Outcome({ report: { lines, broken, answered, missed, changed, noise, visitors, tried, examples } }: { report: ReplayReport }) {
  const asked = answered + missed
  const share = (part: number): string => (asked === 0 ? '–' : `${Math.round((part / asked) * 1000) / 10} %`)
  const figures: readonly (readonly [string, number, number])[] = [
    ['answered', answered, visitors.answered],
    ['missed', missed, visitors.missed],
    ['answered otherwise than now', changed, visitors.changed],
  ]
  return (
    <div className="grid gap-3">
      <table className="w-full max-w-[620px] text-left">
        <caption className="note pb-1 text-left">
          {counted(lines, 'line')} looked at{broken > 0 && `, ${number(broken)} of them no line of a log`}; {counted(tried, 'row')} tried
          besides those that answer now.
        </caption>
        <thead>
          <tr className="border-b">
            <th className="py-1 font-semibold">Visits</th>
            <th className="py-1 text-right font-semibold">How many</th>
            <th className="py-1 text-right font-semibold">Share</th>
            <th className="py-1 text-right font-semibold">Visitors, about</th>
          </tr>
        </thead>
        <tbody className="divide-y tabular-nums">
          {figures.map(([words, visits, people]) => (
            <tr key={words}>
              <td className="py-1">{words}</td>
              <td className="py-1 text-right">{number(visits)}</td>
              <td className="py-1 text-right">{share(visits)}</td>
              <td className="py-1 text-right">{number(people)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {noise > 0 && <p className="note">{number(noise)} of the missed were scanners, icons, and parts of pages.</p>}
      {examples.changed.length > 0 && (
        <details open className="rounded-md border px-3 py-2">
          <summary className="cursor-pointer font-semibold">Answered otherwise</summary>
          <ul className="mt-1 divide-y">
            {examples.changed.slice(0, SHOWN).map((each) => (
              <li key={each.path} className="py-1">
                <span className="address">{readableAddress(each.path)}</span>{' '}
                <span className="note">{counted(each.visits, 'visit')}: </span>
                <del className="address">{each.now === '' ? 'missed' : bare(each.now)}</del>{' '}
                <ins className="address">{each.after === '' ? 'missed' : each.after.replace(/https?:\/\//, '')}</ins>
              </li>
            ))}
          </ul>
        </details>
      )}
      {examples.missed.length > 0 && (
        <details className="rounded-md border px-3 py-2">
          <summary className="cursor-pointer font-semibold">Missed most</summary>
          <ul className="mt-1 divide-y">
            {examples.missed.slice(0, SHOWN).map((each) => (
              <li key={each.path} className="flex justify-between gap-3 py-1">
                <span className="address">{readableAddress(each.path)}</span>
                <span className="note">{counted(each.visits, 'visit')}</span>
              </li>
            ))}
          </ul>
        </details>
      )}
    </div>
  )
}
