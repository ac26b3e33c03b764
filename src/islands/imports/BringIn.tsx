import { useMutation } from '@tanstack/react-query'
import { type DragEvent, useId, useRef, useState } from 'react'
import { toast } from 'sonner'
import type { ImportApply } from '../../contract/imports.ts'
import { reportOf } from '../../contract/jobs.ts'
import { call } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { Problem } from '../../ui/Form.tsx'
import { JobProgress, useJob } from '../../ui/job.tsx'
import { number } from '../../words/index.ts'
import { filesDropped, packFiles } from './pack.ts'
import { Report } from './Report.tsx'

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
  const isApplied = again.data?.job === jobId && again.variables?.dryRun !== true
  const report = job?.state === 'done' ? reportOf('import', job) : null
  const close = (): void => {
    if (report?.isDryRun === false) toast.success('The pages are here, as drafts. Publish them when you have looked.')
    onClose()
  }
  const problem = start.error ?? fetchSite.error ?? again.error ?? error
  return (
    <Dialog title="Bring in a site" isOpen onClose={close} isWide>
      <Problem error={problem} className="mb-3" />
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
            words={({ done, total }) =>
              isApplied
                ? `${number(done)} of ${number(total)} files are in, as drafts: each can be opened and edited while the rest comes.`
                : `Looked at ${number(done)} of ${number(total)} files`
            }
            beginning="Unpacking…"
            onStop={isStopping ? null : stop}
          />
          {isApplied && (
            <p className="note mt-3">
              You may close this and work on: the rest comes in by itself. If you stop it, what has come in is taken back.
            </p>
          )}
        </div>
      )}
      {(job?.state === 'failed' || job?.state === 'cancelled') && (
        <div className="grid gap-4 py-4">
          <p role="alert" className={job.state === 'failed' ? 'text-red' : ''}>
            {job.message ?? 'Stopped before anything was changed.'}
          </p>
          <p className="flex flex-wrap gap-2.5">
            {job.canGoOn && (
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
