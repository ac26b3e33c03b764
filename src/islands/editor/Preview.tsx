import { useEffect, useMemo, useRef, useState } from 'react'
import { deliverSource, type PageNotes } from '../../core/content/index.ts'
import type { CompiledSite } from '../../core/rules/index.ts'
import { Dialog } from '../../ui/Dialog.tsx'
import { Either } from '../../ui/Either.tsx'
import type { Parts } from './frame/things.ts'

const WIDTHS = { phone: 390, desk: 1280 } as const
/** Room there is for the page in the window. */
const ROOM_PX = 1080

/** The draft as readers would get it: shared parts in it, the rules applied, on the site's own look, at two widths. */
export function Preview({
  text,
  notes,
  path,
  address,
  site,
  parts,
  waiting,
  files,
  onClose,
}: {
  text: string
  notes: PageNotes
  path: string
  address: string
  site: CompiledSite
  parts: Parts
  waiting: readonly string[]
  files: string
  onClose: () => void
}) {
  const [width, setWidth] = useState<keyof typeof WIDTHS>('desk')
  const place = useRef<HTMLIFrameElement>(null)
  const html = useMemo(
    () => deliverSource(text, site, { path, ...notes, waiting, findPart: (kind, name) => parts[`${kind} ${name}`] ?? null }).html,
    [text, notes, site, path, waiting, parts],
  )
  useEffect(() => {
    const onMessage = ({ source, data }: MessageEvent<{ type?: string }>): void => {
      if (source === place.current?.contentWindow && data.type === 'ready')
        place.current?.contentWindow?.postMessage({ type: 'preview', html, base: address, files }, '*')
    }
    addEventListener('message', onMessage)
    return () => removeEventListener('message', onMessage)
  }, [html, address, files])
  const scale = Math.min(1, ROOM_PX / WIDTHS[width])
  return (
    <Dialog title="Preview" isOpen onClose={onClose} isFull>
      <div className="flex h-full flex-col gap-3">
        <Either
          label="Width"
          value={width}
          options={[
            ['desk', 'Desk, 1280'],
            ['phone', 'Phone, 390'],
          ]}
          onChange={setWidth}
        />
        <div className="min-h-0 flex-1 overflow-auto">
          <iframe
            ref={place}
            src="/pages/frame"
            title="The page as readers would get it"
            sandbox="allow-scripts"
            className="sheet mx-auto block bg-white"
            style={{ width: WIDTHS[width], height: `calc(100% / ${scale})`, transform: `scale(${scale})`, transformOrigin: 'top left' }}
          />
        </div>
      </div>
    </Dialog>
  )
}
