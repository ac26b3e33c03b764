import { useState } from 'react'
import type { PageSource } from '../../contract/pages.ts'
import { Comparison } from './Comparison.tsx'

/** Both sides, and a person's choice; nothing is lost either way. */
export function Conflict({
  theirs,
  mine,
  onTheirs,
  onMine,
}: {
  theirs: PageSource
  mine: string
  onTheirs: () => void
  onMine: () => void
}) {
  const [isShown, setShown] = useState(false)
  return (
    <div role="alert" className="sheet mb-3 grid gap-2 border-l-4 px-4 py-3" style={{ borderLeftColor: 'var(--red)' }}>
      <p>
        <b>{theirs.editedBy ?? 'Somebody'}</b> saved a newer version of this page and changed the same place as you. Yours is what you see
        here; theirs is saved. Whichever you choose, theirs stays in the page’s history.
      </p>
      <p className="flex flex-wrap gap-2.5">
        <button type="button" className="button" onClick={onTheirs}>
          Take theirs
        </button>
        <button type="button" className="button" onClick={onMine}>
          Put mine on top
        </button>
        <button type="button" className="button button-plain" aria-expanded={isShown} onClick={() => setShown(!isShown)}>
          {isShown ? 'Hide both' : 'Show both'}
        </button>
      </p>
      {isShown && (
        <div className="max-h-[40dvh] overflow-y-auto">
          <Comparison before={theirs.source} after={mine} names={['theirs', 'yours']} />
        </div>
      )}
    </div>
  )
}
