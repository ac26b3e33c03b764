import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import { readableAddress } from '../../core/address/index.ts'
import type { Finding } from '../../core/placements/index.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { Rope } from '../../ui/Rope.tsx'
import { Tag } from '../../ui/Tag.tsx'
import { TextField } from '../../ui/TextField.tsx'
import { CheckNote } from '../checks/CheckNote.tsx'
import type { Details, ShownRow } from './messages.ts'
import { FINDING_WORDS } from './words.ts'

/** One placement in full: its rope, its tag before and after, and for each attribute the rule or hand that decided it. */
export function LinkDetails({
  row,
  details,
  canEdit,
  onMarked,
  onClose,
}: {
  row: ShownRow
  details: Details | null
  canEdit: boolean
  /** A finding was marked as fine, or that was taken back. */
  onMarked: () => void
  onClose: () => void
}) {
  const mark = useMutation({
    mutationFn: ({ finding, reason }: { finding: Finding; reason: string | null }) =>
      call('placements.markFine', { body: { pageId: row.pageId, ordinal: row.ordinal, finding, reason } }),
    onSuccess: (_, { reason }) => {
      toast.success(
        reason === null ? 'It is pointed out again.' : 'Marked as fine. It comes back when its words, destination or marks change.',
      )
      onMarked()
    },
    onError: (error) => toast.error(wordsOf(error)),
  })
  const place = row.pageKind === 'menu' ? `/menus/${row.pageId}` : `/pages/${row.pageId}?link=${row.start}`
  return (
    <Dialog title={row.text === '' ? 'A link without words' : row.text} isOpen onClose={onClose}>
      <div className="grid gap-4">
        <div className="grid gap-1">
          <Rope
            strand={row.strand}
            knots={row.isShort ? [{ kind: 'short link', address: row.href }] : []}
            end={{ opens: row.end, lands: row.lands }}
            width={460}
          />
          <p className="address">{readableAddress(row.href)}</p>
          <p className="note">
            on <a href={place}>{row.title}</a> <span className="address">{readableAddress(row.page)}</span>
          </p>
        </div>
        {details !== null && (
          <>
            <section>
              <h3 className="mb-1.5 text-[16px]">Why it is as it is</h3>
              <dl className="grid grid-cols-[auto_minmax(0,1fr)] gap-x-4 gap-y-1">
                {details.explained.map(({ what, why }) => (
                  <div key={what} className="contents">
                    <dt className="text-ink-soft">{what}</dt>
                    <dd className="font-semibold">{why}</dd>
                  </div>
                ))}
              </dl>
            </section>
            <section className="grid gap-1.5">
              <h3 className="text-[16px]">In the page, and as readers get it</h3>
              <Tag tag={details.before} />
              <Tag tag={details.after} before={details.before} />
            </section>
            {details.address !== null && /^https?:/i.test(details.address) && (
              <CheckNote address={details.address} canEdit={canEdit} canMend={canEdit} />
            )}
            {details.tags.length > 0 && <p className="note">Tagged {details.tags.join(', ')}</p>}
            {details.findings.map((finding) => (
              <div key={finding} className="grid gap-1.5">
                <p className="text-red">
                  {FINDING_WORDS[finding].one}: <span className="text-ink">{FINDING_WORDS[finding].why}</span>
                </p>
                {canEdit && <ThisIsFine isBusy={mark.isPending} onSay={(reason) => mark.mutate({ finding, reason })} />}
              </div>
            ))}
            {details.fine.map(({ finding, reason, by }) => (
              <p key={finding} className="flex flex-wrap items-center gap-x-3 gap-y-1">
                <span className="min-w-0 flex-1">
                  {FINDING_WORDS[finding].one}: <span className="text-sea">this is fine</span>, says {by ?? 'somebody'}: {reason}
                </span>
                {canEdit && (
                  <button type="button" className="button" disabled={mark.isPending} onClick={() => mark.mutate({ finding, reason: null })}>
                    Point it out again
                  </button>
                )}
              </p>
            ))}
          </>
        )}
        <p>
          <a className="button" href={place}>
            Open it on its page
          </a>
        </p>
      </div>
    </Dialog>
  )
}

/** A finding that is meant so: with the reason, so that the next person need not ask. */
function ThisIsFine({ isBusy, onSay }: { isBusy: boolean; onSay: (reason: string) => void }) {
  const [isOpen, setOpen] = useState(false)
  const [reason, setReason] = useState('')
  if (!isOpen)
    return (
      <p>
        <button type="button" className="button" onClick={() => setOpen(true)}>
          This is fine
        </button>
      </p>
    )
  return (
    <form
      className="grid gap-2"
      onSubmit={(event) => {
        event.preventDefault()
        onSay(reason)
      }}
    >
      <TextField label="Why is it fine?" value={reason} maxLength={300} required onChange={setReason} />
      <p>
        <button type="submit" className="button button-main" disabled={isBusy || reason.trim() === ''}>
          Mark it as fine
        </button>
      </p>
    </form>
  )
}
