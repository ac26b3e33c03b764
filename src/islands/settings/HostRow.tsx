import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import type { Host, HostUses } from '../../contract/hosts.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { Problem } from '../../ui/Form.tsx'
import { useAsk } from '../../ui/query.tsx'
import { TextField } from '../../ui/TextField.tsx'
import { useUnsaved } from '../../ui/unsaved.ts'
import { MissingPages } from './MissingPages.tsx'

const UNDO_MS = 20_000

/** One name the site answers on; before it goes or is called otherwise, what that breaks is told. */
export function HostRow({ host, canEdit }: { host: Host; canEdit: boolean }) {
  const [doing, setDoing] = useState<'nothing' | 'removing' | 'changing'>('nothing')
  const stop = (): void => setDoing('nothing')
  const change = useChange(host, stop)
  return (
    <li className="flex flex-wrap items-center gap-x-4 gap-y-1 px-4 py-3">
      <span className="min-w-0 flex-1">
        <a href={host.address} target="_blank" rel="noopener" className="address font-semibold">
          {host.host}
        </a>
        {host.isMain && <span className="note"> the main one</span>}
        {host.origin !== null && <span className="address block truncate text-ink-soft">in front of {host.origin}</span>}
        {host.kind === 'short' && (
          <span className="note block">
            A short link reads <span className="address">{`${host.host}/${host.prefix === '' ? '' : `${host.prefix}/`}boots`}</span>
          </span>
        )}
      </span>
      {canEdit && doing === 'nothing' && (
        <span className="flex flex-wrap gap-2">
          {!host.isMain && host.kind !== 'door' && (
            <button
              type="button"
              className="button button-plain"
              disabled={change.isPending}
              onClick={() => change.mutate({ isMain: true })}
            >
              Make it the main one<span className="sr-only"> {host.host}</span>
            </button>
          )}
          <button type="button" className="button" onClick={() => setDoing('changing')}>
            {host.kind === 'short' ? 'Name or prefix' : 'Another name'}
            <span className="sr-only"> {host.host}</span>
          </button>
          <button type="button" className="button" onClick={() => setDoing('removing')}>
            Take it away<span className="sr-only"> {host.host}</span>
          </button>
        </span>
      )}
      {host.kind !== 'short' && doing === 'nothing' && <MissingPages host={host} canEdit={canEdit} />}
      {doing === 'changing' && <ChangeHost host={host} change={change} onClose={stop} />}
      {doing === 'removing' && <RemoveHost host={host} onClose={stop} />}
    </li>
  )
}

function useChange(host: Host, onDone: () => void) {
  return useMutation({
    mutationFn: (to: { host?: string; prefix?: string; isMain?: true }) =>
      call('hosts.change', { id: host.id, body: { version: host.version, ...to } }),
    onSuccess: (now) => {
      onDone()
      toast.success(
        now.isMain && !host.isMain ? `New links begin with ${now.host} from now on.` : `${now.host} is answered here from now on.`,
      )
    },
    onError: (error) => {
      toast.error(wordsOf(error))
    },
  })
}

function ChangeHost({ host, change, onClose }: { host: Host; change: ReturnType<typeof useChange>; onClose: () => void }) {
  const [name, setName] = useState(host.host)
  const [prefix, setPrefix] = useState(host.prefix)
  const isRenamed = name.trim().toLowerCase() !== host.host
  const isChanged = isRenamed || prefix.trim().toLowerCase() !== host.prefix
  useUnsaved(isChanged)
  return (
    <form
      className="grid basis-full gap-3 pt-2"
      onSubmit={(event) => {
        event.preventDefault()
        change.mutate({ host: name, ...(host.kind === 'short' ? { prefix } : {}) })
      }}
    >
      <div className="grid grid-cols-2 gap-3.5 max-md:grid-cols-1">
        <TextField label="Host" isAddress required value={name} onChange={setName} />
        {host.kind === 'short' && <TextField label="Prefix (may be empty)" isAddress value={prefix} onChange={setPrefix} />}
      </div>
      {isChanged && <Broken host={host} how={isRenamed ? 'renamed' : 'prefixed'} />}
      <p className="flex flex-wrap gap-3">
        <button type="submit" className="button button-main" disabled={!isChanged || change.isPending}>
          Call it that
        </button>
        <button type="button" className="button button-plain" onClick={onClose}>
          Leave it
        </button>
      </p>
    </form>
  )
}

function RemoveHost({ host, onClose }: { host: Host; onClose: () => void }) {
  const putBack = useMutation({
    mutationFn: () => call('hosts.putBack', { id: host.id }),
    onSuccess: (back) => {
      toast.success(`${back.host} is answered here again.`)
    },
    onError: (error) => toast.error(wordsOf(error)),
  })
  const remove = useMutation({
    mutationFn: () => call('hosts.remove', { id: host.id }),
    onSuccess: () => {
      toast.success(`${host.host} is no longer answered here.`, {
        duration: UNDO_MS,
        action: { label: 'Undo', onClick: () => putBack.mutate() },
      })
      onClose()
    },
  })
  return (
    <div className="grid basis-full gap-3 pt-2">
      <Broken host={host} how="gone" />
      <Problem error={remove.error} />
      <p className="flex flex-wrap gap-3">
        <button type="button" className="button !border-[var(--red)] text-red" disabled={remove.isPending} onClick={() => remove.mutate()}>
          Yes, take {host.host} away
        </button>
        <button type="button" className="button button-plain" onClick={onClose}>
          Leave it
        </button>
      </p>
    </div>
  )
}

const many = (n: number, one: string, more: string): string => `${n} ${n === 1 ? one : more}`

type Change = 'gone' | 'renamed' | 'prefixed'

/** What stops working, in sentences. */
function Broken({ host, how }: { host: Host; how: Change }) {
  const { data, error } = useAsk('hosts.uses', { id: host.id })
  return (
    <div role="note" className="sheet border-l-4 px-3 py-2" style={{ borderLeftColor: how === 'prefixed' ? 'var(--sea)' : 'var(--red)' }}>
      {data === undefined && <p>{error === null ? 'Looking at what stands on it…' : wordsOf(error)}</p>}
      {data !== undefined && (
        <ul className="grid gap-1">
          {sentences(host, data, how).map((sentence) => (
            <li key={sentence}>{sentence}</li>
          ))}
        </ul>
      )}
    </div>
  )
}

function sentences(host: Host, uses: HostUses, how: Change): string[] {
  const { shortLinks, clicks, pages, links, linkPages } = uses
  if (how === 'prefixed')
    return [
      'Short links are written with the new prefix from then on.',
      shortLinks === 0
        ? 'None stands on this host yet.'
        : `The old one still answers: ${many(shortLinks, 'short link goes', 'short links go')} on working wherever ${shortLinks === 1 ? 'it was' : 'they were'} printed or posted.`,
    ]
  const told: string[] = []
  if (host.kind === 'door')
    told.push(`Whoever asks for ${host.host} finds nothing from then on, until that name leads to ${host.origin} by itself.`)
  if (host.kind === 'site')
    told.push(
      `${many(pages, 'live page is', 'live pages are')} no longer found on ${host.host}; search engines and bookmarks that lead there find nothing.`,
    )
  if (host.kind === 'short')
    told.push(
      shortLinks === 0
        ? 'No short link stands on it.'
        : `${many(shortLinks, 'short link stops', 'short links stop')} working wherever ${shortLinks === 1 ? 'it was' : 'they were'} printed or posted (${many(clicks, 'click', 'clicks')} so far).`,
    )
  if (links > 0)
    told.push(
      `${many(links, 'link', 'links')} on ${many(linkPages, 'page', 'pages')} of yours ${links === 1 ? 'names' : 'name'} it, and would lead nowhere.`,
    )
  if (how === 'renamed') told.push('The new name has to lead to this server before anybody finds something there.')
  else if (how === 'gone' && host.kind === 'short' && shortLinks > 0) told.push('They are kept, and come back if you put this host back.')
  return told
}
