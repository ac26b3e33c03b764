import { useState } from 'react'
import { toast } from 'sonner'
import { type PatchSet, scanLinks } from '../../core/markup/index.ts'
import type { Result } from '../../core/result.ts'
import type { CompiledSite, DeliveredLink } from '../../core/rules/index.ts'
import type { Analysis } from './analysis.ts'
import { type Choice, changeLink } from './choice.ts'
import type { PageDraft } from './draft.ts'
import type { Stretch } from './frame/messages.ts'
import { LinkField } from './LinkField.tsx'

/** What every panel beside the page is given. */
export interface PanelProps {
  choice: Choice
  analysis: Analysis
  draft: PageDraft
  path: string
  site: CompiledSite
  canEdit: boolean
  /** An address that was pasted or dropped and could not be taken as it is. */
  typed: string
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

/** The destination of a link, changed in one field. */
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
  const isChanged = field.typed.trim() !== link.href && field.destination !== null
  const save = (destination: string | null): void => {
    if (destination === null || destination === link.href) return
    if (!applyTo(draft, analysis, changeLink(analysis.text, chosen, { href: destination }))) return
    setField({ typed: destination, destination })
    onChanged?.()
  }
  return (
    <div className="grid gap-2">
      <LinkField
        label="Leads to"
        around={site.around(path)}
        site={site}
        path={path}
        value={field.typed}
        onChange={(typed, destination) => setField({ typed, destination })}
        onEnter={save}
      />
      {isChanged && (
        <p>
          <button type="button" className="button button-main" onClick={() => save(field.destination)}>
            Change the destination
          </button>
        </p>
      )}
    </div>
  )
}
