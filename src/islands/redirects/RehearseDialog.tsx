import { useMutation } from '@tanstack/react-query'
import { type KeyboardEvent, useId, useState } from 'react'
import { reportOf } from '../../contract/jobs.ts'
import type { RedirectsBulkReport } from '../../contract/redirect-lists.ts'
import type { RehearsalReport } from '../../contract/redirect-trials.ts'
import type { RedirectNew } from '../../contract/redirects.ts'
import { ADDRESS_MAX_CHARS, readableAddress } from '../../core/address/index.ts'
import { call } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { FileField } from '../../ui/FileField.tsx'
import { Problem } from '../../ui/Form.tsx'
import { JobProgress, JobStopped, useJob } from '../../ui/job.tsx'
import { stepOf, toldStep } from '../../ui/steps.ts'
import { TextField } from '../../ui/TextField.tsx'
import { useKeptText } from '../../ui/unsaved.ts'
import { counted, type InWords, number } from '../../words/index.ts'
import { ReplayPart } from './ReplayDialog.tsx'

type Proposal = InWords<RehearsalReport>['items'][number]
/** Proposals drawn at once. */
const DRAWN = 200

/** A move of a site, tried before it happens: each old address gets a proposal, which a person takes or leaves. */
export function RehearseDialog({ onClose }: { onClose: () => void }) {
  const [jobId, setJobId] = useState<string | null>(null)
  const [pasted, setPasted] = useKeptText('rehearsal pasted')
  const [address, setAddress] = useKeptText('rehearsal address')
  const pastedId = useId()
  const send = useMutation({
    mutationFn: (given: File | string) => {
      const form = new FormData()
      if (typeof given === 'string') form.set('address', given)
      else form.set('file', given)
      return call('redirect-trials.rehearse', { body: form })
    },
    onSuccess: ({ job }) => setJobId(job),
  })
  const { job, error, isRunning, stop, isStopping } = useJob(jobId)
  const report = job?.state === 'done' ? reportOf('rehearsal', job) : null
  return (
    <Dialog title="Rehearse a move" isOpen onClose={onClose} isFull>
      <Problem error={send.error ?? error} className="mb-3" />
      {jobId === null && !send.isPending && (
        <form
          className="grid gap-4"
          onSubmit={(event) => {
            event.preventDefault()
            send.mutate(new File([pasted], 'pasted.txt', { type: 'text/plain' }))
          }}
        >
          <p>
            Give the addresses of the old site: its sitemap, a list, an access log, or a zip of its pages (then titles and words help to
            find each page again). You get a proposal for every address that nothing answers yet, and nothing happens until you take them.
          </p>
          <div className="grid grid-cols-[minmax(0,1fr)_auto] items-end gap-2.5">
            <TextField
              label="The old site’s address, where it is still there: its sitemap is fetched"
              value={address}
              isAddress
              inputMode="url"
              placeholder="https://www.old.example"
              onChange={setAddress}
              onKeyDown={(event) => {
                if (event.key !== 'Enter' || address.trim() === '') return
                event.preventDefault()
                send.mutate(address)
              }}
            />
            <button type="button" className="button" disabled={address.trim() === ''} onClick={() => send.mutate(address)}>
              Fetch its sitemap
            </button>
          </div>
          <FileField label="Or a sitemap, list, access log (plain or .gz), or a zip of pages" onFile={(file) => send.mutate(file)} />
          <div>
            <label className="field-label" htmlFor={pastedId}>
              Or pasted here, one a line
            </label>
            <textarea
              id={pastedId}
              className="field address min-h-[150px] whitespace-pre"
              spellCheck={false}
              placeholder={'https://www.old.example/walks/causeway.php\n/rooms/quay.html'}
              value={pasted}
              onChange={({ target }) => setPasted(target.value)}
            />
          </div>
          <p className="flex justify-end">
            <button type="submit" className="button button-main" disabled={pasted.trim() === ''}>
              Rehearse
            </button>
          </p>
        </form>
      )}
      {(send.isPending || isRunning) && (
        <div className="py-6">
          <JobProgress
            job={job}
            words={({ done, total }) => `${counted(done, 'address', 'addresses')} of ${number(total)}`}
            beginning="Reading…"
            onStop={jobId === null || isStopping ? null : stop}
          />
        </div>
      )}
      <JobStopped job={job} onAgain={() => setJobId(null)} />
      {report !== null && <Proposals report={report} onClose={onClose} />}
    </Dialog>
  )
}

/** Rows of which there is nothing to be said but that they answer. */
const asMeant = ({ new: made, changed, noted }: Pick<RedirectsBulkReport, 'new' | 'changed' | 'noted'>): number => made + changed - noted

const guessWords = ({ score, reason }: Proposal['suggestions'][number]): string => `${Math.round(score * 100)}: ${reason}`

const rowOf = ({ from }: Proposal, to: string): RedirectNew => ({ from, to, note: 'from a rehearsed move' })

function Proposals({ report, onClose }: { report: InWords<RehearsalReport>; onClose: () => void }) {
  const [least, setLeast] = useState(80)
  /** What a person decided by hand: an address, or null for leaving it. */
  const [decided, setDecided] = useState<ReadonlyMap<string, string | null>>(new Map())
  const [takingId, setTakingId] = useState<string | null>(null)
  const leastId = useId()
  const best = ({ suggestions }: Proposal) => suggestions[0]
  const chosen = (item: Proposal): string | null => {
    const byHand = decided.get(item.from)
    if (byHand !== undefined) return byHand
    const first = best(item)
    return first !== undefined && first.score * 100 >= least ? first.to : null
  }
  const rows = report.items.flatMap((item) => {
    const to = chosen(item)
    return to === null ? [] : [rowOf(item, to)]
  })
  const visits = report.items.reduce((sum, item) => sum + item.visits, 0)
  const served = report.items.reduce((sum, item) => sum + (chosen(item) === null ? 0 : item.visits), 0)
  const undecided = report.items.filter((item) => !decided.has(item.from) && chosen(item) === null)
  const order = [...undecided, ...report.items.filter((item) => !undecided.includes(item))]
  const take = useMutation({
    mutationFn: () => call('redirect-lists.bulk', { query: { as: 'json', dryRun: '0' }, body: new Blob([JSON.stringify(rows)]) }),
    onSuccess: ({ job }) => setTakingId(job),
  })
  const { job, isRunning } = useJob(takingId)
  const done = job?.state === 'done' ? reportOf('redirects', job) : null
  const decide = (item: Proposal, to: string | null): void => setDecided(new Map(decided).set(item.from, to))
  const onKey = (event: KeyboardEvent): void => {
    const target = (event.target as HTMLElement).closest<HTMLElement>('[data-proposal]')
    const item = order[Number(target?.dataset.proposal ?? -1)]
    if (target === null || item === undefined || ((event.target as HTMLElement).matches('input') && event.key !== 'Enter')) return
    const next = (): void => (target.nextElementSibling as HTMLElement | null)?.focus()
    // What was typed is taken when the field is left.
    if ((event.target as HTMLElement).matches('input')) target.focus()
    else if (event.key === 'Enter') decide(item, best(item)?.to ?? null)
    else if (event.key === 'Delete' || event.key === 'x') decide(item, null)
    else if (event.key !== 'ArrowDown' && event.key !== 'ArrowUp') return
    event.preventDefault()
    if (event.key === 'ArrowUp') (target.previousElementSibling as HTMLElement | null)?.focus()
    else next()
  }
  if (done !== null)
    return (
      <div className="grid gap-4 py-4">
        <p role="status">
          <b>{counted(asMeant(done), 'row answers', 'rows answer')} now.</b>{' '}
          {done.noted > 0 && `${counted(done.noted, 'row was', 'rows were')} made with something to know. `}
          {done.refused > 0 && `${counted(done.refused, 'row')} could not be taken.`}
        </p>
        <ul className="note max-h-[44vh] overflow-y-auto">
          {done.items
            .filter(({ outcome, reason }) => outcome === 'refused' || (outcome === 'new' && reason !== ''))
            .slice(0, 50)
            .map((item) => (
              <li key={item.line}>
                <span className="address">{readableAddress(item.from)}</span>: {item.reason}
              </li>
            ))}
        </ul>
        <p className="flex justify-end">
          <button
            type="button"
            className="button button-main"
            onClick={() => {
              toldStep(
                `${counted(asMeant(done), 'old address is', 'old addresses are')} answered from now on.`,
                stepOf('redirects', done.step),
              )
              onClose()
            }}
          >
            Done
          </button>
        </p>
      </div>
    )
  return (
    <div className="grid gap-4">
      <p role="status">
        <b>{counted(report.old, 'old address', 'old addresses')}</b>: {counted(report.answered, 'is', 'are')} answered already,{' '}
        {counted(report.items.length, 'needs', 'need')} a row.
        {report.queries > 0 &&
          ` ${counted(report.queries, 'had a query (“?…”), which was', 'had queries (“?…”), which were')} left out: a row asks for a path.`}
        {report.unread > 0 && ` ${counted(report.unread, 'line is', 'lines are')} no address.`}
        {report.left > 0 && ` ${number(report.left)} more were not looked at; give them in parts.`}
        {visits > 0 &&
          ` With what is chosen, ${Math.round((served / visits) * 100)} in a hundred of the visits that were missed are answered.`}
      </p>
      <div className="flex flex-wrap items-center gap-3">
        <label htmlFor={leastId}>Take what is at least this sure:</label>
        <input
          id={leastId}
          type="range"
          min={30}
          max={95}
          step={5}
          value={least}
          onChange={({ target }) => setLeast(Number(target.value))}
        />
        <b className="tabular-nums">{least} in a hundred</b>
        <span className="note">
          {number(rows.length)} chosen, {number(undecided.length)} to be gone through: Enter takes the best one, x leaves it, and another
          page or address can be typed.
        </span>
      </div>
      <ul className="max-h-[44vh] divide-y overflow-y-auto rounded-md border" onKeyDown={onKey} aria-label="Proposals">
        {order.slice(0, DRAWN).map((item, i) => {
          const to = chosen(item)
          const first = best(item)
          const guess = item.suggestions.find((each) => each.to === to)
          return (
            <li
              key={item.from}
              data-proposal={i}
              tabIndex={0}
              className="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)_190px] items-center gap-3 px-3 py-1.5 focus:bg-sun max-md:grid-cols-1"
            >
              <span className="min-w-0">
                <span className="address block truncate" title={item.from}>
                  {item.from}
                </span>
                <span className="note block truncate">
                  {[item.title, item.visits > 0 ? counted(item.visits, 'visit') : '', item.isLedAstray ? 'a row leads it to nothing' : '']
                    .filter((part) => part !== '')
                    .join(', ')}
                </span>
              </span>
              <span className="min-w-0">
                <Where item={item} to={to} onDecide={(chosen) => decide(item, chosen)} />
              </span>
              <span className="note">
                {guess !== undefined ? guessWords(guess) : to !== null ? 'typed' : first === undefined ? 'no guess' : guessWords(first)}
              </span>
            </li>
          )
        })}
      </ul>
      {order.length > DRAWN && <p className="note">The first {DRAWN}; those that were decided make room for the next.</p>}
      <details className="rounded-md border px-3 py-2">
        <summary className="cursor-pointer font-semibold">Replay a log with what is chosen</summary>
        <div className="mt-3">
          <ReplayPart rows={rows} />
        </div>
      </details>
      <Problem error={take.error} />
      {(job?.state === 'failed' || job?.state === 'cancelled') && <p role="alert">{job.message}</p>}
      <p className="flex justify-end">
        <button
          type="button"
          className="button button-main"
          disabled={rows.length === 0 || take.isPending || isRunning}
          onClick={() => take.mutate()}
        >
          {isRunning ? 'Taking them in…' : `Make ${counted(rows.length, 'row')}`}
        </button>
      </p>
    </div>
  )
}

/** Where one address leads: one of the proposals, or what is typed. Taken when the field is left, so that the list stands still meanwhile. */
function Where({ item, to, onDecide }: { item: Proposal; to: string | null; onDecide: (to: string | null) => void }) {
  const [typed, setTyped] = useState<string | null>(null)
  const listId = useId()
  return (
    <>
      <input
        className="field address !min-h-8 !py-1"
        aria-label={`Where ${item.from} leads`}
        list={listId}
        placeholder="left as it is"
        spellCheck={false}
        maxLength={ADDRESS_MAX_CHARS}
        value={typed ?? to ?? ''}
        onChange={({ target }) => setTyped(target.value)}
        onBlur={() => {
          if (typed !== null && typed !== (to ?? '')) onDecide(typed.trim() === '' ? null : typed.trim())
          setTyped(null)
        }}
      />
      <datalist id={listId}>
        {item.suggestions.map((each) => (
          <option key={each.to} value={each.to}>
            {guessWords(each)}
          </option>
        ))}
      </datalist>
    </>
  )
}
