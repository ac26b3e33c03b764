import { Link2 } from 'lucide-react'
import type { ComponentProps } from 'react'
import { WritingBar } from './WritingBar.tsx'

/** What is done with what is chosen in the page: in the source only the link. */
export function Toolbar({
  standing,
  canEdit,
  canLink,
  onLink,
  onCommand,
  onPicture,
  onButton,
  onBanner,
}: Omit<ComponentProps<typeof WritingBar>, 'standing'> & {
  /** Left out where nothing is written by buttons. */
  standing: ComponentProps<typeof WritingBar>['standing'] | undefined
  canEdit: boolean
  /** Something is chosen that can be linked. */
  canLink: boolean
  onLink: () => void
}) {
  return (
    <div className="sheet flex flex-wrap items-center gap-1.5 rounded-b-none border-b-0 px-1.5 py-1 max-xl:gap-y-1">
      {standing !== undefined && (
        <WritingBar standing={standing} onCommand={onCommand} onPicture={onPicture} onButton={onButton} onBanner={onBanner} />
      )}
      <span className="flex-1" />
      {canEdit && (
        <button
          type="button"
          className="button !min-h-8 !px-2.5 !py-0.5"
          title="Link (Ctrl K)"
          disabled={!canLink}
          onMouseDown={(event) => event.preventDefault()}
          onClick={onLink}
        >
          <Link2 size={16} aria-hidden="true" />
          Link <kbd className="max-[1400px]:hidden">Ctrl K</kbd>
        </button>
      )}
    </div>
  )
}
