import { useMutation } from '@tanstack/react-query'
import { useId, useState } from 'react'
import { reportOf } from '../../contract/jobs.ts'
import type { RedirectsBulkReport } from '../../contract/redirect-lists.ts'
import { readableAddress } from '../../core/address/index.ts'
import { LIST_FORMATS } from '../../core/routing/index.ts'
import { call } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { FileField } from '../../ui/FileField.tsx'
import { Problem } from '../../ui/Form.tsx'
import { JobProgress, JobStopped, useJob } from '../../ui/job.tsx'
import { Select } from '../../ui/Select.tsx'
import { stepOf, toldStep } from '../../ui/steps.ts'
import { useKeptText } from '../../ui/unsaved.ts'
import { counted, type InWords, number } from '../../words/index.ts'
import { bare } from './words.ts'

type As = (typeof LIST_FORMATS)[number]
const FORMAT_WORDS: Readonly<Record<As, string>> = {
  csv: 'a table: old address, new address',
  json: 'JSON, as it goes out here',
  httpd: 'configuration of Apache httpd',
  nginx: 'configuration of nginx',
}
/** Rows of the report drawn at once; counts always tell all. */
const ROWS_SHOWN = 300
const EXAMPLE = '/old/timetable.htm\t/timetables.html\nhttps://www.old.example/shop\t/shop/'
const OUTCOME_WORDS = { new: 'New', changed: 'Changed', same: 'Same', refused: 'Refused' } as const

/** Many rows at once, from a spreadsheet, a file or another server: looked at first, then taken in one step. */
export function PasteDialog({ onClose }: { onClose: () => void }) {
  const [as, setAs] = useState<As>('csv')
  // Here, and not where it is typed: it stays while it is looked at, and when that fails.
  const [pasted, setPasted] = useKeptText('redirects pasted')
  const [list, setList] = useState<Blob | null>(null)
  const [jobId, setJobId] = useState<string | null>(null)
  const [modules, setModules] = useState<Modules>({})
  const send = useMutation({
    mutationFn: ({ of, dryRun, told = modules }: { of: Blob; dryRun: boolean; told?: Modules }) =>
      call('redirect-lists.bulk', {
        query: { as, dryRun: dryRun ? '1' : '0', has: namesOf(told, true), hasNot: namesOf(told, false) },
        body: of,
      }),
    onSuccess: ({ job }) => setJobId(job),
  })
  const { job, error, isRunning: isBeingDone, stop, isStopping } = useJob(jobId)
  const isRunning = send.isPending || isBeingDone
  const report = job?.state === 'done' ? reportOf('redirects', job) : null
  const look = (of: Blob): void => {
    setList(of)
    send.mutate({ of, dryRun: true })
  }
  const answer = (told: Modules, files: readonly BroughtFile[]): void => {
    if (list === null) return
    const whole = new Blob([list, ...files.flatMap(({ name, file }) => [`\n#file ${name}\n`, file])])
    setModules(told)
    setList(whole)
    send.mutate({ of: whole, dryRun: true, told })
  }
  const close = (): void => {
    if (report?.isDryRun === false) setPasted('')
    if (report?.isDryRun === false && report.new + report.changed > 0)
      toldStep(
        `${counted(report.new + report.changed, 'row')} of your list ${report.new + report.changed === 1 ? 'is' : 'are'} in the table.`,
        stepOf('redirects', report.step),
      )
    onClose()
  }
  return (
    <Dialog title="Paste rows" isOpen onClose={close} isWide>
      <Problem error={send.error ?? error} className="mb-3" />
      {jobId === null && !send.isPending && <Choose as={as} onAs={setAs} pasted={pasted} onPasted={setPasted} onList={look} />}
      {isRunning && (
        <div className="py-6">
          <JobProgress
            job={job}
            words={({ done }) => `${counted(done, 'row')} looked at`}
            beginning="Sending…"
            onStop={jobId === null || isStopping ? null : stop}
          />
        </div>
      )}
      <JobStopped job={job} onAgain={() => setJobId(null)} />
      {report !== null && !isRunning && (
        <Report
          report={report}
          onApply={() => list !== null && send.mutate({ of: list, dryRun: false })}
          onAnswer={answer}
          told={modules}
          onAgain={() => {
            setModules({})
            setJobId(null)
          }}
          onClose={close}
        />
      )}
    </Dialog>
  )
}

function Choose({
  as,
  onAs,
  pasted,
  onPasted,
  onList,
}: {
  as: As
  onAs: (as: As) => void
  pasted: string
  onPasted: (pasted: string) => void
  onList: (list: Blob) => void
}) {
  const pastedId = useId()
  return (
    <form
      className="grid gap-4"
      onSubmit={(event) => {
        event.preventDefault()
        onList(new Blob([pasted]))
      }}
    >
      <p>
        Copy two columns from a spreadsheet: what was asked for, and where it leads now. Full addresses and paths may be mixed; a status in
        a third column is taken too, and an address that is gone needs no new one: 410. Nothing happens before you have seen what would.
      </p>
      <div className="grid grid-cols-2 gap-3.5 max-md:grid-cols-1">
        <Select
          label="It is"
          value={as}
          options={LIST_FORMATS.map((each) => [each, FORMAT_WORDS[each]])}
          onChange={(value) => onAs(LIST_FORMATS.find((each) => each === value) ?? 'csv')}
        />
        <FileField label="From a file" accept=".csv,.tsv,.txt,.json,.conf,.htaccess,text/*" onFile={onList} />
      </div>
      <div>
        <label className="field-label" htmlFor={pastedId}>
          Or pasted here
        </label>
        <textarea
          id={pastedId}
          className="field address min-h-[180px] whitespace-pre"
          placeholder={
            as === 'csv'
              ? EXAMPLE
              : as === 'httpd'
                ? 'Redirect 301 /old /new'
                : as === 'nginx'
                  ? 'location = /old { return 301 /new; }'
                  : '[{"from": "/old", "to": "/new"}]'
          }
          spellCheck={false}
          value={pasted}
          onChange={({ target }) => onPasted(target.value)}
        />
      </div>
      <p className="flex justify-end">
        <button type="submit" className="button button-main" disabled={pasted.trim() === ''}>
          Look at it
        </button>
      </p>
    </form>
  )
}

/** Modules by name, and whether the server has them. */
type Modules = Readonly<Record<string, boolean>>
interface BroughtFile {
  readonly name: string
  readonly file: Blob
}

const namesOf = (told: Modules, has: boolean): string =>
  Object.entries(told)
    .filter(([, its]) => its === has)
    .map(([name]) => name)
    .join(',')

/** What a configuration asks for that does not stand in it: modules to be told about, files to be brought in. */
function Questions({
  asks,
  told,
  onAnswer,
}: {
  asks: RedirectsBulkReport['asks']
  told: Modules
  onAnswer: (told: Modules, files: readonly BroughtFile[]) => void
}) {
  const [said, setSaid] = useState<Modules>(told)
  const [files, setFiles] = useState<readonly BroughtFile[]>([])
  const modules = asks.filter(({ what }) => what === 'module')
  const missing = asks.filter(({ what }) => what === 'file')
  const isNew = files.length > 0 || modules.some(({ name }) => name in said)
  return (
    <section className="grid gap-3 rounded-md border bg-paper px-4 py-3" aria-label="What the configuration asks for">
      <p>
        <b>Some lines depend on what does not stand in them.</b> Tell it, and they are looked at with it.
      </p>
      {modules.map(({ name, line }) => (
        <fieldset key={name} className="flex flex-wrap items-center gap-x-4 gap-y-1">
          <legend className="sr-only">{name}</legend>
          <span>
            Has your server <span className="address">{name}</span>? <span className="note">Line {line}</span>
          </span>
          {[true, false].map((has) => (
            <label key={String(has)} className="flex items-center gap-1.5">
              <input type="radio" name={`has ${name}`} checked={said[name] === has} onChange={() => setSaid({ ...said, [name]: has })} />
              {has ? 'It has' : 'It has not'}
            </label>
          ))}
        </fieldset>
      ))}
      {missing.map(({ name, line }) => (
        <FileField
          key={name}
          label={`Bring in ${name} (line ${line})`}
          accept=".conf,.map,.txt,.htaccess,text/*"
          onFile={(file) => setFiles([...files.filter((each) => each.name !== name), { name, file }])}
        />
      ))}
      <p className="flex justify-end">
        <button type="button" className="button" disabled={!isNew} onClick={() => onAnswer(said, files)}>
          Look at it again
        </button>
      </p>
    </section>
  )
}

function Report({
  report,
  told,
  onAnswer,
  onApply,
  onAgain,
  onClose,
}: {
  report: InWords<RedirectsBulkReport>
  told: Modules
  onAnswer: (told: Modules, files: readonly BroughtFile[]) => void
  onApply: () => void
  onAgain: () => void
  onClose: () => void
}) {
  const { isDryRun, items, moreItems } = report
  const does = report.new + report.changed
  const order = { refused: 0, changed: 1, new: 2, same: 3 } as const
  const shown = [...items]
    .sort((a, b) => order[a.outcome] - order[b.outcome] || Number(b.reason !== '') - Number(a.reason !== '') || a.line - b.line)
    .slice(0, ROWS_SHOWN)
  const more = items.length - shown.length + moreItems
  return (
    <div className="grid gap-4">
      <p role="status">
        <b>{counted(report.new, 'new row')}</b>, <b>{number(report.changed)}</b> changed, <b>{number(report.same)}</b> the same.{' '}
        {report.refused > 0 && <span className="text-red">{counted(report.refused, 'line')} cannot be taken.</span>}{' '}
        {report.noted > 0 && <span>{counted(report.noted, 'row')} with something to know.</span>}
      </p>
      {isDryRun && report.asks.length > 0 && <Questions asks={report.asks} told={told} onAnswer={onAnswer} />}
      {shown.length > 0 && (
        <section className="max-h-[46vh] overflow-auto rounded-md border" tabIndex={0} aria-label="What becomes of each line">
          <table className="w-full text-left text-[14px]">
            <thead className="sticky top-0 bg-sheet">
              <tr className="border-b">
                <th className="px-3 py-1.5 font-semibold">Line</th>
                <th className="px-3 py-1.5 font-semibold">Asked for, and where it lands</th>
                <th className="px-3 py-1.5 font-semibold">What becomes of it</th>
              </tr>
            </thead>
            <tbody className="divide-y">
              {shown.map((item) => (
                <tr key={`${item.line} ${item.outcome} ${item.from}`}>
                  <td className="px-3 py-1.5 align-top tabular-nums max-md:px-2">{item.line}</td>
                  <td className="px-3 py-1.5 align-top max-md:px-2">
                    <span className="address block">{readableAddress(item.from)}</span>
                    {item.status !== null && (
                      <span className="note block">
                        <span className="tabular-nums">{item.status}</span>
                        {item.to !== '' && <span className="address"> → {bare(item.to)}</span>}
                      </span>
                    )}
                    {item.status === null && item.to !== '' && <span className="address note block">→ {bare(item.to)}</span>}
                  </td>
                  <td className="px-3 py-1.5 align-top [overflow-wrap:anywhere] max-md:px-2">
                    <b className={item.outcome === 'refused' ? 'text-red' : ''}>{OUTCOME_WORDS[item.outcome]}.</b> {item.reason}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      )}
      {more > 0 && <p className="note">{counted(more, 'more line')}, counted above.</p>}
      <p className="flex flex-wrap justify-end gap-2.5">
        {isDryRun ? (
          <>
            <button type="button" className="button" onClick={onAgain}>
              Choose another
            </button>
            <button type="button" className="button button-main" disabled={does === 0} onClick={onApply}>
              Take {counted(does, 'row')} in
            </button>
          </>
        ) : (
          <button type="button" className="button button-main" onClick={onClose}>
            Done
          </button>
        )}
      </p>
    </div>
  )
}
