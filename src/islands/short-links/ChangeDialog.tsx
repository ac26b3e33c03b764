import { useMutation } from '@tanstack/react-query'
import { Trash2 } from 'lucide-react'
import { useState } from 'react'
import { toast } from 'sonner'
import type { ShortLink } from '../../contract/short-links.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { Form } from '../../ui/Form.tsx'
import { PartnerOffer } from '../../ui/PartnerOffer.tsx'
import { useAsk } from '../../ui/query.tsx'
import { Select } from '../../ui/Select.tsx'
import { TextArea } from '../../ui/TextArea.tsx'
import { TextField } from '../../ui/TextField.tsx'

const STATUSES = [302, 301, 307, 308] as const
const STATUS_WORDS = [
  ['302', '302: leads there for now (as usual: where it leads may change)'],
  ['301', '301: has moved there for good'],
  ['307', '307: for now, and forms keep what they send'],
  ['308', '308: for good, and forms keep what they send'],
] as const

const tagsIn = (text: string): string[] =>
  text
    .split(',')
    .map((each) => each.trim().toLowerCase())
    .filter((each) => each !== '')

export function ChangeDialog({ link, onClose }: { link: ShortLink; onClose: () => void }) {
  const [destination, setDestination] = useState(link.destination)
  const [title, setTitle] = useState(link.title)
  const [note, setNote] = useState(link.note)
  const [tags, setTags] = useState(link.tags.join(', '))
  const [status, setStatus] = useState(String(link.status))
  const [isSure, setSure] = useState(false)
  const change = useMutation({
    mutationFn: () =>
      call('short-links.change', {
        id: link.id,
        body: {
          version: link.version,
          destination,
          title,
          note,
          status: STATUSES.find((each) => String(each) === status) ?? 302,
          tags: tagsIn(tags),
        },
      }),
    onSuccess: (now) => {
      toast.success(`${now.slug} leads to ${now.destination} now.`)
      onClose()
    },
  })
  const remove = useMutation({
    mutationFn: () => call('short-links.remove', { id: link.id }),
    onSuccess: () => {
      toast.success(`${link.slug} is taken away.`, { duration: 20_000, action: { label: 'Undo', onClick: () => putBack.mutate() } })
      onClose()
    },
  })
  const putBack = useMutation({
    mutationFn: () => call('short-links.putBack', { id: link.id }),
    onSuccess: ({ slug }) => {
      toast.success(`${slug} is back, with its clicks.`)
    },
    onError: (problem) => toast.error(wordsOf(problem)),
  })
  const uses = useAsk('short-links.uses', { id: link.id }, { enabled: isSure })
  return (
    <Dialog title={`Change “${link.slug}”`} isOpen onClose={onClose}>
      <Form
        sending={change}
        error={change.error ?? remove.error}
        words="Save"
        beside={
          isSure ? (
            <button
              type="button"
              className="button !border-[var(--red)] text-red"
              disabled={remove.isPending || uses.isPending}
              onClick={() => remove.mutate()}
            >
              Yes, people who follow it find nothing
            </button>
          ) : (
            <button type="button" className="button button-plain text-red" onClick={() => setSure(true)}>
              <Trash2 size={16} aria-hidden="true" />
              Take it away
            </button>
          )
        }
      >
        <p className="note">The short link stays the same wherever it was printed or posted; only where it leads changes.</p>
        <div>
          <TextField label="Leads to" isAddress value={destination} onChange={setDestination} />
          <PartnerOffer address={destination} onTake={setDestination} />
        </div>
        <TextField label="What it is" value={title} onChange={setTitle} />
        <TextField label="Tags, with commas between" value={tags} onChange={setTags} />
        <TextArea label="Note, for yourself" value={note} onChange={setNote} />
        <Select label="Browsers and search engines take it as" value={status} options={STATUS_WORDS} onChange={setStatus} />
        {isSure && (
          <div role="note" className="sheet border-l-4 px-3 py-2" style={{ borderLeftColor: 'var(--red)' }}>
            {uses.data === undefined ? (
              <p>{uses.error === null ? 'Looking for pages that lead to it…' : wordsOf(uses.error)}</p>
            ) : uses.data.total === 0 ? (
              <p>No page of yours leads to it. Where it was printed, mailed or posted, people find nothing.</p>
            ) : (
              <>
                <p>
                  {uses.data.total} {uses.data.total === 1 ? 'page leads' : 'pages lead'} to it; their readers would find nothing:
                </p>
                <ul>
                  {uses.data.items.map((page) => (
                    <li key={page.id} className="truncate">
                      <a href={`/pages/${page.id}`}>{page.title}</a> <span className="address text-ink-soft">{page.path}</span>
                    </li>
                  ))}
                </ul>
              </>
            )}
          </div>
        )}
      </Form>
    </Dialog>
  )
}
