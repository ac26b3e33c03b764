import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import type { Mended } from '../../contract/checks.ts'
import { call } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { Form } from '../../ui/Form.tsx'
import { MovedItems, movedWords } from '../../ui/MovedItems.tsx'
import { stepOf, toldStep } from '../../ui/steps.ts'
import { TextField } from '../../ui/TextField.tsx'
import type { InWords } from '../../words/index.ts'

/** Everything that leads to an address, led to another one: looked at first, then done, and taken back as one. */
export function MendDialog({ address, better, onClose }: { address: string; better: string | null; onClose: () => void }) {
  const [to, setTo] = useState(better ?? '')
  const [seen, setSeen] = useState<InWords<Mended> | null>(null)
  const mend = useMutation({
    mutationFn: (dryRun: boolean) => call('checks.mend', { body: { address, to, dryRun } }),
    onSuccess: (mended, dryRun) => {
      if (dryRun) return setSeen(mended)
      toldStep(
        `${movedWords({ ...mended.changed, placements: mended.links })} lead there now; pages as drafts.`,
        stepOf('partners', mended.id),
      )
      onClose()
    },
  })
  const total = seen === null ? 0 : seen.links + seen.changed.shortLinks + seen.changed.redirects
  return (
    <Dialog title="Lead it elsewhere, in all places" isOpen isWide onClose={onClose}>
      <Form
        isLook={seen === null}
        sending={{ ...mend, mutate: () => mend.mutate(seen === null) }}
        words={seen === null ? 'Show what would change' : `Change ${total === 1 ? 'it' : `all ${total}`}`}
        canSend={to.trim() !== '' && (seen === null || total > 0)}
      >
        <p>
          What leads to <span className="address [overflow-wrap:anywhere]">{address}</span> is to lead to
        </p>
        <TextField
          label="Address"
          value={to}
          isAddress
          onChange={(value) => {
            setTo(value)
            setSeen(null)
          }}
        />
        {seen !== null && (
          <section aria-label="What would change" aria-live="polite">
            <p className="mb-2 font-semibold">
              {total === 0
                ? 'Nothing leads there that can be changed here.'
                : `${movedWords({ ...seen.changed, placements: seen.links })} would change.`}
              {seen.changed.pages > 0 &&
                ` ${seen.changed.pages === 1 ? 'The page as a draft' : 'Pages as drafts'}${total > seen.links ? ', the rest at once' : ''}.`}
            </p>
            <MovedItems items={seen.items} more={seen.more} />
          </section>
        )}
      </Form>
    </Dialog>
  )
}
