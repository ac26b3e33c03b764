import { useMutation } from '@tanstack/react-query'
import { useId, useState } from 'react'
import { toast } from 'sonner'
import type { Partner } from '../../contract/partners.ts'
import { call } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { Form } from '../../ui/Form.tsx'
import { useAsk } from '../../ui/query.tsx'
import { TextField } from '../../ui/TextField.tsx'

/** Who pays for visitors, and which sites are theirs: what "partners' sites" means in a rule. */
export function PartnerSites({ initial, canEdit }: { initial: readonly Partner[]; canEdit: boolean }) {
  const { data } = useAsk('partners.list', {}, { initialData: { items: [...initial] } })
  const [edited, setEdited] = useState<Partner | 'new' | null>(null)
  return (
    <section className="mt-4" id="partners">
      <header className="mb-2 flex flex-wrap items-baseline justify-between gap-3">
        <h2 className="text-[18px]">Partners’ sites</h2>
        {canEdit && (
          <button type="button" className="button button-plain" onClick={() => setEdited('new')}>
            Add a partner
          </button>
        )}
      </header>
      <p className="note mb-3">Companies that pay you for visitors. Links to their sites count as paid, also by way of a short link.</p>
      {data.items.length === 0 && <p className="text-ink-soft">None yet.</p>}
      <ul className="flex flex-wrap gap-2">
        {data.items.map((partner) => (
          <li key={partner.id}>
            <button type="button" className="chip" disabled={!canEdit} onClick={() => setEdited(partner)}>
              <b className="font-semibold">{partner.name}</b> <span className="address text-ink-soft">{partner.sites.join(', ')}</span>
            </button>
          </li>
        ))}
      </ul>
      {edited !== null && <PartnerDialog partner={edited === 'new' ? null : edited} onClose={() => setEdited(null)} />}
    </section>
  )
}

/** How many paid links do not say that they are. */
const countUnmarked = async (): Promise<number> => (await call('placements.list', { query: { finding: 'unmarked', limit: 1 } })).total

function PartnerDialog({ partner, onClose }: { partner: Partner | null; onClose: () => void }) {
  const id = useId()
  const [name, setName] = useState(partner?.name ?? '')
  const [sites, setSites] = useState(partner?.sites.join('\n') ?? '')
  const done = (words: string): void => {
    toast.success(words)
    onClose()
  }
  const body = { name, sites: sites.split(/[\s,]+/).filter((site) => site !== '') }
  const save = useMutation({
    mutationFn: async () => {
      const before = await countUnmarked()
      if (partner === null) await call('partners.create', { body })
      else await call('partners.change', { id: partner.id, body: { ...body, version: partner.version } })
      return (await countUnmarked()) - before
    },
    onSuccess: (more) => {
      done(`${name} is saved.`)
      if (more > 0)
        toast(`${more} more ${more === 1 ? 'link is a paid link that does' : 'links are paid links that do'} not say so.`, {
          duration: 20_000,
          action: { label: 'See them', onClick: () => location.assign('/links?finding=unmarked') },
        })
    },
  })
  const remove = useMutation({
    mutationFn: () => call('partners.remove', { id: partner?.id ?? '' }),
    onSuccess: () => done(`${name} is no partner any more.`),
  })
  return (
    <Dialog title={partner === null ? 'Add a partner' : partner.name} isOpen onClose={onClose}>
      <Form
        sending={save}
        error={save.error ?? remove.error}
        words="Save"
        beside={
          partner === null ? (
            <span />
          ) : (
            <button type="button" className="button button-plain text-red" disabled={remove.isPending} onClick={() => remove.mutate()}>
              No partner any more
            </button>
          )
        }
      >
        <TextField label="Name" required value={name} onChange={setName} />
        <div>
          <label className="field-label" htmlFor={`${id}-sites`}>
            Sites that belong to them, one a line
          </label>
          <textarea
            id={`${id}-sites`}
            className="field address"
            rows={3}
            value={sites}
            required
            placeholder="gannet-line.example"
            onChange={(event) => setSites(event.target.value)}
          />
        </div>
      </Form>
    </Dialog>
  )
}
