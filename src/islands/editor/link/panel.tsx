import { useEffect, useRef, useState } from 'react'
import { toast } from 'sonner'
import { type PatchSet, scanLinks } from '../../../core/markup/index.ts'
import type { Result } from '../../../core/result.ts'
import type { CompiledSite, DeliveredLink } from '../../../core/rules/index.ts'
import { useUnsaved } from '../../../ui/unsaved.ts'
import type { Analysis } from '../analysis.ts'
import { type Choice, changeLink } from '../choice.ts'
import type { PageDraft } from '../draft.ts'
import type { Stretch } from '../frame/messages.ts'
import { LinkField } from './LinkField.tsx'

/** What every panel beside the page is given. */
export interface PanelProps {
  choice: Choice
  analysis: Analysis
  draft: PageDraft
  pageId: string
  path: string
  site: CompiledSite
  canEdit: boolean
  /** Outside links that this person makes wait for an editor. */
  waits: boolean
  /** An address that was pasted or dropped and could not be taken as it is. */
  typed: string
  /** Where the caret stands in the source, or what is selected begins. */
  caret: number
  /** A link that is on its way to other words. */
  moving: DeliveredLink | null
  onMove: (link: DeliveredLink | null) => void
  onChoose: (choice: Choice) => void
  onPoint: (at: Stretch) => void
}

const REFUSED: Readonly<Record<string, string>> = {
  'nothing-selected': 'Select some words first.',
  'not-text': 'A link cannot go around this. Select words of a paragraph, a heading or a list.',
  'link-not-found': 'This link is no longer there.',
}

/** Puts a change into the draft, or says why it cannot be. */
export function applyTo(draft: PageDraft, analysis: Analysis, patches: Result<PatchSet>): boolean {
  if (!patches.ok) toast.error(REFUSED[patches.fault] ?? 'This change cannot be made here.')
  else if (!draft.changeFrom(analysis.text, patches.value)) toast.error('This place has just changed. Choose it again.')
  else return true
  return false
}

/** Chooses the first link with that destination from an offset on, and puts the caret into it. */
export function showLinkAt({ draft, onChoose, onPoint }: Pick<PanelProps, 'draft' | 'onChoose' | 'onPoint'>, from: number): void {
  const made = scanLinks(draft.state.text).links.find(({ end }) => end > from)
  if (made === undefined) return onChoose({ kind: 'nothing' })
  onChoose({ kind: 'link', start: made.start })
  if (made.hasText) onPoint({ from: made.end + 1, to: made.end + 1 })
}

/** Calls `leave` once, when whatever uses this goes away. */
export function useLeaving(leave: () => void): void {
  const newest = useRef(leave)
  newest.current = leave
  useEffect(() => () => newest.current(), [])
}

/**
 * The destination of a link, changed in one field. A new destination counts once the field is left, as it would in a form;
 * what is none yet is told, never dropped in silence.
 */
export function DestinationField({
  chosen,
  analysis,
  draft,
  path,
  site,
  onChanged,
}: Pick<PanelProps, 'analysis' | 'draft' | 'path' | 'site'> & { chosen: DeliveredLink; onChanged?: () => void }) {
  const { link } = chosen
  const [field, setField] = useState<{ typed: string; destination: string | null }>({ typed: link.href, destination: link.href })
  const [known, setKnown] = useState(link.href)
  if (known !== link.href) {
    setKnown(link.href)
    setField({ typed: link.href, destination: link.href })
  }
  const isChanged = field.typed.trim() !== link.href
  useUnsaved(isChanged)
  const save = (destination: string | null): void => {
    if (destination === null || destination === link.href) return
    if (!applyTo(draft, analysis, changeLink(analysis.text, chosen, { href: destination }))) return
    setField({ typed: destination, destination })
    onChanged?.()
  }
  /** What was typed and not saved when the field, or the link, is left. */
  const settle = (): void => {
    if (!isChanged || link.href !== known) return
    if (field.destination !== null) save(field.destination)
    else if (field.typed.trim() === '') setField({ typed: link.href, destination: link.href })
    else toast(`“${field.typed.trim()}” is no destination yet. The link still leads to ${link.href}.`, { id: 'half made' })
  }
  useLeaving(settle)
  return (
    // biome-ignore lint/a11y/useSemanticElements: a fieldset would need a legend, and the field has its label
    <div
      role="group"
      aria-label="Destination"
      className="grid gap-2"
      onBlur={({ currentTarget, relatedTarget }) => {
        if (!currentTarget.contains(relatedTarget)) settle()
      }}
    >
      <LinkField
        label="Leads to"
        around={site.around(path)}
        site={site}
        path={path}
        value={field.typed}
        onChange={(typed, destination) => setField({ typed, destination })}
        onEnter={save}
      />
      {isChanged && field.destination !== null && (
        <p>
          <button type="button" className="button button-main" onClick={() => save(field.destination)}>
            Change the destination
          </button>
        </p>
      )}
    </div>
  )
}
