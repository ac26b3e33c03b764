import { useMutation } from '@tanstack/react-query'
import { useId, useState } from 'react'
import { reportOf } from '../../contract/jobs.ts'
import type { ShortLinksBulkReport } from '../../contract/short-links.ts'
import { readableAddress } from '../../core/address/index.ts'
import {
  type GuessedList,
  guessShortLinkList,
  headerOfColumns,
  readListHeader,
  SHORT_LINK_COLUMNS,
  type ShortLinkColumn,
} from '../../core/exchange/index.ts'
import { call } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { FileField } from '../../ui/FileField.tsx'
import { Problem } from '../../ui/Form.tsx'
import { JobProgress, JobStopped, useJob } from '../../ui/job.tsx'
import { Select } from '../../ui/Select.tsx'
import { stepOf, toldStep } from '../../ui/steps.ts'
import { useKeptText } from '../../ui/unsaved.ts'
import { counted, type InWords, number } from '../../words/index.ts'

/** Rows of the report drawn at once; counts always tell all. */
const ROWS_SHOWN = 200
const EXAMPLE = 'destination,slug,title\nhttps://tides.example/tables/2027,tides,Tide tables'

/** Many short links from a list: looked at first, then brought in, with what became of each row. */
export function BringInList({ onClose }: { onClose: () => void }) {
  // Here, and not where it is typed: it stays while it is looked at, and when that fails.
  const [pasted, setPasted] = useKeptText('short links pasted')
  const [list, setList] = useState<Blob | null>(null)
  const [jobId, setJobId] = useState<string | null>(null)
  const send = useMutation({
    mutationFn: ({ of, dryRun }: { of: Blob; dryRun: boolean }) =>
      call('short-links.bulk', { query: { dryRun: dryRun ? '1' : '0' }, body: of }),
    onSuccess: ({ job }) => setJobId(job),
  })
  const { job, error, isRunning: isBeingDone, stop, isStopping } = useJob(jobId)
  const isRunning = send.isPending || isBeingDone
  const report = job?.state === 'done' ? reportOf('short-links', job) : null
  /** A list whose columns have to be chosen first. */
  const [guess, setGuess] = useState<AskedList | null>(null)
  const begin = async (of: Blob): Promise<void> => {
    const head = await of.slice(0, HEAD_BYTES).text()
    if (readListHeader(head.split(/\r?\n/, 1)[0] ?? '') !== null) look(of)
    else setGuess({ ...guessShortLinkList(head), of })
  }
  const look = (of: Blob): void => {
    setList(of)
    send.mutate({ of, dryRun: true })
  }
  const close = (): void => {
    if (report?.isDryRun === false) {
      setPasted('')
      toldStep(`${counted(report.new + report.changed, 'short link')} of your list answer now.`, stepOf('short-links', jobId))
    }
    onClose()
  }
  const problem = send.error ?? error
  return (
    <Dialog title="Bring in a list of short links" isOpen onClose={close} isWide>
      <Problem error={problem} className="mb-3" />
      {jobId === null && !send.isPending && guess === null && (
        <Choose pasted={pasted} onPasted={setPasted} onList={(of) => void begin(of)} />
      )}
      {jobId === null && !send.isPending && guess !== null && (
        <Columns
          guess={guess}
          onBack={() => setGuess(null)}
          onTake={(columns, isFirstARow) => void named(guess, columns, isFirstARow).then(look)}
        />
      )}
      {isRunning && (
        <div className="py-6">
          <JobProgress
            job={job}
            words={({ done, total }) => `${counted(done, 'row')} of about ${number(total)}`}
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
          onAgain={() => {
            setJobId(null)
            setGuess(null)
          }}
          onClose={close}
        />
      )}
    </Dialog>
  )
}

interface AskedList extends GuessedList {
  readonly of: Blob
}
/** So much of a list is looked at to find out how it is written. */
const HEAD_BYTES = 64 * 1024

/** The list with a first line that names its columns as they were chosen. */
async function named({ of, delimiter }: AskedList, columns: readonly (ShortLinkColumn | null)[], isFirstARow: boolean): Promise<Blob> {
  const head = new Uint8Array(await of.slice(0, HEAD_BYTES).arrayBuffer())
  const end = head.indexOf(0x0a)
  const rows = isFirstARow ? of : end === -1 ? new Blob() : of.slice(end + 1)
  return new Blob([headerOfColumns({ delimiter, columns }), rows])
}

const COLUMN_WORDS: Readonly<Record<ShortLinkColumn, string>> = {
  destination: 'where it leads',
  slug: 'its slug',
  host: 'its host',
  title: 'its title',
  status: 'its status',
  note: 'a note',
  tags: 'tags',
}

/** Says what each column of a list holds, where its first line does not. */
function Columns({
  guess,
  onBack,
  onTake,
}: {
  guess: AskedList
  onBack: () => void
  onTake: (columns: readonly (ShortLinkColumn | null)[], isFirstARow: boolean) => void
}) {
  const [columns, setColumns] = useState(guess.columns)
  const [isFirstARow, setFirstARow] = useState(guess.isFirstARow)
  return (
    <form
      className="grid gap-4"
      onSubmit={(event) => {
        event.preventDefault()
        onTake(columns, isFirstARow)
      }}
    >
      <p>Its first line does not say what the columns are. Say what each of them holds.</p>
      <div className="grid grid-cols-3 gap-3 max-md:grid-cols-1">
        {columns.map((column, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: columns have no names, and stand in their order
          <div key={i}>
            <Select
              label={`Column ${i + 1}`}
              value={column ?? ''}
              options={[['', 'leave it out'], ...SHORT_LINK_COLUMNS.map((each) => [each, COLUMN_WORDS[each]] as const)]}
              onChange={(value) =>
                setColumns(
                  columns.map((each, at) =>
                    at === i ? (SHORT_LINK_COLUMNS.find((known) => known === value) ?? null) : each === value ? null : each,
                  ),
                )
              }
            />
            <p className="address note mt-1 truncate">{guess.sample.map((row) => row[i] ?? '').join(' · ')}</p>
          </div>
        ))}
      </div>
      <label className="flex items-center gap-2.5">
        <input type="checkbox" checked={isFirstARow} onChange={({ target }) => setFirstARow(target.checked)} />
        The first line is a short link, too, and names nothing
      </label>
      <p className="flex flex-wrap justify-end gap-2.5">
        <button type="button" className="button" onClick={onBack}>
          Choose another
        </button>
        <button type="submit" className="button button-main" disabled={!columns.includes('destination')}>
          Look at it
        </button>
      </p>
    </form>
  )
}

/** A file, or rows copied from a spreadsheet. */
function Choose({ pasted, onPasted, onList }: { pasted: string; onPasted: (pasted: string) => void; onList: (list: Blob) => void }) {
  const ids = { pasted: useId() }
  return (
    <div className="grid gap-4">
      <p>
        A line for each short link. The first line names the columns: <b>destination</b>, <b>slug</b>, and if you like <b>host</b>,{' '}
        <b>title</b> and <b>status</b>; where it does not, you choose them. A slug that is there already is led to its new destination; one
        that is left out gets the best suggestion. Nothing happens before you have seen what would.
      </p>
      <FileField label="A CSV file" accept=".csv,.tsv,.txt,text/csv" onFile={onList} />
      <form
        className="grid gap-2"
        onSubmit={(event) => {
          event.preventDefault()
          onList(new Blob([pasted]))
        }}
      >
        <label className="field-label !mb-0" htmlFor={ids.pasted}>
          Or paste the rows
        </label>
        <textarea
          id={ids.pasted}
          className="field address min-h-[150px] whitespace-pre"
          placeholder={EXAMPLE}
          spellCheck={false}
          value={pasted}
          onChange={({ target }) => onPasted(target.value)}
        />
        <p className="flex justify-end">
          <button type="submit" className="button button-main" disabled={pasted.trim() === ''}>
            Look at it
          </button>
        </p>
      </form>
    </div>
  )
}

function Report({
  report,
  onApply,
  onAgain,
  onClose,
}: {
  report: InWords<ShortLinksBulkReport>
  onApply: () => void
  onAgain: () => void
  onClose: () => void
}) {
  const { isDryRun, items, moreItems } = report
  const does = report.new + report.changed
  const shown = items.slice(0, ROWS_SHOWN)
  const more = items.length - shown.length + moreItems
  return (
    <div className="grid gap-4">
      <p role="status">
        <b>{counted(report.new, 'short link')}</b> {isDryRun ? 'would be made' : report.new === 1 ? 'was made' : 'were made'}
        {report.changed > 0 && (
          <>
            , <b>{number(report.changed)}</b> led elsewhere
          </>
        )}
        {report.same > 0 && (
          <>
            , <b>{number(report.same)}</b> left as {report.same === 1 ? 'it is' : 'they are'}
          </>
        )}
        . {report.refused > 0 && <span className="text-red">{counted(report.refused, 'row')} cannot be taken.</span>}
      </p>
      {shown.length > 0 && (
        <section className="max-h-[46vh] overflow-auto rounded-md border" tabIndex={0} aria-label="Rows that change or are refused">
          <table className="w-full text-left text-[14px]">
            <thead className="sticky top-0 bg-sheet">
              <tr className="border-b">
                <th className="px-3 py-1.5 font-semibold">Line</th>
                <th className="px-3 py-1.5 font-semibold">Slug</th>
                <th className="px-3 py-1.5 font-semibold">What becomes of it</th>
              </tr>
            </thead>
            <tbody className="divide-y">
              {shown.map((item) => (
                <tr key={`${item.line} ${item.outcome}`}>
                  <td className="px-3 py-1.5 align-top tabular-nums max-md:px-2">{item.line}</td>
                  <td className="address max-w-[180px] px-3 py-1.5 align-top [overflow-wrap:break-word] max-md:max-w-[90px] max-md:px-2">
                    {item.slug}
                  </td>
                  <td className="px-3 py-1.5 [overflow-wrap:anywhere] max-md:px-2">
                    <span className={item.outcome === 'refused' ? 'text-red' : ''}>
                      {item.outcome === 'refused' ? 'Refused. ' : 'Led elsewhere. '}
                    </span>
                    {item.reason}
                    <span className="address note block">{readableAddress(item.destination)}</span>
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      )}
      {more > 0 && <p className="note">{counted(more, 'more row')} like these, counted above.</p>}
      <p className="flex flex-wrap justify-end gap-2.5">
        {isDryRun ? (
          <>
            <button type="button" className="button" onClick={onAgain}>
              Choose another
            </button>
            <button type="button" className="button button-main" disabled={does === 0} onClick={onApply}>
              Bring {counted(does, 'row')} in
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
