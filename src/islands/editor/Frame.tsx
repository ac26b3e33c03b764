import { Link2 } from 'lucide-react'
import { useCallback, useEffect, useImperativeHandle, useRef, useState } from 'react'
import { scanLinks } from '../../core/markup/index.ts'
import { relTokens, strandOf } from '../../core/rules/index.ts'
import type { Analysis } from './analysis.ts'
import type { Choice, Selected } from './choice.ts'
import { rememberCopied, withoutForeignMarks } from './copied.ts'
import type { PageDraft } from './draft.ts'
import type { Command, DrawnLink, FromFrame, Key, Spot, Standing, Stretch, ToFrame } from './frame/messages.ts'
import type { Parts } from './frame/things.ts'
import { caretAfter, Mirror } from './mirror.ts'

export interface FrameHandle {
  point(at: Stretch, isFocused?: boolean): void
  run(command: Command): void
}

interface FrameProps {
  handle: React.Ref<FrameHandle>
  title: string
  draft: PageDraft
  analysis: Analysis
  choice: Choice
  /** Absolute address of the page, for its pictures and styles. */
  address: string
  /** Path on the studio's host from which the site's files are shown. */
  files: string
  parts: Parts
  canEdit: boolean
  /** Where the caret stood in the other mode. */
  select: Stretch | null
  /** @param isEcho - it moved because the text changed elsewhere */
  onSelect: (selected: Selected, isEcho: boolean) => void
  onStanding: (standing: Standing) => void
  onLinkIn: (thing: number, ordinal: number) => void
  onPictureIn: (thing: number, ordinal: number) => void
  onPart: (part: string) => void
  /** Somebody tried to write on the header or another part around the text. */
  onClosedPart: (name: string, open: () => void) => void
  /** What was written would not have been read as it was shown. */
  onDiffered: (how: Extract<FromFrame, { type: 'differed' }>['how']) => void
  onKey: (key: Key) => void
  onAddress: (text: string) => void
  /** What was pasted, as it is to come in. */
  onPiece: (html: string) => string
  onFiles: (files: readonly File[]) => void
  /** The page cannot be written on here. */
  onClosed: () => void
}

/** Underlines that carry the strand's meaning, in the page itself. */
const CSS = (() => {
  const line = (strand: string, style: string): string =>
    `[data-rope-strand="${strand}"]{text-decoration:underline ${style}!important;text-underline-offset:4px!important}`
  return `${line('vouched', 'solid #24716A 2px') + line('nofollow', 'dashed #7E5A28 2px') + line('sponsored', 'double #7E5A28 2px') + line('ugc', 'dotted #51616E 2.5px')}a:has([data-rope-strand]){text-decoration:none!important}[data-rope-chosen]{outline:2px solid #B98D4F!important;outline-offset:3px;background:#F3E3BF!important;color:#16283A!important;border-radius:2px}a img:not(.ProseMirror-separator){outline:1.5px dashed #B98D4F;outline-offset:2px}`
})()

/** The page as readers see it, written on in place: a frame of its own origin, kept the same as the draft. */
export function Frame(props: FrameProps) {
  const { handle, draft, analysis, choice } = props
  const place = useRef<HTMLIFrameElement>(null)
  const newest = useRef(props)
  newest.current = props
  const [mirror] = useState(() => new Mirror(draft))
  const [isShown, setShown] = useState(false)
  const [ends, setEnds] = useState<Spot | null>(null)
  const tell = useCallback((message: ToFrame): void => place.current?.contentWindow?.postMessage(message, '*'), [])

  useEffect(() => {
    const onMessage = ({ source, data }: MessageEvent<FromFrame>): void => {
      if (source !== place.current?.contentWindow) return
      const now = newest.current
      switch (data.type) {
        case 'ready':
          return tell({
            type: 'show',
            ...mirror.start(),
            base: now.address,
            files: now.files,
            css: CSS,
            isEditable: now.canEdit,
            parts: now.parts,
          })
        case 'shown':
          setShown(true)
          if (data.isClosed) now.onClosed()
          if (now.select !== null) tell({ type: 'point', at: now.select, isFocused: true })
          return
        case 'edit': {
          mirror.take(data)
          const sync = mirror.catchUp()
          if (sync !== null) tell({ type: 'sync', ...sync, select: null })
          return
        }
        case 'select':
          now.onStanding(data.standing)
          setEnds(data.words === '' ? null : data.ends)
          if (mirror.holds(data)) now.onSelect({ ...data.at, words: data.words }, data.isEcho)
          return
        case 'link in thing':
          return now.onLinkIn(data.at, data.ordinal)
        case 'part':
          return now.onPart(data.part)
        case 'closed part':
          return now.onClosedPart(data.name, () => tell({ type: 'open part', at: data.at }))
        case 'differed':
          return now.onDiffered(data.how)
        case 'picture in thing':
          return now.onPictureIn(data.at, data.ordinal)
        case 'key':
          return now.onKey(data.key)
        case 'address':
          return now.onAddress(data.text)
        case 'copied':
          return rememberCopied(data.html, localStorage)
        case 'piece':
          return tell({ type: 'command', command: { name: 'paste', html: now.onPiece(withoutForeignMarks(data.html, localStorage)) } })
        case 'files':
          return now.onFiles(data.files)
      }
    }
    addEventListener('message', onMessage)
    return () => removeEventListener('message', onMessage)
  }, [mirror, tell])

  // What changed elsewhere (the panel, an undo, somebody else) goes into the frame; what came from there is in it.
  useEffect(() => {
    let before = draft.state.text
    return draft.subscribe(() => {
      const { text, isTyping, isTurn } = draft.state
      // What is being looked after stays chosen, whatever the panel changes about it.
      const caret = isTurn && newest.current.choice.kind !== 'picture' ? caretAfter(before, text) : null
      before = text
      if (isTyping) return
      const sync = mirror.catchUp()
      if (sync !== null) tell({ type: 'sync', ...sync, select: caret })
    })
  }, [draft, mirror, tell])

  useEffect(() => {
    if (!isShown || analysis.text !== draft.state.text) return
    const chosen = choice.kind === 'link' ? choice.start : null
    const links: DrawnLink[] = analysis.delivered.map(({ link, decision }) => ({
      from: link.end,
      to: link.contentEnd,
      strand: strandOf(relTokens(decision.rel)),
      isChosen: link.start === chosen,
    }))
    tell({ type: 'draw', sync: mirror.sync, ack: mirror.ack, links })
  }, [analysis, choice, isShown, draft, mirror, tell])

  useImperativeHandle(handle, () => ({
    point: (at, isFocused = false) => tell({ type: 'point', at, isFocused }),
    run: (command) => tell({ type: 'command', command }),
  }))
  return (
    <div className="relative flex min-h-0 flex-1">
      <iframe
        ref={place}
        src="/pages/frame"
        title={`The page ${props.title}`}
        className={`sheet w-full bg-white ${props.canEdit ? 'rounded-t-none' : ''}`}
        sandbox="allow-scripts"
        data-shown={isShown}
      />
      {props.canEdit && ends !== null && choice.kind === 'words' && (
        <button
          type="button"
          className="button absolute z-10 !min-h-8 !px-2.5 !py-0.5 shadow-md"
          style={{
            left: `clamp(4px, ${Math.round(ends.left - 40)}px, calc(100% - 124px))`,
            top: `min(${Math.round(ends.bottom + 8)}px, calc(100% - 40px))`,
          }}
          tabIndex={-1}
          onMouseDown={(event) => event.preventDefault()}
          onClick={() => props.onKey('link')}
        >
          <Link2 size={15} aria-hidden="true" />
          Link these
        </button>
      )}
    </div>
  )
}

/** The link that is the n-th within a thing that is kept as it is. */
export function linkInThing(text: string, thing: number, ordinal: number): number | null {
  return scanLinks(text).links.filter(({ start }) => start >= thing)[ordinal]?.start ?? null
}
