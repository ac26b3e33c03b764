import { useState } from 'react'
import { type FlatEntry, LABEL_MAX_CHARS } from '../../core/menus/index.ts'
import type { CompiledSite, HandAnswers } from '../../core/rules/index.ts'
import { Tag } from '../../ui/Tag.tsx'
import { TextField } from '../../ui/TextField.tsx'
import { prospect } from '../editor/choice.ts'
import { LinkField } from '../editor/link/LinkField.tsx'
import { Questions } from '../editor/link/Questions.tsx'

/** One entry: its label, where it leads, how it opens, and what search engines are told. */
export function EntryPanel({
  entry,
  site,
  canEdit,
  onChange,
  onRemove,
}: {
  entry: FlatEntry
  site: CompiledSite
  canEdit: boolean
  onChange: (entry: FlatEntry) => void
  onRemove: () => void
}) {
  const [typed, setTyped] = useState(entry.href)
  const answers: HandAnswers = { opens: entry.opens, hints: entry.hints }
  const shown = entry.href === '' ? null : prospect(site, '/', entry.href, answers)
  const lead = (destination: string | null): void => {
    if (destination !== null) onChange({ ...entry, href: destination })
  }
  return (
    <section className="grid grid-cols-[minmax(0,1fr)] gap-3.5">
      <TextField
        label="Label"
        value={entry.label}
        maxLength={LABEL_MAX_CHARS}
        data-entry-label
        disabled={!canEdit}
        onChange={(label) => onChange({ ...entry, label })}
      />
      {canEdit && (
        <LinkField
          label={entry.kind === 'title' ? 'Leads to (a title may lead nowhere)' : 'Leads to'}
          around={site.around('/')}
          site={site}
          path="/"
          value={typed}
          onChange={(next, destination) => {
            setTyped(next)
            if (next.trim() === '' && entry.kind === 'title') onChange({ ...entry, href: '' })
            else if (destination !== null && /^[a-z]+:|^[/#]/i.test(destination)) lead(destination)
          }}
          onEnter={lead}
        />
      )}
      {shown !== null && (
        <>
          <Questions
            decision={shown.decision}
            answers={answers}
            isReadOnly={!canEdit}
            onAnswer={(next) => onChange({ ...entry, opens: next.opens, hints: next.hints === undefined ? undefined : [...next.hints] })}
          />
          <Tag tag={shown.tag} before="" />
        </>
      )}
      {canEdit && (
        <p>
          <button type="button" className="button" onClick={onRemove}>
            Take it out
          </button>
        </p>
      )}
    </section>
  )
}
