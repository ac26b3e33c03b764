import { Toolbar } from '@base-ui/react/toolbar'
import { useSortable } from '@dnd-kit/sortable'
import { CSS } from '@dnd-kit/utilities'
import { Copy, GripVertical, ToggleLeft, ToggleRight, Trash2 } from 'lucide-react'
import type { Rule } from '../../core/rules/index.ts'

export function OneRule({
  rule,
  number,
  sentence,
  isOpen,
  canEdit,
  warnings,
  onOpen,
  onMove,
  onCopy,
  onSwitch,
  onRemove,
  children,
}: {
  rule: Rule
  number: number
  sentence: string
  isOpen: boolean
  canEdit: boolean
  warnings: readonly string[]
  onOpen: () => void
  onMove: (by: number) => void
  onCopy: () => void
  onSwitch: () => void
  onRemove: () => void
  children: React.ReactNode
}) {
  const { attributes, listeners, setNodeRef, transform, transition, isDragging } = useSortable({ id: rule.id })
  const onKey = (event: React.KeyboardEvent): void => {
    if (!canEdit || !event.altKey || (event.key !== 'ArrowUp' && event.key !== 'ArrowDown')) return
    event.preventDefault()
    onMove(event.key === 'ArrowUp' ? -1 : 1)
  }
  return (
    <li
      ref={setNodeRef}
      className={`sheet relative ${rule.isOn ? '' : 'text-ink-soft'} ${isDragging ? 'z-10' : ''}`}
      style={{ transform: CSS.Translate.toString(transform), transition }}
      // From wherever one is in it, open or closed; fields have a use of their own for these keys.
      onKeyDown={(event) => {
        if (!(event.target as HTMLElement).matches('input, select, textarea')) onKey(event)
      }}
    >
      <div className="flex items-start gap-2.5 py-3 pr-3 pl-1.5">
        {canEdit ? (
          <button
            type="button"
            className="mt-1 cursor-grab px-0.5 text-ink-soft"
            aria-label={`Move rule ${number}`}
            title="Drag, or Alt and the arrow keys"
            {...attributes}
            {...listeners}
            data-rule-grip={rule.id}
            onKeyDown={(event) => {
              if (!event.altKey) listeners?.onKeyDown?.(event)
            }}
          >
            <GripVertical size={16} aria-hidden="true" />
          </button>
        ) : (
          <span className="w-2" />
        )}
        <span
          className="mt-0.5 grid size-7 shrink-0 place-items-center rounded-full border-2 font-display text-[14px]"
          style={{ borderColor: 'var(--rope)' }}
        >
          {number}
        </span>
        <button type="button" className="min-w-0 flex-1 text-left" aria-expanded={isOpen} data-rule={rule.id} onClick={onOpen}>
          <b className="block font-semibold">{rule.name === '' ? 'New rule' : rule.name}</b>
          <span className="block text-ink-soft [overflow-wrap:anywhere]">
            {sentence}
            {rule.isBinding && ' Binding: also over what was set by hand.'}
            {!rule.isOn && ' Off.'}
          </span>
          {warnings.map((words) => (
            <span key={words} className="mt-0.5 block text-[13.5px] text-rope-text">
              {words}
            </span>
          ))}
        </button>
        {canEdit && (
          <Toolbar.Root className="flex shrink-0" aria-label={`Rule ${number}`}>
            <IconButton label={rule.isOn ? `Switch rule ${number} off` : `Switch rule ${number} on`} onClick={onSwitch}>
              {rule.isOn ? <ToggleRight size={18} aria-hidden="true" /> : <ToggleLeft size={18} aria-hidden="true" />}
            </IconButton>
            <IconButton label={`Copy rule ${number}`} onClick={onCopy}>
              <Copy size={15} aria-hidden="true" />
            </IconButton>
            <IconButton label={`Take rule ${number} away`} onClick={onRemove}>
              <Trash2 size={16} aria-hidden="true" />
            </IconButton>
          </Toolbar.Root>
        )}
      </div>
      {isOpen && children}
    </li>
  )
}

function IconButton({
  label,
  isOff = false,
  onClick,
  children,
}: {
  label: string
  isOff?: boolean
  onClick: () => void
  children: React.ReactNode
}) {
  return (
    <Toolbar.Button className="button button-plain !px-2" aria-label={label} title={label} disabled={isOff} onClick={onClick}>
      {children}
    </Toolbar.Button>
  )
}
