import { Dialog as Primitive } from '@base-ui/react/dialog'
import { X } from 'lucide-react'
import { type ReactNode, useMemo, useRef, useState } from 'react'
import { FilledInContext } from './sending.ts'
import { useUnsaved } from './unsaved.ts'

/** A window over the screen: closes with Escape, keeps the focus, gives it back. What was filled in is asked about before it goes. */
export function Dialog({
  title,
  isOpen,
  onClose,
  children,
  isWide = false,
  isFull = false,
}: {
  title: string
  isOpen: boolean
  onClose: () => void
  children: ReactNode
  isWide?: boolean
  /** As large as the screen lets it be. */
  isFull?: boolean
}) {
  const [isFilledIn, setFilledIn] = useState(false)
  const [isAsking, setAsking] = useState(false)
  useUnsaved(isOpen && isFilledIn)
  /** Takes back what waits for the connection. */
  const waiting = useRef<(() => void) | null>(null)
  const filledIn = useMemo(
    () => ({
      saved: () => setFilledIn(false),
      waits: (takeBack: (() => void) | null) => {
        waiting.current = takeBack
      },
    }),
    [],
  )
  const leave = (): void => {
    if (waiting.current !== null) waiting.current()
    else if (isFilledIn && !isAsking) setAsking(true)
    else onClose()
  }
  return (
    <Primitive.Root open={isOpen} onOpenChange={(open) => !open && leave()}>
      <Primitive.Portal>
        <Primitive.Backdrop className="fixed inset-0 z-40 bg-[rgb(10_19_27/0.5)]" />
        <Primitive.Popup
          className={`sheet fixed top-1/2 left-1/2 z-50 flex max-h-[88dvh] w-[calc(100vw-24px)] -translate-x-1/2 -translate-y-1/2 flex-col ${isFull ? 'h-[94dvh] max-h-[94dvh] max-w-[1140px]' : isWide ? 'max-w-[960px]' : 'max-w-[560px]'}`}
          style={{ boxShadow: 'var(--shadow)' }}
        >
          <header className="flex items-center justify-between gap-3 border-b px-5 py-3">
            <Primitive.Title className="text-[19px]">{title}</Primitive.Title>
            <Primitive.Close className="button button-plain !px-2" aria-label="Close">
              <X size={18} aria-hidden="true" />
            </Primitive.Close>
          </header>
          {isAsking && (
            <div
              role="alertdialog"
              aria-label="Close without saving?"
              className="flex flex-wrap items-center gap-3 border-b bg-sun px-5 py-2.5"
            >
              <p className="flex-1">What you filled in here is not saved.</p>
              <button type="button" className="button" onClick={onClose}>
                Close without saving
              </button>
              {/* biome-ignore lint/a11y/noAutofocus: the question stands in the way of whoever asked to close */}
              <button type="button" className="button button-main" autoFocus onClick={() => setAsking(false)}>
                Go on
              </button>
            </div>
          )}
          <div
            className={`min-h-0 overflow-y-auto px-5 py-4 ${isFull ? 'flex-1' : ''}`}
            onInput={({ target }) => isOfForm(target) && setFilledIn(true)}
          >
            <FilledInContext value={filledIn}>{children}</FilledInContext>
          </div>
        </Primitive.Popup>
      </Primitive.Portal>
    </Primitive.Root>
  )
}

/** A field that something is saved from; one that only narrows a list is none. */
const isOfForm = (field: EventTarget): boolean =>
  field instanceof Element && field.closest('form') !== null && !field.matches('[type=search]')
