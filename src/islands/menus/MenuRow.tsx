import { useSortable } from '@dnd-kit/sortable'
import { CSS } from '@dnd-kit/utilities'
import { GripVertical } from 'lucide-react'
import type { KeyboardEvent } from 'react'
import { readableAddress } from '../../core/address/index.ts'
import type { FlatEntry } from '../../core/menus/index.ts'

/** One level deeper for each of these many pixels that an entry is dragged to the right. */
export const DEPTH_PX = 28

/** One entry: dragged by its grip, moved and renamed by keys. */
export function MenuRow({
  entry,
  shift,
  canEdit,
  isChosen,
  isMarked,
  onChoose,
  onMark,
  onKey,
}: {
  entry: FlatEntry
  shift: number
  canEdit: boolean
  isChosen: boolean
  isMarked: boolean
  onChoose: () => void
  onMark: () => void
  onKey: (event: KeyboardEvent) => void
}) {
  const { attributes, listeners, setNodeRef, transform, transition, isDragging } = useSortable({ id: entry.id })
  const depth = Math.max(0, entry.depth + (isDragging ? shift : 0))
  return (
    <li
      ref={setNodeRef}
      style={{
        transform: CSS.Translate.toString(transform === null ? null : { ...transform, x: 0 }),
        transition,
        marginLeft: depth * DEPTH_PX,
        zIndex: isDragging ? 2 : undefined,
        position: 'relative',
      }}
    >
      <div className={`sheet flex items-center gap-2 pr-3 ${isChosen ? '!border-ink' : ''} ${isDragging ? 'opacity-80' : ''}`}>
        {canEdit && (
          <button
            type="button"
            className="cursor-grab px-1.5 py-2.5 text-ink-soft"
            aria-label={`Move ${entry.label}`}
            {...attributes}
            {...listeners}
            onKeyDown={(event) => {
              if (event.altKey) onKey(event)
              else listeners?.onKeyDown?.(event)
            }}
            data-grip={entry.id}
          >
            <GripVertical size={16} aria-hidden="true" />
          </button>
        )}
        <button
          type="button"
          data-entry={entry.id}
          aria-pressed={isChosen}
          className="min-w-0 flex-1 py-2 text-left"
          onClick={onChoose}
          onKeyDown={onKey}
        >
          <span className="block truncate font-semibold">{entry.label}</span>
          <span className="sr-only">, level {entry.depth + 1}, </span>
          <span className="address block truncate text-ink-soft">{readableAddress(entry.href === '' ? 'leads nowhere' : entry.href)}</span>
        </button>
        {entry.kind === 'title' && canEdit && (
          <label className="note flex items-center gap-1.5">
            <input type="checkbox" checked={isMarked} onChange={onMark} aria-label={`Choose the title ${entry.label}`} />
          </label>
        )}
        <span className="note shrink-0">{entry.kind}</span>
      </div>
    </li>
  )
}
