import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import type { PageSource } from '../../contract/pages.ts'
import { readableAddress } from '../../core/address/index.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { Form } from '../../ui/Form.tsx'
import { LandingNote } from '../../ui/LandingNote.tsx'
import { useAsk } from '../../ui/query.tsx'
import { TextField } from '../../ui/TextField.tsx'
import { number } from '../../words/index.ts'

/** A page gets another address, or goes: what leads to it is told, and its old address keeps working in the same step. */
export function AddressDialog({ page, onClose }: { page: PageSource; onClose: () => void }) {
  const links = useAsk('placements.list', { query: { destination: page.address, limit: 1 } })
  const total = links.data?.total
  return (
    <Dialog title={`Where “${page.title}” stands`} isOpen onClose={onClose}>
      <div className="grid gap-6">
        <p>
          <span className="address">{readableAddress(page.path)}</span>
          <span className="note block">
            {total === undefined
              ? 'Looking for what links to it…'
              : total === 0
                ? 'No link of the site leads to it.'
                : `${number(total)} ${total === 1 ? 'link of the site leads' : 'links of the site lead'} to it; `}
            {total !== undefined && total > 0 && (
              <a className="underline" href={`/links?destination=${encodeURIComponent(page.address)}`}>
                see them
              </a>
            )}
          </span>
        </p>
        <Move page={page} onClose={onClose} />
        <TakeAway page={page} onClose={onClose} />
      </div>
    </Dialog>
  )
}

function Move({ page, onClose }: { page: PageSource; onClose: () => void }) {
  const [path, setPath] = useState(page.path)
  const [leadsOld, setLeadsOld] = useState(true)
  const move = useMutation({
    mutationFn: () => call('pages.move', { id: page.id, body: { version: page.version, path, leadsOld } }),
    onSuccess: (now) => {
      toast.success(leadsOld ? `It stands at ${now.path} now, and ${page.path} leads there.` : `It stands at ${now.path} now.`)
      onClose()
      location.reload()
    },
  })
  return (
    <section aria-label="Another address">
      <h3 className="mb-2 text-[16px]">Give it another address</h3>
      <Form sending={move} words="Move it" canSend={path.trim() !== '' && path !== page.path}>
        <TextField label="Its new address" isAddress required value={path} onChange={setPath} />
        <label className="flex items-center gap-2.5">
          <input type="checkbox" checked={leadsOld} onChange={({ target }) => setLeadsOld(target.checked)} />
          <span>
            Lead <span className="address">{readableAddress(page.path)}</span> there, so that old links and bookmarks still work
          </span>
        </label>
        <p className="note">Visitors find it at the new address at once; menus follow with the next publication.</p>
      </Form>
    </section>
  )
}

function TakeAway({ page, onClose }: { page: PageSource; onClose: () => void }) {
  const { data } = useAsk('redirect-review.suggest', { body: { from: [page.path], title: page.title } })
  const best = data?.items[0]?.suggestions.find(({ to }) => to !== page.path)?.to
  const [typed, setTyped] = useState<string | null>(null)
  const to = typed ?? best ?? '/'
  const [leads, setLeads] = useState(true)
  const remove = useMutation({
    mutationFn: () =>
      call('pages.remove', { id: page.id, body: { version: page.version, isRemoved: true, ...(leads ? { leadTo: to } : {}) } }),
    onSuccess: (now) => {
      toast.success(now === null ? 'It is gone.' : 'It goes with the next publication.', {
        action:
          now === null
            ? undefined
            : {
                label: 'Undo',
                onClick: () =>
                  void call('pages.remove', { id: page.id, body: { version: now.version, isRemoved: false } }).catch((error: unknown) =>
                    toast.error(wordsOf(error)),
                  ),
              },
      })
      onClose()
      if (now === null) location.assign('/pages')
    },
  })
  return (
    <section aria-label="Take it away" className="border-t pt-4">
      <h3 className="mb-2 text-[16px]">Take it away</h3>
      <Form sending={remove} words="Take it away" isMain={false}>
        <label className="flex items-center gap-2.5">
          <input type="checkbox" checked={leads} onChange={({ target }) => setLeads(target.checked)} />
          <span>Lead its address to another page, rather than to nothing</span>
        </label>
        {leads && (
          <div>
            <TextField label="Its address leads to" isAddress required value={to} onChange={setTyped} />
            <LandingNote address={to} />
          </div>
        )}
      </Form>
    </section>
  )
}
