import { useMutation } from '@tanstack/react-query'
import { useState } from 'react'
import { toast } from 'sonner'
import type { Checked } from '../../contract/checks.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { JobProgress, useJob } from '../../ui/job.tsx'
import { useAsk } from '../../ui/query.tsx'
import { TextField } from '../../ui/TextField.tsx'
import { When } from '../../ui/When.tsx'
import { counted, type InWords } from '../../words/index.ts'
import { MendDialog } from './MendDialog.tsx'
import { VERDICT_WORDS } from './words.ts'

/** What was seen where a link leads, and when; looked at anew for the asking. Nothing for addresses that nobody visits. */
export function CheckNote({ address, canEdit, canMend }: { address: string; canEdit: boolean; canMend: boolean }) {
  const { data, error } = useAsk('checks.list', { query: { address, limit: 1 } })
  if (error !== null) return <p className="text-red">{wordsOf(error)}</p>
  if (data === undefined) return <p className="note">Looking up what was seen there…</p>
  const [check] = data.items
  return (
    <section className="grid gap-2" aria-label="What was seen there">
      <h3 className="text-[16px]">What was seen there</h3>
      {check?.verdict == null ? <p className="note">Nobody has looked yet.</p> : <Seen check={check} />}
      {canEdit && <Ways address={address} check={check} canMend={canMend} />}
      {canEdit && check !== undefined && check.verdict !== null && check.verdict !== 'lands' && <FineOrNot key={check.id} check={check} />}
    </section>
  )
}

function Seen({ check }: { check: InWords<Checked> }) {
  const { verdict, also, isBroken, isInDoubt, since, seenAt, evidence, fine, uses } = check
  const colour = fine === null && isBroken ? 'text-red' : verdict === 'lands' || fine !== null ? 'text-sea' : 'text-rope-text'
  return (
    <>
      <p>
        <b className={colour}>{verdict === null ? '' : VERDICT_WORDS[verdict]}</b>
        {evidence !== null && <>: {evidence.says}</>}
        {also.length > 0 && <span className="text-ink-soft"> · {also.map((each) => VERDICT_WORDS[each]).join(', ')}</span>}
      </p>
      {isInDoubt && <p className="text-red">The last look found it broken. It is looked at again before that is said.</p>}
      <p className="note">
        {seenAt !== null && (
          <>
            seen <When at={seenAt} />
          </>
        )}
        {since !== null && since !== seenAt && (
          <>
            , so since <When at={since} />
          </>
        )}
        {uses > 1 && `, led to from ${counted(uses, 'place')}`}
      </p>
      {evidence !== null && evidence.hops.length > 1 && (
        <ol className="grid gap-0.5 text-[13.5px]" aria-label="The way there">
          {evidence.hops.map((hop) => (
            <li key={hop.address} className="flex items-baseline gap-2">
              <span className="address min-w-0 flex-1 [overflow-wrap:anywhere]">{hop.address}</span>
              <span className="note shrink-0 tabular-nums">
                {hop.status ?? 'no answer'} · {hop.ms} ms
              </span>
            </li>
          ))}
        </ol>
      )}
    </>
  )
}

/** What can be done about it: look again, and lead it elsewhere in all places. */
function Ways({ address, check, canMend }: { address: string; check: InWords<Checked> | undefined; canMend: boolean }) {
  const [isMending, setMending] = useState(false)
  const start = useMutation({
    mutationFn: () => call('checks.start', { body: { addresses: [address] } }),
    onError: (error) => toast.error(wordsOf(error)),
  })
  const { job, isRunning, stop, isStopping } = useJob(start.data?.job ?? null)
  if (isRunning)
    return <JobProgress job={job} words={() => 'Looking, as soon as the site may be asked…'} onStop={isStopping ? null : stop} />
  const better = check?.better ?? null
  return (
    <p className="flex flex-wrap gap-2">
      <button type="button" className="button" disabled={start.isPending} onClick={() => start.mutate()}>
        Look now
      </button>
      {canMend && check !== undefined && (better !== null || check.isBroken) && (
        <button type="button" className={`button ${better === null ? '' : 'button-main'}`} onClick={() => setMending(true)}>
          {better === null ? 'Lead it elsewhere…' : 'Take the new address everywhere…'}
        </button>
      )}
      {isMending && <MendDialog address={address} better={better} onClose={() => setMending(false)} />}
    </p>
  )
}

/** A verdict that is meant so: with the reason. It comes back when something else is said. */
function FineOrNot({ check }: { check: InWords<Checked> }) {
  const [isOpen, setOpen] = useState(false)
  const [reason, setReason] = useState('')
  const say = useMutation({
    mutationFn: (why: string | null) => call('checks.fine', { id: check.id, body: { reason: why } }),
    onSuccess: (_, why) => {
      setOpen(false)
      toast.success(why === null ? 'It is pointed out again.' : 'Marked as fine, until something else is seen there.')
    },
    onError: (error) => toast.error(wordsOf(error)),
  })
  if (check.fine !== null)
    return (
      <p className="flex flex-wrap items-center gap-x-3 gap-y-1">
        <span className="min-w-0 flex-1">
          <span className="text-sea">This is fine</span>: {check.fine.reason}
        </span>
        <button type="button" className="button" disabled={say.isPending} onClick={() => say.mutate(null)}>
          Point it out again
        </button>
      </p>
    )
  if (!isOpen)
    return (
      <p>
        <button type="button" className="button" onClick={() => setOpen(true)}>
          It is fine as it is
        </button>
      </p>
    )
  return (
    <form
      className="grid gap-2"
      onSubmit={(event) => {
        event.preventDefault()
        say.mutate(reason)
      }}
    >
      <TextField label="Why is it fine?" value={reason} maxLength={500} required onChange={setReason} />
      <p>
        <button type="submit" className="button button-main" disabled={say.isPending || reason.trim() === ''}>
          Mark it as fine
        </button>
      </p>
    </form>
  )
}
