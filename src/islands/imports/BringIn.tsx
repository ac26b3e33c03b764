import { useMutation } from '@tanstack/react-query'
import { type DragEvent, useId, useRef, useState } from 'react'
import { toast } from 'sonner'
import type { ImportApply, ImportReport } from '../../contract/imports.ts'
import { isImportReport } from '../../contract/jobs.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { JobProgress, useJob } from '../../ui/job.tsx'
import { TextField } from '../../ui/TextField.tsx'
import { filesDropped, packFiles } from './pack.ts'

/** Rows of the report drawn at once; counts always tell all. */
const ROWS_SHOWN = 300

/** Choose or drop a site, look at what would happen, then bring it in. */
export function BringIn({ onClose }: { onClose: () => void }) {
  const [jobId, setJobId] = useState<string | null>(null)
  const start = useMutation({
    mutationFn: async (files: readonly File[]) => {
      const form = new FormData()
      form.set('file', await packFiles(files))
      form.set('dryRun', 'true')
      return call('imports.start', { body: form })
    },
    onSuccess: ({ job }) => setJobId(job),
  })
  const fetchSite = useMutation({
    mutationFn: (address: string) => call('imports.fetch', { body: { address, dryRun: true } }),
    onSuccess: ({ job }) => setJobId(job),
  })
  const again = useMutation({
    mutationFn: (wanted: ImportApply) => call('imports.again', { id: jobId ?? '', body: wanted }),
    onSuccess: ({ job }) => setJobId(job),
  })
  const { job, error, isRunning, stop, isStopping } = useJob(jobId)
  const report = job?.state === 'done' && isImportReport(job.report) ? job.report : null
  const close = (): void => {
    if (report?.isDryRun === false) toast.success('The pages are here, as drafts. Publish them when you have looked.')
    onClose()
  }
  const problem = start.error ?? fetchSite.error ?? again.error ?? error
  return (
    <Dialog title="Bring in a site" isOpen onClose={close} isWide>
      {problem !== null && (
        <p role="alert" className="mb-3 text-red">
          {wordsOf(problem)}
        </p>
      )}
      {jobId === null && (
        <>
          <Choose isBusy={start.isPending} onFiles={(files) => start.mutate(files)} />
          <ByAddress isBusy={fetchSite.isPending} onAddress={(address) => fetchSite.mutate(address)} />
        </>
      )}
      {isRunning && (
        <div className="py-6">
          <JobProgress
            job={job}
            words={({ done, total }) => `Looked at ${done} of ${total} files`}
            beginning="Unpacking…"
            onStop={isStopping ? null : stop}
          />
        </div>
      )}
      {(job?.state === 'failed' || job?.state === 'cancelled') && (
        <div className="grid gap-4 py-4">
          <p role="alert" className={job.state === 'failed' ? 'text-red' : ''}>
            {job.message ?? 'Stopped before anything was changed.'}
          </p>
          <p className="flex flex-wrap gap-2.5">
            {job.message?.includes('go on from there') === true && (
              <button
                type="button"
                className="button button-main"
                disabled={again.isPending}
                onClick={() => again.mutate({ dryRun: true })}
              >
                Go on
              </button>
            )}
            <button type="button" className="button" onClick={() => setJobId(null)}>
              Choose again
            </button>
          </p>
        </div>
      )}
      {report !== null && <Report report={report} isBusy={again.isPending} onApply={(wanted) => again.mutate(wanted)} onClose={close} />}
    </Dialog>
  )
}

/** A site that is on the web already, or a feed: fetched politely, from its sitemap. */
function ByAddress({ isBusy, onAddress }: { isBusy: boolean; onAddress: (address: string) => void }) {
  const id = useId()
  const [address, setAddress] = useState('')
  return (
    <form
      className="mt-4 grid gap-1.5"
      onSubmit={(event) => {
        event.preventDefault()
        onAddress(address)
      }}
    >
      <label className="field-label !mb-0" htmlFor={id}>
        Or fetch a site, or a feed, from its address
      </label>
      <div className="flex gap-2.5">
        <input
          id={id}
          className="field address"
          placeholder="https://logbook.example or https://logbook.example/feed.xml"
          value={address}
          onChange={(event) => setAddress(event.target.value)}
        />
        <button type="submit" className="button" disabled={isBusy || address.trim() === ''}>
          Fetch
        </button>
      </div>
      <p className="note">
        By its sitemap, or from link to link (up to 1,000 pages), one at a time, where its robots.txt lets robots in; pictures and styles
        come along. It can be stopped, and goes on where it stopped.
      </p>
    </form>
  )
}

function Choose({ isBusy, onFiles }: { isBusy: boolean; onFiles: (files: File[]) => void }) {
  const zip = useRef<HTMLInputElement>(null)
  const folder = useRef<HTMLInputElement>(null)
  const take = (list: FileList | null): void => {
    if (list !== null && list.length > 0) onFiles([...list])
  }
  const drop = (event: DragEvent): void => {
    event.preventDefault()
    void filesDropped(event.dataTransfer).then((files) => files.length > 0 && onFiles(files))
  }
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: dropping is a second way; the buttons inside are the first
    <div
      className="grid place-items-center gap-4 rounded-[9px] border-2 border-dashed px-6 py-9 text-center"
      onDragOver={(event) => event.preventDefault()}
      onDrop={drop}
    >
      <p className="max-w-[440px]">
        Drop a zip or a folder here, or choose one. HTML keeps its bytes and encoding, Markdown is given back as Markdown; pictures, styles
        and other files come along. <b>Nothing is changed before you have seen what would happen.</b>
      </p>
      <div className="flex flex-wrap justify-center gap-3">
        <button type="button" className="button button-main" disabled={isBusy} onClick={() => zip.current?.click()}>
          {isBusy ? 'Sending…' : 'Choose a zip or files'}
        </button>
        <button type="button" className="button" disabled={isBusy} onClick={() => folder.current?.click()}>
          Choose a folder
        </button>
      </div>
      <input
        ref={zip}
        type="file"
        className="sr-only"
        tabIndex={-1}
        aria-label="Zip, HTML, Markdown or feed files"
        multiple
        accept=".zip,.html,.htm,.xhtml,.gz,.md,.markdown,.xml,.rss,.atom"
        onChange={(event) => take(event.target.files)}
      />
      <input
        ref={folder}
        type="file"
        className="sr-only"
        tabIndex={-1}
        aria-label="Folder"
        {...{ webkitdirectory: '' }}
        onChange={(event) => take(event.target.files)}
      />
      <p className="note">Up to 300 MB, 500 MB unpacked, 20,000 files; 8 MB and 20,000 links a page.</p>
    </div>
  )
}

const OUTCOMES = ['new', 'changed', 'refused', 'same'] as const
const OUTCOME_WORDS = { new: 'new', changed: 'changed', same: 'the same', refused: 'left out' } as const

function Report({
  report,
  isBusy,
  onApply,
  onClose,
}: {
  report: ImportReport
  isBusy: boolean
  onApply: (wanted: ImportApply) => void
  onClose: () => void
}) {
  const [shown, setShown] = useState<(typeof OUTCOMES)[number] | null>(null)
  const [joinsMenus, setJoins] = useState(false)
  const [under, setUnder] = useState('')
  const items = report.items.filter(({ outcome }) => shown === null || outcome === shown)
  const comes = report.new + report.changed
  const count = (of: 'links' | 'changes'): number => report.items.reduce((sum, item) => sum + (item[of] ?? 0), 0)
  const [links, changes] = [count('links'), count('changes')]
  return (
    <div className="grid gap-4">
      <p role="status">
        {report.isDryRun
          ? comes === 0
            ? 'Nothing new in it.'
            : `${comes} ${comes === 1 ? 'file' : 'files'} would come in. Nothing is changed yet.`
          : `${comes} ${comes === 1 ? 'file has' : 'files have'} come in, as drafts.`}
      </p>
      <div className="flex flex-wrap gap-2">
        {OUTCOMES.map((outcome) => (
          <button
            key={outcome}
            type="button"
            aria-pressed={shown === outcome}
            className={`chip ${outcome === 'refused' && report.refused > 0 ? 'chip-red' : ''} ${shown === outcome ? '!bg-sun' : ''}`}
            onClick={() => setShown(shown === outcome ? null : outcome)}
          >
            <b>{report[outcome]}</b> {OUTCOME_WORDS[outcome]}
          </button>
        ))}
      </div>
      {links > 0 && (
        <p>
          {changes === 0
            ? `Your rules leave all of the ${links} links as they are.`
            : `Your rules change ${changes} of the ${links} links as the pages are delivered; what is stored stays as it comes.`}
        </p>
      )}
      {report.isDryRun && report.folder !== null && (
        <p className="rounded-[7px] bg-sun px-4 py-2.5">
          Everything lies in one folder, <code>{report.folder}/</code>.{' '}
          {report.items.some(({ path }) => path?.startsWith(`/${report.folder ?? ''}/`)) && (
            <button
              type="button"
              className="button !min-h-0 !py-1"
              disabled={isBusy}
              onClick={() => onApply({ dryRun: true, leaveOff: report.folder ?? '' })}
            >
              Leave it off the addresses
            </button>
          )}
        </p>
      )}
      {report.isDryRun && (
        <div className="grid gap-2.5">
          <form
            className="flex flex-wrap items-end gap-2.5"
            onSubmit={(event) => {
              event.preventDefault()
              onApply({ dryRun: true, under })
            }}
          >
            <div className="min-w-[220px]">
              <TextField
                label="Put it under a folder of the site"
                isAddress
                placeholder="the site’s root"
                value={under}
                onChange={setUnder}
              />
            </div>
            <button type="submit" className="button" disabled={isBusy}>
              Look again
            </button>
          </form>
          {report.new > 0 && (
            <label className="flex min-h-6 items-center gap-2.5">
              <input type="checkbox" checked={joinsMenus} onChange={(event) => setJoins(event.target.checked)} />
              New pages join the menus that new pages join
            </label>
          )}
          {report.asksFront && (
            <p className="flex flex-wrap items-center gap-3 rounded-[7px] bg-sun px-4 py-2.5">
              <span className="flex-1">A front page is in it. It stays out, so that yours is not replaced.</span>
              <button type="button" className="button" disabled={isBusy} onClick={() => onApply({ dryRun: true, replacesFront: true })}>
                Replace my front page with it
              </button>
            </p>
          )}
        </div>
      )}
      <section className="max-h-[42dvh] overflow-auto rounded-[7px] border" tabIndex={0} aria-label="Files">
        <table className="w-full text-left text-[14px]">
          <thead className="sticky top-0 bg-sheet">
            <tr className="border-b">
              <th className="px-3 py-1.5">File</th>
              <th className="px-3">Title, or why not</th>
              <th className="px-3 max-md:hidden">Written in</th>
              <th className="px-3 text-right">Links</th>
              <th className="px-3 text-right whitespace-nowrap">Rules change</th>
              <th className="px-3"> </th>
            </tr>
          </thead>
          <tbody className="divide-y">
            {items.slice(0, ROWS_SHOWN).map((item) => (
              <tr key={item.name}>
                <td className="address max-w-[260px] truncate px-3 py-1.5 max-md:max-w-[140px]" title={item.name}>
                  {item.path ?? item.name}
                </td>
                <td className={`min-w-[170px] px-3 py-1 ${item.outcome === 'refused' ? 'text-red' : ''}`}>
                  {item.reason ?? item.title ?? <span className="note">file</span>}
                </td>
                <td className="note px-3 max-md:hidden">
                  {item.encoding === null || item.encoding === 'utf-8' ? '' : `an older way (${item.encoding})`}
                </td>
                <td className="px-3 text-right tabular-nums">{item.links}</td>
                <td className="px-3 text-right tabular-nums">{item.changes}</td>
                <td className="note px-3 whitespace-nowrap">{OUTCOME_WORDS[item.outcome]}</td>
              </tr>
            ))}
          </tbody>
        </table>
      </section>
      {items.length > ROWS_SHOWN && <p className="note">and {items.length - ROWS_SHOWN} more</p>}
      <p className="flex justify-end gap-3">
        {report.isDryRun && (
          <button type="button" className="button button-plain" onClick={onClose}>
            Leave it
          </button>
        )}
        {report.isDryRun ? (
          <button
            type="button"
            className="button button-main"
            disabled={isBusy || comes === 0}
            onClick={() => onApply({ dryRun: false, joinsMenus })}
          >
            Bring in {comes} {comes === 1 ? 'file' : 'files'}
          </button>
        ) : (
          <button type="button" className="button button-main" onClick={onClose}>
            Done
          </button>
        )}
      </p>
    </div>
  )
}
