import { useMutation } from '@tanstack/react-query'
import { Trash2 } from 'lucide-react'
import { useState } from 'react'
import { toast } from 'sonner'
import { ShortLink } from '../../contract/short-links.ts'
import { readableAddress } from '../../core/address/index.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { isAgreed, Sides, useEdited } from '../../ui/edited.tsx'
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

const fieldsOf = ({ destination, title, note, tags, status, version }: ShortLink) => ({
  value: { destination, title, note, tags: tags.join(', '), status: String(status) },
  version,
})
const FIELD_WORDS = { destination: 'Leads to', title: 'What it is', note: 'Note', tags: 'Tags', status: 'Taken as' } as const

export function ChangeDialog({ link, onClose }: { link: ShortLink; onClose: () => void }) {
  const edited = useEdited(fieldsOf(link), { key: `short link ${link.id}` })
  const { destination, title, note, tags, status } = edited.value
  const [isSure, setSure] = useState(false)
  const change = useMutation({
    mutationFn: () =>
      edited.save(
        (value, version) =>
          call('short-links.change', {
            id: link.id,
            body: { ...value, version, status: STATUSES.find((each) => String(each) === value.status) ?? 302, tags: tagsIn(value.tags) },
          }),
        (current) => fieldsOf(ShortLink.parse(current)),
      ),
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
        canSend={isAgreed(edited)}
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
        <Sides edited={edited} words={FIELD_WORDS} />
        <p className="note">The short link stays the same wherever it was printed or posted; only where it leads changes.</p>
        <div>
          <TextField label="Leads to" isAddress value={destination} onChange={(to) => edited.set({ destination: to })} />
          <PartnerOffer address={destination} onTake={(to) => edited.set({ destination: to })} />
        </div>
        <TextField label="What it is" value={title} onChange={(to) => edited.set({ title: to })} />
        <TextField label="Tags, with commas between" value={tags} onChange={(to) => edited.set({ tags: to })} />
        <TextArea label="Note, for yourself" value={note} onChange={(to) => edited.set({ note: to })} />
        <Select
          label="Browsers and search engines take it as"
          value={status}
          options={STATUS_WORDS}
          onChange={(to) => edited.set({ status: to })}
        />
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
                      <a href={`/pages/${page.id}`}>{page.title}</a>{' '}
                      <span className="address text-ink-soft">{readableAddress(page.path)}</span>
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
