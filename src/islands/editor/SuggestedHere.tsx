import { type RefObject, useImperativeHandle } from 'react'
import type { Suggested } from '../../contract/phrases.ts'
import { readableAddress } from '../../core/address/index.ts'
import type { Selected } from './choice.ts'
import type { PanelProps } from './link/panel.tsx'
import { useSuggested } from './link/suggested.ts'

export interface SuggestedHandle {
  /** Links the phrase that the caret stands in. */
  take(): void
}

/** The phrase that the caret stands in, where it is one worth linking: one key takes it. */
export function SuggestedHere({
  handle,
  selected: { from, to },
  ...place
}: Pick<PanelProps, 'pageId' | 'analysis' | 'draft' | 'path' | 'site'> & {
  handle: RefObject<SuggestedHandle | null>
  selected: Selected
}) {
  const { items, link, isBusy } = useSuggested(place)
  const here: Suggested | undefined = items.find((each) => each.from <= from && to <= each.to)
  useImperativeHandle(handle, () => ({ take: () => here !== undefined && !isBusy && link(here) }))
  return (
    // Over the foot of the page: a line that comes and goes with the caret must not move what is written.
    <p role="status" className="relative">
      {here !== undefined && (
        <span
          className="sheet absolute inset-x-2 bottom-2 flex items-baseline gap-2 bg-sun px-3 py-1.5 text-[14px]"
          style={{ boxShadow: 'var(--shadow)' }}
        >
          <span className="min-w-0 truncate">
            “{here.sentence.words}” is worth a link to{' '}
            <span className="address">{readableAddress(here.leadsTo.replace(/^https?:\/\//, ''))}</span>
          </span>
          <button
            type="button"
            className="shrink-0 underline underline-offset-3"
            disabled={isBusy}
            onMouseDown={(event) => event.preventDefault()}
            onClick={() => link(here)}
          >
            Link it <kbd>Ctrl Enter</kbd>
          </button>
        </span>
      )}
    </p>
  )
}
