import { useRef, useState } from 'react'
import { toast } from 'sonner'
import { readableAddress } from '../../../core/address/index.ts'
import { isBareAddress } from '../../../core/content/index.ts'
import { linkText } from '../../../core/markup/index.ts'
import type { HandAnswers } from '../../../core/rules/index.ts'
import { Tag } from '../../../ui/Tag.tsx'
import { useUnsaved } from '../../../ui/unsaved.ts'
import { type Choice, makeLink, prospect } from '../choice.ts'
import { LinkField, readDestination } from './LinkField.tsx'
import { applyTo, type PanelProps, showLinkAt, useLeaving } from './panel.tsx'
import { FileQuestion, Questions } from './Questions.tsx'

/** Links the chosen words: the destination first, and right under it the button that does it. */
export function NewLink(props: PanelProps & { choice: Extract<Choice, { kind: 'words' }> }) {
  const { choice, analysis, draft, path, site, typed, onChoose } = props
  const around = site.around(path)
  const begun = typed !== '' ? typed : isBareAddress(choice.words) ? choice.words.trim() : ''
  const [field, setField] = useState<{ typed: string; destination: string | null }>(() => ({
    typed: begun,
    destination: readDestination(begun, around).destination,
  }))
  const [answers, setAnswers] = useState<HandAnswers>({})
  const [downloads, setDownloads] = useState(site.setup.downloadsFiles === true)
  const isDone = useRef(false)
  useUnsaved(field.typed.trim() !== '' && field.typed !== begun)
  const link = (destination: string): boolean => {
    const isFile = prospect(site, path, destination, answers).facts.kind === 'file'
    return applyTo(draft, analysis, makeLink(analysis.text, choice, destination, answers, isFile && downloads))
  }
  const make = (destination: string | null): void => {
    if (destination === null || !link(destination)) return
    isDone.current = true
    showLinkAt(props, choice.from)
  }
  useLeaving(() => {
    if (isDone.current || field.typed.trim() === '' || field.typed === begun) return
    const { destination } = field
    if (destination === null)
      return void toast(`“${choice.words}” was not linked: “${field.typed.trim()}” is no destination yet.`, { id: 'half made' })
    toast(`“${choice.words}” was not linked to ${destination}.`, {
      id: 'half made',
      action: { label: 'Link the words', onClick: () => link(destination) },
    })
  })
  const going = analysis.delivered.filter(({ link }) => link.element === 'a' && link.start < choice.to && link.outerEnd > choice.from)
  const shown = field.destination === null ? null : prospect(site, path, field.destination, answers, { ...analysis, words: choice.words })
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-4">
      <h2 className="text-[18px] [overflow-wrap:anywhere]">
        Link “{choice.words.length > 90 ? `${choice.words.slice(0, 90)}…` : choice.words}”
      </h2>
      <LinkField
        label="Where does it lead?"
        around={around}
        site={site}
        path={path}
        value={field.typed}
        onChange={(next, destination) => setField({ typed: next, destination })}
        onEnter={make}
      />
      {going.length > 0 && (
        <div role="note" className="sheet border-l-4 px-3 py-2 text-[14px]" style={{ borderLeftColor: 'var(--rope)' }}>
          <p>{going.length === 1 ? 'A link in these words would go:' : `${going.length} links in these words would go:`}</p>
          <ul className="mt-1 grid gap-0.5">
            {going.slice(0, 5).map(({ link }) => (
              <li key={link.start} className="truncate">
                {linkText(analysis.text, link) || 'a picture'} <span className="address text-ink-soft">{readableAddress(link.href)}</span>
              </li>
            ))}
          </ul>
        </div>
      )}
      <div className="flex flex-wrap gap-2.5">
        <button type="button" className="button button-main" disabled={field.destination === null} onClick={() => make(field.destination)}>
          Link the words
        </button>
        <button
          type="button"
          className="button button-plain"
          onClick={() => {
            isDone.current = true
            onChoose({ kind: 'nothing' })
          }}
        >
          Not now
        </button>
      </div>
      {shown !== null && (
        <>
          {shown.facts.kind === 'file' && <FileQuestion downloads={downloads} isReadOnly={false} onAnswer={setDownloads} />}
          <Questions
            decision={shown.decision}
            answers={answers}
            isReadOnly={false}
            waits={props.waits && shown.facts.isOutside}
            onAnswer={setAnswers}
          />
          <Tag tag={shown.tag} before="" />
        </>
      )}
    </div>
  )
}
