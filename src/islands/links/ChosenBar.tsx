import type { BulkChangeBody } from '../../contract/bulk-changes.ts'
import { counted } from '../../words/index.ts'
import { More } from './ChangeMenus.tsx'

/** What can be done with the links that are chosen. */
export function ChosenBar({ count, onStart }: { count: number; onStart: (title: string, change: BulkChangeBody) => void }) {
  return (
    <div
      className="sheet absolute right-5 bottom-14 flex flex-wrap items-center gap-2 !border-ink px-3.5 py-2.5 max-md:right-2 max-md:left-2"
      style={{ boxShadow: 'var(--shadow)' }}
      role="toolbar"
      aria-label="Change what is chosen"
    >
      <p className="mr-1">
        <b>{counted(count, 'link')}</b> chosen
      </p>
      <button
        type="button"
        className="button"
        onClick={() => onStart('What search engines are told', { do: 'tell', hints: ['sponsored', 'nofollow'] })}
      >
        Mark as…
      </button>
      <button type="button" className="button" onClick={() => onStart('Change where they lead', { do: 'lead to', address: '' })}>
        Change destination
      </button>
      <button type="button" className="button" onClick={() => onStart('How they open', { do: 'open', opens: 'new tab' })}>
        Open in…
      </button>
      <More onPick={onStart} />
      <span className="note">Esc clears</span>
    </div>
  )
}
