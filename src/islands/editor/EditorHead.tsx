import { ExternalLink, History as HistoryIcon, MonitorSmartphone, Redo2, Signpost, Undo2 } from 'lucide-react'
import type { PageSource } from '../../contract/pages.ts'
import { Either } from '../../ui/Either.tsx'
import type { PageDraft } from './draft.ts'
import { useDraftState } from './draft-state.ts'
import { PresenceLine } from './Presence.tsx'
import { Quick } from './Quick.tsx'

/** Which page it is, who else is at it, and what can be done with the whole of it. */
export function EditorHead({
  source,
  draft,
  mode,
  canEdit,
  canPublish,
  onTurn,
  onOpen,
  onMode,
}: {
  source: PageSource
  draft: PageDraft
  mode: 'page' | 'source'
  canEdit: boolean
  /** May move pages, and take them away. */
  canPublish: boolean
  onTurn: (way: 'undo' | 'redo') => void
  onOpen: (what: 'history' | 'preview' | 'address') => void
  onMode: (mode: 'page' | 'source') => void
}) {
  const canUndo = useDraftState(draft, (state) => state.canUndo)
  const canRedo = useDraftState(draft, (state) => state.canRedo)
  return (
    <header className="flex flex-wrap items-center gap-x-2 gap-y-1 pb-2">
      <h1 className="min-w-0 truncate text-[20px]">{source.title}</h1>
      {source.kind === 'page' ? (
        <a className="address truncate text-ink-soft" title={source.path} href={source.address} target="_blank" rel="noopener">
          <span className="max-[1500px]:hidden">{source.path} </span>
          <ExternalLink size={13} aria-hidden="true" className="inline" />
          <span className="sr-only">(live page, opens a new tab)</span>
        </a>
      ) : (
        <span className="note">shared block, {source.path.slice('block:'.length)}</span>
      )}
      {source.cameAs === 'markdown' && (
        <span className="note" title="It was brought in as Markdown, so it is taken out as Markdown, with what changed here.">
          goes out as .md
        </span>
      )}
      <PresenceLine pageId={source.id} />
      <span className="flex-1" />
      {canEdit && (
        <span className="flex">
          <Quick label="Undo (Ctrl+Z)" isOff={!canUndo} onClick={() => onTurn('undo')}>
            <Undo2 size={17} aria-hidden="true" />
          </Quick>
          <Quick label="Redo (Ctrl+Y)" isOff={!canRedo} onClick={() => onTurn('redo')}>
            <Redo2 size={17} aria-hidden="true" />
          </Quick>
        </span>
      )}
      {canPublish && source.kind === 'page' && (
        <Quick label="Move it or take it away" onClick={() => onOpen('address')}>
          <Signpost size={17} aria-hidden="true" />
        </Quick>
      )}
      <Quick label="History" onClick={() => onOpen('history')}>
        <HistoryIcon size={17} aria-hidden="true" />
      </Quick>
      <Quick label="Preview" onClick={() => onOpen('preview')}>
        <MonitorSmartphone size={17} aria-hidden="true" />
      </Quick>
      <Either
        label="Show"
        value={mode}
        options={[
          ['page', 'Page'],
          ['source', 'Source'],
        ]}
        onChange={onMode}
      />
    </header>
  )
}
