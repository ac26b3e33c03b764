import { useEffect, useId, useRef, useState } from 'react'
import { toast } from 'sonner'
import { findWords, linkText, type PatchSet, unwrapLink } from '../../core/markup/index.ts'
import type { Result } from '../../core/result.ts'
import { type CompiledSite, type DeliveredLink, type HandAnswers, opensNewTab, relTokens, strandOf } from '../../core/rules/index.ts'
import { Rope } from '../../ui/Rope.tsx'
import { Tag } from '../../ui/Tag.tsx'
import { answersOn, type Choice, changeLink, deliveredTag, makeLink, prospect } from './choice.ts'
import type { PageDraft } from './draft.ts'
import { FullRope } from './FullRope.tsx'
import type { ToFrame } from './frame-messages.ts'
import { LinkField, readDestination } from './LinkField.tsx'
import { Questions } from './Questions.tsx'

interface LinkPanelProps {
  choice: Choice
  chosen: DeliveredLink | null
  delivered: readonly DeliveredLink[]
  draft: PageDraft
  text: string
  path: string
  site: CompiledSite
  canEdit: boolean
  /** Pasted onto the page while words were selected. */
  pasted: { readonly text: string } | null
  onChoose: (choice: Choice) => void
  onPoint: (message: ToFrame) => void
}

/** Beside the page: the chosen words or link, its destination, the two questions, and the tag that comes of it. */
export function LinkPanel(props: LinkPanelProps) {
  const { choice, chosen, canEdit } = props
  if (choice.kind === 'words' && canEdit) return <NewLink {...props} choice={choice} />
  if (chosen !== null) return <OneLink {...props} chosen={chosen} />
  return <AllLinks {...props} />
}

const REFUSED: Readonly<Record<string, string>> = {
  'nothing-selected': 'Select some words first.',
  'not-text': 'A link cannot go around this. Select words of a paragraph, a heading or a list.',
  'link-not-found': 'This link is no longer there.',
}

/** Puts a change into the draft, or says why it cannot be. */
function apply(draft: PageDraft, patches: Result<PatchSet>): boolean {
  if (patches.ok) draft.change(patches.value)
  else toast.error(REFUSED[patches.fault] ?? 'This change cannot be made here.')
  return patches.ok
}

function NewLink({ choice, draft, text, path, site, pasted, onChoose }: LinkPanelProps & { choice: Extract<Choice, { kind: 'words' }> }) {
  const around = site.around(path)
  const [field, setField] = useState<{ typed: string; destination: string | null }>({ typed: '', destination: null })
  const [answers, setAnswers] = useState<HandAnswers>({})
  const make = (destination: string | null): void => {
    if (destination === null) return
    if (apply(draft, makeLink(text, choice, destination, answers))) onChoose({ kind: 'link', start: choice.from })
  }
  // Pasting an address over selected words links them. The key of this panel is the selection, so `pasted` is compared by identity.
  const taken = useRef(pasted)
  useEffect(() => {
    if (pasted === null || pasted === taken.current) return
    taken.current = pasted
    const { destination } = readDestination(pasted.text, around)
    setField({ typed: pasted.text.trim(), destination })
  }, [pasted, around])
  const shown = field.destination === null ? null : prospect(site, path, field.destination, answers)
  return (
    <div className="grid gap-4">
      <h2 className="text-[18px] [overflow-wrap:anywhere]">
        Link “{choice.words.length > 90 ? `${choice.words.slice(0, 90)}…` : choice.words}”
      </h2>
      <LinkField
        label="Where does it lead?"
        around={around}
        value={field.typed}
        onChange={(typed, destination) => setField({ typed, destination })}
        onEnter={() => make(field.destination)}
      />
      {shown !== null && (
        <>
          <FullRope words={choice.words} facts={shown.facts} decision={shown.decision} site={site} />
          <Questions decision={shown.decision} answers={answers} isReadOnly={false} onAnswer={setAnswers} />
          <Tag tag={shown.tag} before="" />
        </>
      )}
      <div className="flex gap-2.5">
        <button type="button" className="button button-main" disabled={field.destination === null} onClick={() => make(field.destination)}>
          Link the words
        </button>
        <button type="button" className="button button-plain" onClick={() => onChoose({ kind: 'nothing' })}>
          Not now
        </button>
      </div>
    </div>
  )
}

function OneLink({ chosen, draft, text, path, site, canEdit, onChoose }: LinkPanelProps & { chosen: DeliveredLink }) {
  const { link, facts, decision } = chosen
  const around = site.around(path)
  const words = linkText(text, link)
  const answers = answersOn(text, chosen)
  const [field, setField] = useState<{ typed: string; destination: string | null }>({ typed: link.href, destination: link.href })
  const isChanged = field.typed.trim() !== link.href && field.destination !== null
  const save = (): void => {
    if (field.destination === null || !isChanged) return
    if (apply(draft, changeLink(text, chosen, { href: field.destination })))
      setField({ typed: field.destination, destination: field.destination })
  }
  return (
    <div className="grid gap-4">
      <h2 className="text-[18px] [overflow-wrap:anywhere]">{words === '' ? 'A picture that links' : words}</h2>
      <FullRope words={words} facts={facts} decision={decision} site={site} />
      {canEdit && (
        <div className="grid gap-2">
          <LinkField
            label="Leads to"
            around={around}
            value={field.typed}
            onChange={(typed, destination) => setField({ typed, destination })}
            onEnter={save}
          />
          {isChanged && (
            <p className="flex gap-2.5">
              <button type="button" className="button button-main" onClick={save}>
                Change the destination
              </button>
            </p>
          )}
        </div>
      )}
      <Questions
        decision={decision}
        answers={answers}
        isReadOnly={!canEdit}
        onAnswer={(next) => apply(draft, changeLink(text, chosen, { answers: next }))}
      />
      <div>
        <h3 className="mb-1.5 font-text text-[14px] font-semibold">What readers’ browsers get</h3>
        <Tag tag={deliveredTag(text, chosen)} before={text.slice(link.start, link.end)} />
      </div>
      <div className="flex flex-wrap gap-2.5">
        {facts.address !== null && /^https?:/.test(facts.address) && (
          <a className="button" href={facts.address} target="_blank" rel="noopener">
            Try it
          </a>
        )}
        {canEdit && (
          <button
            type="button"
            className="button"
            onClick={() => {
              if (apply(draft, unwrapLink(text, link.start))) onChoose({ kind: 'nothing' })
            }}
          >
            Take the link off
          </button>
        )}
        <button type="button" className="button button-plain" onClick={() => onChoose({ kind: 'nothing' })}>
          All links of the page
        </button>
      </div>
    </div>
  )
}

/** Places looked through for the words typed; somebody who means a later one types more words. */
const PLACES_MAX = 50

function AllLinks({ delivered, text, canEdit, onChoose, onPoint }: LinkPanelProps) {
  const id = useId()
  const [typed, setTyped] = useState('')
  const [turn, setTurn] = useState(0)
  const found = findWords(text, typed.trim(), PLACES_MAX)
  const find = (): void => {
    const place = found[turn % found.length]
    if (place === undefined) return
    setTurn(turn + 1)
    onPoint({ type: 'point', words: { run: place.run, shown: place.shown, length: place.length } })
    onChoose({ kind: 'words', from: place.from, to: place.to, words: typed.trim() })
  }
  return (
    <div className="grid gap-4">
      {canEdit && (
        <section>
          <h2 className="mb-1 text-[18px]">Link some words</h2>
          <p className="note mb-2.5">
            Select words on the page and press <kbd>Ctrl K</kbd>, or type them here.
          </p>
          <form
            className="flex gap-2"
            onSubmit={(event) => {
              event.preventDefault()
              find()
            }}
          >
            <label className="sr-only" htmlFor={id}>
              Words of the page to link
            </label>
            <input
              id={id}
              className="field"
              placeholder="words of this page"
              value={typed}
              onChange={(event) => {
                setTyped(event.target.value)
                setTurn(0)
              }}
            />
            <button type="submit" className="button" disabled={found.length === 0}>
              Choose
            </button>
          </form>
          {typed.trim() !== '' && (
            <p className="note mt-1" aria-live="polite">
              {found.length === 0
                ? 'Not on this page, or cut by formatting.'
                : `${found.length === PLACES_MAX ? 'More than ' : ''}${found.length} ${found.length === 1 ? 'place' : 'places'}`}
            </p>
          )}
        </section>
      )}
      <section>
        <h2 className="mb-2 text-[18px]">
          {delivered.length} {delivered.length === 1 ? 'link' : 'links'} on this page
        </h2>
        {delivered.length === 0 && <p className="text-ink-soft">None yet.</p>}
        <ul className="grid gap-0.5">
          {delivered.slice(0, 400).map(({ link, facts, decision }) => (
            <li key={link.start}>
              <button
                type="button"
                className="w-full rounded-md px-2 py-1.5 text-left hover:bg-sun"
                onClick={() => onChoose({ kind: 'link', start: link.start })}
              >
                <span className="block truncate font-semibold">{linkText(text, link) || 'picture without words'}</span>
                <Rope
                  strand={strandOf(relTokens(decision.rel))}
                  knots={facts.kind === 'short link' ? [{ kind: 'short link', address: link.href }] : []}
                  end={{
                    opens: facts.kind === 'file' ? 'file' : opensNewTab(decision.target) ? 'new tab' : 'same tab',
                    lands: facts.address === null ? false : null,
                  }}
                  width={200}
                />
                <span className="address block truncate text-ink-soft" title={link.href}>
                  {link.href}
                </span>
              </button>
            </li>
          ))}
        </ul>
        {delivered.length > 400 && <p className="note mt-2">and {delivered.length - 400} more; click them on the page</p>}
      </section>
    </div>
  )
}
