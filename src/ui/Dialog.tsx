import { Dialog as Primitive } from '@base-ui/react/dialog'
import { X } from 'lucide-react'
import type { ReactNode } from 'react'

/** A window over the screen: closes with Escape, keeps the focus, gives it back. */
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
  return (
    <Primitive.Root open={isOpen} onOpenChange={(open) => !open && onClose()}>
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
          <div className={`min-h-0 overflow-y-auto px-5 py-4 ${isFull ? 'flex-1' : ''}`}>{children}</div>
        </Primitive.Popup>
      </Primitive.Portal>
    </Primitive.Root>
  )
}
