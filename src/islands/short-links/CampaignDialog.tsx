import { useMutation } from '@tanstack/react-query'
import { Plus, Trash2 } from 'lucide-react'
import { useState } from 'react'
import type { ShortLink } from '../../contract/short-links.ts'
import { tidySlug } from '../../core/slugs/index.ts'
import { call } from '../../ui/api.ts'
import { CopyButton } from '../../ui/CopyButton.tsx'
import { Dialog } from '../../ui/Dialog.tsx'
import { Beside, Form } from '../../ui/Form.tsx'
import { stepOf, toldStep } from '../../ui/steps.ts'
import { TextField } from '../../ui/TextField.tsx'
import { counted } from '../../words/index.ts'
import { bare } from './words.ts'

interface Channel {
  readonly key: number
  readonly source: string
  readonly medium: string
  readonly slug: string
}

const FIRST: readonly Channel[] = [
  { key: 0, source: 'newsletter', medium: 'email', slug: '' },
  { key: 1, source: 'leaflet', medium: 'print', slug: '' },
  { key: 2, source: '', medium: '', slug: '' },
]

/** One destination, a link for each place it is told of: so that it can be seen which of them brings people. */
export function CampaignDialog({ onClose }: { onClose: () => void }) {
  const [destination, setDestination] = useState('')
  const [name, setName] = useState('')
  const [channels, setChannels] = useState(FIRST)
  const [made, setMade] = useState<readonly ShortLink[]>([])
  const filled = channels.filter(({ source }) => source.trim() !== '')
  const create = useMutation({
    mutationFn: () =>
      call('short-link-steps.campaign', {
        body: {
          destination,
          name,
          channels: filled.map(({ source, medium, slug }) => ({
            source: source.trim(),
            medium: medium.trim(),
            ...(slug === '' ? {} : { slug: tidySlug(slug) }),
          })),
        },
      }),
    onSuccess: ({ step, items }) => {
      setMade(items)
      toldStep(`${counted(items.length, 'short link')} made for “${name}”.`, stepOf('short-links', step))
    },
  })
  const put = (key: number, change: Partial<Channel>): void =>
    setChannels(channels.map((each) => (each.key === key ? { ...each, ...change } : each)))
  if (made.length > 0)
    return (
      <Dialog title={`Links for “${name}”`} isOpen onClose={onClose} isWide>
        <ul className="divide-y rounded-md border">
          {made.map((link) => (
            <li key={link.id} className="flex items-center gap-3 px-3 py-2">
              <a className="address min-w-0 flex-1 font-semibold" href={`/short-links/${link.id}`}>
                {bare(link.address)}
              </a>
              <span className="note min-w-0 flex-1">{link.title}</span>
              <CopyButton address={link.address} />
            </li>
          ))}
        </ul>
        <p className="mt-4 flex flex-wrap justify-end gap-2.5">
          <a className="button" href={`/short-links/codes?tag=${encodeURIComponent(name.toLowerCase())}`}>
            Print their codes
          </a>
          <button type="button" className="button button-main" onClick={onClose}>
            Done
          </button>
        </p>
      </Dialog>
    )
  return (
    <Dialog title="A campaign" isOpen onClose={onClose} isWide>
      <Form
        sending={create}
        words={`Make ${counted(filled.length, 'link')}`}
        canSend={destination.trim() !== '' && name.trim() !== '' && filled.length > 0}
        beside={<Beside>One link for each place, all to the same page, each counted by itself and marked with UTM parameters.</Beside>}
      >
        <TextField
          label="They all lead to"
          isAddress
          value={destination}
          onChange={setDestination}
          placeholder="Paste the long address here"
        />
        <TextField label="What the campaign is called" value={name} onChange={setName} maxLength={60} placeholder="Quiet Season" />
        <fieldset className="grid gap-2">
          <legend className="field-label">Where it is told of</legend>
          {channels.map((each, i) => (
            <div key={each.key} className="grid grid-cols-[1fr_1fr_1fr_auto] items-end gap-2.5 max-md:grid-cols-1">
              <TextField
                label={`Place ${i + 1}`}
                value={each.source}
                placeholder="harbour board"
                onChange={(source) => put(each.key, { source })}
              />
              <TextField label="Sort" value={each.medium} placeholder="print" onChange={(medium) => put(each.key, { medium })} />
              <TextField
                label="Slug"
                isAddress
                value={each.slug}
                placeholder="thought of for you"
                onChange={(slug) => put(each.key, { slug })}
              />
              <button
                type="button"
                className="button button-plain !px-2"
                aria-label={`Leave place ${i + 1} out`}
                onClick={() => setChannels(channels.filter(({ key }) => key !== each.key))}
              >
                <Trash2 size={16} aria-hidden="true" />
              </button>
            </div>
          ))}
          <p>
            <button
              type="button"
              className="button button-plain"
              onClick={() =>
                setChannels([...channels, { key: Math.max(0, ...channels.map(({ key }) => key)) + 1, source: '', medium: '', slug: '' }])
              }
            >
              <Plus size={16} aria-hidden="true" />
              One more place
            </button>
          </p>
        </fieldset>
      </Form>
    </Dialog>
  )
}
