import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import type { Repointed } from '../../contract/partner-moves.ts'
import type { Partner } from '../../contract/partners.ts'
import { call } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { Form } from '../../ui/Form.tsx'
import { MovedItems, movedWords } from '../../ui/MovedItems.tsx'
import { stepOf, toldStep } from '../../ui/steps.ts'
import { TextField } from '../../ui/TextField.tsx'
import type { InWords } from '../../words/index.ts'

const WAYS = [
  ['lead to', 'all to one address'],
  ['plain', 'to their pages, without your number'],
  ['build anew', 'built anew, by the template and number as they are now'],
] as const

/** Everything that leads to a partner, pointed elsewhere: looked at first, then done and taken back as one. */
export function MoveDialog({ partner, onClose }: { partner: Partner; onClose: () => void }) {
  const [way, setWay] = useState<(typeof WAYS)[number][0]>('lead to')
  const [address, setAddress] = useState('')
  const [oldTemplate, setOldTemplate] = useState('')
  const [oldAccount, setOldAccount] = useState('')
  const [seen, setSeen] = useState<InWords<Repointed> | null>(null)
  const move = useMutation({
    mutationFn: (dryRun: boolean) =>
      call('partner-moves.make', {
        body: {
          partnerId: partner.id,
          dryRun,
          to: way === 'lead to' ? { do: way, address } : { do: way },
          ...(oldTemplate.trim() === '' ? {} : { oldTemplate }),
          ...(oldAccount.trim() === '' ? {} : { oldAccount }),
        },
      }),
    onSuccess: (moved, dryRun) => {
      if (dryRun) return setSeen(moved)
      toldStep(`${movedWords(moved)} lead elsewhere now; pages as drafts.`, stepOf('partners', moved.id))
      onClose()
    },
  })
  const change = (work: () => void): void => {
    work()
    setSeen(null)
  }
  const total = seen === null ? 0 : seen.placements + seen.shortLinks + seen.redirects
  return (
    <Dialog title={`Point links to ${partner.name} elsewhere`} isOpen isWide onClose={onClose}>
      <Form
        isLook={seen === null}
        sending={{ ...move, mutate: () => move.mutate(seen === null) }}
        words={seen === null ? 'Show what would change' : `Change all ${total}`}
        canSend={(way !== 'lead to' || address.trim() !== '') && (seen === null || total > 0)}
      >
        <fieldset className="grid gap-1.5">
          <legend className="field-label">Links, short links and redirects lead</legend>
          {WAYS.map(([value, words]) => (
            <label key={value} className="flex items-center gap-2">
              <input type="radio" name="way" checked={way === value} onChange={() => change(() => setWay(value))} />
              {words}
            </label>
          ))}
        </fieldset>
        {way === 'lead to' && <TextField label="Address" value={address} onChange={(value) => change(() => setAddress(value))} isAddress />}
        {way === 'build anew' && (
          <div className="grid grid-cols-2 gap-4 max-md:grid-cols-1">
            <TextField
              label="Template that they were built by"
              value={oldTemplate}
              onChange={(value) => change(() => setOldTemplate(value))}
              isAddress
              placeholder={partner.template}
            />
            <TextField
              label="Number that they carry"
              value={oldAccount}
              onChange={(value) => change(() => setOldAccount(value))}
              placeholder={partner.account}
            />
          </div>
        )}
        {seen !== null && (
          <section aria-label="What would change" aria-live="polite">
            <p className="mb-2 font-semibold">{total === 0 ? 'Nothing leads there in this way.' : `${movedWords(seen)} would change.`}</p>
            <MovedItems items={seen.items} more={seen.more} />
          </section>
        )}
      </Form>
    </Dialog>
  )
}
