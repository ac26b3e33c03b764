import { useMutation } from '@tanstack/react-query'
import { Download, ExternalLink, Upload } from 'lucide-react'
import { useRef, useState } from 'react'
import { toast } from 'sonner'
import { type FileList, ONE_FILE_MAX_BYTES, type SiteFile } from '../../contract/files.ts'
import { readableAddress } from '../../core/address/index.ts'
import { call, Refusal, wordsOf } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { Either } from '../../ui/Either.tsx'
import { LandingNote } from '../../ui/LandingNote.tsx'
import { MoreButton, SearchField, useLongList } from '../../ui/long-list.tsx'
import { Queries, useAsk } from '../../ui/query.tsx'
import { useOneStop } from '../../ui/roving.ts'
import { StateWord } from '../../ui/StateWord.tsx'
import { TextField } from '../../ui/TextField.tsx'

interface FilesProps {
  initial: FileList
  canEdit: boolean
  canRemove: boolean
  /** Whether new links to files let readers download them. */
  downloads: boolean
}

/** The files of the site: uploaded, replaced behind their address, and never gone unnoticed. */
export function Files(props: FilesProps) {
  return (
    <Queries>
      <List {...props} />
    </Queries>
  )
}

const sayBytes = (bytes: number): string =>
  bytes < 1_000 ? `${bytes} bytes` : bytes < 1_000_000 ? `${Math.round(bytes / 1_000)} kB` : `${(bytes / 1_000_000).toFixed(1)} MB`

/** A picture that is not published is on no other host than this one. */
const shownAt = ({ path }: SiteFile): string => `/pages/draft-files/mine${path}`

function formOf(file: File): FormData {
  const form = new FormData()
  form.set('file', file)
  return form
}

/** What new links to files do; each link can say otherwise. */
function Habit({ downloads }: { downloads: boolean }) {
  const [isOn, setOn] = useState(downloads)
  const save = useMutation({
    mutationFn: (next: boolean) => call('files.setHabit', { body: { downloads: next } }),
    onSuccess: (now) => {
      setOn(now.downloads)
      toast.success(now.downloads ? 'New links to files let readers download them.' : 'New links to files open them in the browser.')
    },
    onError: (error) => toast.error(wordsOf(error)),
  })
  return (
    <div className="flex flex-wrap items-center gap-3">
      <span className="font-semibold">Readers</span>
      <Either
        label="Readers"
        value={isOn ? 'download' : 'open'}
        options={[
          ['open', 'open files'],
          ['download', 'download files'],
        ]}
        onChange={(next) => save.mutate(next === 'download')}
      />
      <span className="note">For new links to files. Each link can say otherwise, beside the page.</span>
    </div>
  )
}

function List({ initial, canEdit, canRemove, downloads }: FilesProps) {
  const field = useRef<HTMLInputElement>(null)
  const [chosen, setChosen] = useState<SiteFile | null>(null)
  const [isOver, setOver] = useState(false)
  const list = useLongList('files.list', (search) => ({ query: { search } }), { initial })
  const { wanted } = list
  const upload = useMutation({
    mutationFn: async (files: readonly File[]) => {
      const made: SiteFile[] = []
      for (const file of files) {
        try {
          made.push(await call('files.upload', { body: formOf(file) }))
        } catch (error) {
          toast.error(`${file.name}: ${wordsOf(error)}`)
        }
      }
      return made
    },
    onSuccess: (made) => {
      if (made.length > 0)
        toast.success(
          `${made.length} ${made.length === 1 ? 'file is' : 'files are'} here now. Readers get ${made.length === 1 ? 'it' : 'them'} with the next publication.`,
        )
    },
  })
  const items = list.pages?.flatMap((page) => page.items) ?? []
  const stop = useOneStop<HTMLUListElement>()
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: dropping is one more way; the button does the same
    <div
      className="mx-auto grid max-w-[1000px] gap-4 px-5 py-7 max-md:px-3"
      onDragOver={(event) => {
        event.preventDefault()
        setOver(canEdit)
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => {
        event.preventDefault()
        setOver(false)
        if (canEdit) upload.mutate([...event.dataTransfer.files])
      }}
    >
      <header className="flex flex-wrap items-center justify-between gap-3">
        <div>
          <h1 className="text-[26px]">Files</h1>
          <p className="note">Pictures, documents, sounds; {ONE_FILE_MAX_BYTES / 1024 / 1024} MB each at most. Drop them anywhere here.</p>
        </div>
        {canEdit && (
          <>
            <input
              ref={field}
              type="file"
              multiple
              className="hidden"
              aria-label="Files to upload"
              onChange={(event) => upload.mutate([...(event.target.files ?? [])])}
            />
            <button type="button" className="button button-main" disabled={upload.isPending} onClick={() => field.current?.click()}>
              <Upload size={16} aria-hidden="true" />
              {upload.isPending ? 'Uploading…' : 'Upload'}
            </button>
          </>
        )}
      </header>
      {canRemove && <Habit downloads={downloads} />}
      <SearchField label="Find a file" hint="Find by name" value={list.search} onChange={list.setSearch} />
      <ul {...stop} className={`sheet divide-y ${isOver ? '!border-sea' : ''}`} aria-label="Files">
        {items.length === 0 && (
          <li className="px-5 py-8 text-center text-ink-soft">
            {wanted === '' ? 'No files yet.' : `No file has “${wanted}” in its name.`}
          </li>
        )}
        {items.map((file) => (
          <li key={file.id}>
            <button
              type="button"
              className="flex w-full flex-wrap items-center gap-x-4 px-4 py-2 text-left hover:bg-sun"
              onClick={() => setChosen(file)}
            >
              {file.mediaType.startsWith('image/') ? (
                <img src={shownAt(file)} alt="" loading="lazy" className="size-9 rounded object-contain" />
              ) : (
                <span className="address w-9 text-center text-ink-soft">{/\.([a-z0-9]+)$/i.exec(file.path)?.[1]?.slice(0, 4)}</span>
              )}
              <span className="min-w-0 flex-1">
                <span className="address block truncate">{readableAddress(file.path)}</span>
                <span className="note">
                  {sayBytes(file.bytes)} ·{' '}
                  {file.usedOn === 0 ? 'on no page yet' : `named on ${file.usedOn} ${file.usedOn === 1 ? 'page' : 'pages'}`}
                </span>
              </span>
              <StateWord state={file.state} />
            </button>
          </li>
        ))}
      </ul>
      <MoreButton list={list} shown={items.length} />
      {chosen !== null && (
        <OneFile
          file={items.find(({ id }) => id === chosen.id) ?? chosen}
          canEdit={canEdit}
          canRemove={canRemove}
          onClose={() => setChosen(null)}
        />
      )}
    </div>
  )
}

function OneFile({ file, canEdit, canRemove, onClose }: { file: SiteFile; canEdit: boolean; canRemove: boolean; onClose: () => void }) {
  const field = useRef<HTMLInputElement>(null)
  const [isSure, setSure] = useState(false)
  const { data: uses } = useAsk('files.uses', { id: file.id })
  const replace = useMutation({
    mutationFn: (other: File) => call('files.replace', { id: file.id, body: formOf(other) }),
    onSuccess: () => {
      toast.success('Replaced. The address is the same; readers get it with the next publication.')
    },
    onError: (error) => toast.error(wordsOf(error)),
  })
  const [leadTo, setLeadTo] = useState('')
  const remove = useMutation({
    mutationFn: (isRemoved: boolean) =>
      call('files.remove', {
        id: file.id,
        body: { version: file.version, isRemoved, evenIfUsed: isSure, ...(isRemoved && leadTo.trim() !== '' ? { leadTo } : {}) },
      }),
    onSuccess: (_, isRemoved) => {
      toast.success(isRemoved ? 'It goes with the next publication.' : 'It stays.')
      onClose()
    },
    onError: (error) => (error instanceof Refusal && error.fault === 'file-in-use' ? setSure(true) : toast.error(wordsOf(error))),
  })
  return (
    <Dialog title={file.path.replace(/^.*\//, '')} isOpen onClose={onClose}>
      <div className="grid gap-4">
        {file.mediaType.startsWith('image/') && (
          <img src={shownAt(file)} alt="" className="max-h-[220px] justify-self-start rounded border object-contain" />
        )}
        <p className="address">{readableAddress(file.address)}</p>
        <p className="flex flex-wrap gap-2">
          <a className="button" href={file.address} target="_blank" rel="noopener">
            <ExternalLink size={15} aria-hidden="true" />
            View
          </a>
          <a className="button" href={file.address} download>
            <Download size={15} aria-hidden="true" />
            Download
          </a>
          {canEdit && (
            <>
              <input
                ref={field}
                type="file"
                className="hidden"
                aria-label="Another file for this address"
                onChange={(event) => event.target.files?.[0] !== undefined && replace.mutate(event.target.files[0])}
              />
              <button type="button" className="button" disabled={replace.isPending} onClick={() => field.current?.click()}>
                Replace
              </button>
            </>
          )}
        </p>
        <section>
          <h3 className="mb-1 text-[16px]">Named on</h3>
          {uses?.items.length === 0 && <p className="note">No page names it.</p>}
          <ul className="grid gap-0.5">
            {uses?.items.slice(0, 100).map((use) => (
              <li key={use.id}>
                <a href={use.kind === 'menu' ? `/menus/${use.id}` : `/pages/${use.id}`}>{use.title}</a>{' '}
                <span className="address text-ink-soft">{readableAddress(use.path)}</span>
              </li>
            ))}
          </ul>
        </section>
        {canRemove && (
          <section className="grid gap-3 border-t pt-3">
            {file.state !== 'removed' && (
              <TextField
                label="When it goes, its address leads to (may be empty)"
                isAddress
                placeholder="/files/newer.pdf"
                value={leadTo}
                onChange={setLeadTo}
              />
            )}
            {file.state !== 'removed' && <LandingNote address={leadTo} />}
            {file.state === 'removed' ? (
              <button type="button" className="button" disabled={remove.isPending} onClick={() => remove.mutate(false)}>
                Keep it after all
              </button>
            ) : isSure ? (
              <div role="alert" className="grid gap-2">
                <p className="text-red">The pages above name this file. Without it their links and pictures do not land.</p>
                <p className="flex gap-2">
                  <button type="button" className="button" disabled={remove.isPending} onClick={() => remove.mutate(true)}>
                    Take it away all the same
                  </button>
                  <button type="button" className="button button-plain" onClick={() => setSure(false)}>
                    Keep it
                  </button>
                </p>
              </div>
            ) : (
              <button type="button" className="button" disabled={remove.isPending} onClick={() => remove.mutate(true)}>
                Take it away
              </button>
            )}
          </section>
        )}
      </div>
    </Dialog>
  )
}
