import { useMutation } from '@tanstack/react-query'
import { toast } from 'sonner'
import type { RedirectRow } from '../../contract/redirects.ts'
import { call, wordsOf } from '../../ui/api.ts'
import { useAsk } from '../../ui/query.tsx'
import { dateAndClock } from '../../words/index.ts'
import { tellRow } from './Outcome.tsx'

/** What a row has said until now; any of it can come back. */
export function RowHistory({ row, canEdit, onRestored }: { row: RedirectRow; canEdit: boolean; onRestored: () => void }) {
  const { data } = useAsk('redirects.history', { id: row.id })
  const restore = useMutation({
    mutationFn: (of: number) => call('redirects.restore', { id: row.id, body: { version: row.version, of } }),
    onSuccess: (now) => {
      void tellRow(now)
      onRestored()
    },
    onError: (error) => toast.error(wordsOf(error)),
  })
  if (data === undefined || data.items.length < 2) return null
  return (
    <details className="rounded-md border px-3 py-2">
      <summary className="cursor-pointer font-semibold">What it said before</summary>
      <ul className="mt-2 divide-y">
        {data.items.slice(1).map((each) => (
          <li key={each.version} className="flex flex-wrap items-baseline gap-x-3 gap-y-1 py-1.5">
            <span className="note w-[150px]">{dateAndClock(new Date(each.at))}</span>
            <span className="address min-w-0 flex-1">
              {each.from} → {each.status} {each.to}
              {each.isOn ? '' : ' (off)'}
              {each.isRemoved ? ' (taken away)' : ''}
            </span>
            <span className="note">
              {each.by ?? 'somebody'}
              {each.what === null ? '' : `, ${each.what}`}
            </span>
            {canEdit && !each.isRemoved && (
              <button
                type="button"
                className="button !min-h-8 !px-2.5"
                disabled={restore.isPending}
                onClick={() => restore.mutate(each.version)}
              >
                Say that again
              </button>
            )}
          </li>
        ))}
      </ul>
    </details>
  )
}
