import { useId, useRef, useState } from 'react'
import { toast } from 'sonner'
import { type Advice, isBareAddress, setPageTags, setWrittenFor } from '../../core/content/index.ts'
import { findWords, linkText, unwrapLink } from '../../core/markup/index.ts'
import {
  type DeliveredLink,
  explain,
  type HandAnswers,
  opensNewTab,
  readTags,
  relTokens,
  sayReason,
  strandOf,
} from '../../core/rules/index.ts'
import { Rope } from '../../ui/Rope.tsx'
import { Tag } from '../../ui/Tag.tsx'
import { answersOn, type Choice, changeLink, deliveredTag, makeLink, moveLink, prospect } from './choice.ts'
import { FullRope, useVisit } from './FullRope.tsx'
import { LinkField } from './LinkField.tsx'
import { PicturePanel } from './PicturePanel.tsx'
import { applyTo, DestinationField, type PanelProps, showLinkAt } from './panel.tsx'
import { Questions } from './Questions.tsx'

/** Beside the page: the chosen words, link or picture, its destination, the two questions, and the tag that comes of it. */
export function LinkPanel(props: PanelProps) {
  const { choice, analysis, canEdit, moving } = props
  if (moving !== null) return <Moving {...props} moving={moving} />
  if (choice.kind === 'picture') {
    const picture = analysis.pictures.find(({ start }) => start === choice.start)
    if (picture !== undefined) return <PicturePanel {...props} choice={choice} picture={picture} />
  }
  if (choice.kind === 'words' && canEdit) return <NewLink {...props} choice={choice} />
  const chosen = choice.kind === 'link' ? analysis.delivered.findIndex(({ link }) => link.start === choice.start) : -1
  const link = analysis.delivered[chosen]
  if (link !== undefined) return <OneLink {...props} chosen={link} number={chosen} />
  return <AllLinks {...props} />
}

function NewLink(props: PanelProps & { choice: Extract<Choice, { kind: 'words' }> }) {
  const { choice, analysis, draft, path, site, typed, onChoose } = props
  const around = site.around(path)
  const [field, setField] = useState<{ typed: string; destination: string | null }>({ typed, destination: null })
  const [answers, setAnswers] = useState<HandAnswers>({})
  const make = (destination: string | null): void => {
    if (destination === null) return
    if (applyTo(draft, analysis, makeLink(analysis.text, choice, destination, answers))) showLinkAt(props, choice.from)
  }
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
      {shown !== null && (
        <>
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

function Moving({ moving, choice, analysis, draft, onMove, onChoose, onPoint }: PanelProps & { moving: DeliveredLink }) {
  const words = linkText(analysis.text, moving.link)
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-4">
      <h2 className="text-[18px]">Move the link of “{words}”</h2>
      <p className="text-ink-soft">Select the words it is to hang on from now on.</p>
      <p className="flex flex-wrap gap-2.5">
        <button
          type="button"
          className="button button-main"
          disabled={choice.kind !== 'words'}
          onClick={() => {
            if (choice.kind !== 'words') return
            if (applyTo(draft, analysis, moveLink(analysis.text, moving.link, choice)))
              showLinkAt(
                { draft, onChoose, onPoint },
                Math.min(choice.from, moving.link.start < choice.from ? choice.from - (moving.link.end - moving.link.start) : choice.from),
              )
            onMove(null)
          }}
        >
          {choice.kind === 'words' ? `Hang it on “${choice.words.slice(0, 40)}”` : 'Hang it there'}
        </button>
        <button type="button" className="button button-plain" onClick={() => onMove(null)}>
          Leave it
        </button>
      </p>
    </div>
  )
}

function OneLink(props: PanelProps & { chosen: DeliveredLink; number: number }) {
  const { chosen, number, analysis, draft, path, site, canEdit, onChoose, onMove } = props
  const { text } = analysis
  const { link, facts, decision } = chosen
  const words = linkText(text, link)
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-4">
      <h2 className="text-[18px] [overflow-wrap:anywhere]">{words === '' ? 'A picture that links' : words}</h2>
      <AdviceNote {...props} advice={analysis.advice.get(number) ?? []} />
      <FullRope words={words} facts={facts} decision={decision} site={site} />
      {canEdit && <DestinationField key={link.href} chosen={chosen} analysis={analysis} draft={draft} path={path} site={site} />}
      <Questions
        decision={decision}
        answers={answersOn(text, chosen)}
        isReadOnly={!canEdit}
        onAnswer={(next) => applyTo(draft, analysis, changeLink(text, chosen, { answers: next }))}
      />
      <div>
        <h3 className="mb-1.5 font-text text-[14px] font-semibold">What readers’ browsers get</h3>
        <Tag tag={deliveredTag(text, chosen)} before={text.slice(link.start, link.end)} />
        {explain(decision)
          .slice(2)
          .map(({ what, reason }) => (
            <p key={what} className="note mt-1">
              {what}: {sayReason(reason)}
            </p>
          ))}
      </div>
      <div className="flex flex-wrap gap-2">
        {facts.address !== null && /^https?:/.test(facts.address) && (
          <a className="button" href={facts.address} target="_blank" rel="noopener">
            Try it
          </a>
        )}
        {facts.address !== null && (
          <button
            type="button"
            className="button"
            onClick={() =>
              void navigator.clipboard.writeText(facts.address ?? link.href).then(
                () => toast.success('The address is copied.'),
                () => toast.error('This browser does not let us copy. Select the address above.'),
              )
            }
          >
            Copy
          </button>
        )}
        {canEdit && link.hasText && (
          <button type="button" className="button" onClick={() => onMove(chosen)}>
            Move
          </button>
        )}
        {canEdit && (
          <button
            type="button"
            className="button"
            onClick={() => {
              if (applyTo(draft, analysis, unwrapLink(text, link.start))) onChoose({ kind: 'nothing' })
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

/** What a careful editor would say of a link's words, with the mend where there is one. */
function AdviceNote({
  advice,
  chosen,
  analysis,
  draft,
  canEdit,
  onChoose,
  onPoint,
}: PanelProps & { advice: readonly Advice[]; chosen: DeliveredLink }) {
  const { link, facts } = chosen
  const words = linkText(analysis.text, link)
  const wantsTitle = canEdit && advice.some(({ what }) => what === 'bare address' || what === 'says nothing')
  const { data } = useVisit(wantsTitle ? facts.address : null)
  if (advice.length === 0) return null
  const title = data?.title ?? null
  const use = (next: string): void => {
    const patches = [{ from: link.end, to: link.contentEnd, insert: next.replaceAll('&', '&amp;').replaceAll('<', '&lt;') }]
    if (draft.changeFrom(analysis.text, patches)) showLinkAt({ draft, onChoose, onPoint }, link.start)
  }
  return (
    <div className="sheet grid gap-2 border-l-4 px-3 py-2 text-[14px]" style={{ borderLeftColor: 'var(--rope)' }}>
      {advice.map((each) => (
        <p key={each.what}>
          {each.what === 'bare address' &&
            'These words are the address itself. Readers, and those who listen to the page, would rather have the title.'}
          {each.what === 'says nothing' && `“${words}” does not say where it leads to somebody who hears the links one by one.`}
          {each.what === 'no words' && 'This link has no words, and no picture with words for those who do not see it.'}
          {each.what === 'same words' &&
            `The same words lead somewhere else too on this page, ${each.others.length === 1 ? 'once' : `${each.others.length} times`}.`}
        </p>
      ))}
      {wantsTitle && title !== null && title !== words && !link.hasPicture && (
        <p>
          <button type="button" className="button !min-h-0 !py-0.5 text-left !whitespace-normal font-normal" onClick={() => use(title)}>
            Use its title: “{title}”
          </button>
        </p>
      )}
    </div>
  )
}

/** Places looked through for the words typed; somebody who means a later one types more words. */
const PLACES_MAX = 50
const LISTED_MAX = 400

function AllLinks({ analysis, draft, canEdit, onChoose, onPoint, site }: PanelProps) {
  const id = useId()
  const { text, delivered, advice } = analysis
  const [typed, setTyped] = useState('')
  const turn = useRef(0)
  const found = findWords(text, typed.trim(), PLACES_MAX)
  const find = (): void => {
    const place = found[turn.current % found.length]
    if (place === undefined) return
    turn.current++
    onPoint(place)
    onChoose({ kind: 'words', from: place.from, to: place.to, words: typed.trim() })
  }
  const choose = ({ link }: DeliveredLink): void => {
    onChoose({ kind: 'link', start: link.start })
    onPoint({ from: link.end + (link.hasText ? 1 : 0), to: link.end + (link.hasText ? 1 : 0) })
  }
  const noted = [...advice.keys()].flatMap((i) => delivered[i] ?? [])
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-5">
      {canEdit && (
        <section>
          <h2 className="mb-1 text-[18px]">Link some words</h2>
          <p className="note mb-2.5">
            Select words on the page and press <kbd>Ctrl K</kbd>, drop a page on them, or type them here.
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
                turn.current = 0
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
      {noted.length > 0 && (
        <section>
          <h2 className="mb-1.5 text-[18px]">Worth a second look</h2>
          <ul className="grid grid-cols-[minmax(0,1fr)] gap-0.5">
            {noted.slice(0, 20).map((each) => (
              <li key={each.link.start}>
                <button
                  type="button"
                  className="flex w-full items-baseline gap-2 rounded-md px-2 py-1 text-left hover:bg-sun"
                  onClick={() => choose(each)}
                >
                  <b className="min-w-0 flex-1 truncate font-semibold">{linkText(text, each.link) || 'picture without words'}</b>
                  <span className="note shrink-0">{noteFor(advice.get(delivered.indexOf(each)) ?? [], linkText(text, each.link))}</span>
                </button>
              </li>
            ))}
          </ul>
        </section>
      )}
      <section>
        <h2 className="mb-2 text-[18px]">
          {delivered.length} {delivered.length === 1 ? 'link' : 'links'} on this page
        </h2>
        {delivered.length === 0 && <p className="text-ink-soft">None yet.</p>}
        <ul className="grid grid-cols-[minmax(0,1fr)] gap-0.5">
          {delivered.slice(0, LISTED_MAX).map((each) => (
            <li key={each.link.start}>
              <button type="button" className="w-full rounded-md px-2 py-1.5 text-left hover:bg-sun" onClick={() => choose(each)}>
                <span className="block truncate font-semibold">{linkText(text, each.link) || 'picture without words'}</span>
                <Rope
                  strand={strandOf(relTokens(each.decision.rel))}
                  knots={each.facts.kind === 'short link' ? [{ kind: 'short link', address: each.link.href }] : []}
                  end={{
                    opens: each.facts.kind === 'file' ? 'file' : opensNewTab(each.decision.target) ? 'new tab' : 'same tab',
                    lands: each.facts.address === null ? false : null,
                  }}
                  width={200}
                />
                <span className="address block truncate text-ink-soft" title={each.link.href}>
                  {each.link.href}
                </span>
              </button>
            </li>
          ))}
        </ul>
        {delivered.length > LISTED_MAX && <p className="note mt-2">and {delivered.length - LISTED_MAX} more; click them on the page</p>}
      </section>
      <WrittenFor analysis={analysis} draft={draft} site={site} canEdit={canEdit} />
      <PageTags key={analysis.tags.join()} analysis={analysis} draft={draft} canEdit={canEdit} />
    </div>
  )
}

function noteFor(advice: readonly Advice[], words: string): string {
  const [first] = advice
  if (first?.what === 'bare address' || isBareAddress(words)) return 'bare address'
  if (first?.what === 'says nothing') return 'says little'
  return first?.what === 'no words' ? 'no words' : 'leads to several places'
}

/** Whether the page is written for a partner, and what follows from that. */
function WrittenFor({ analysis, draft, site, canEdit }: Pick<PanelProps, 'analysis' | 'draft' | 'site' | 'canEdit'>) {
  const id = useId()
  const { partners } = site.setup
  const partner = partners.find((each) => each.id === analysis.writtenFor)
  const theirs = analysis.delivered.filter(({ facts }) => facts.writtenFor !== null)
  if (partners.length === 0) return null
  return (
    <section>
      <label className="field-label" htmlFor={id}>
        Written for a partner?
      </label>
      <select
        id={id}
        className="field"
        disabled={!canEdit}
        value={analysis.writtenFor ?? ''}
        onChange={(event) =>
          draft.changeFrom(analysis.text, setWrittenFor(analysis.text, event.target.value === '' ? null : event.target.value))
        }
      >
        <option value="">No, for our readers</option>
        {partners.map((each) => (
          <option key={each.id} value={each.id}>
            Yes, for {each.name}
          </option>
        ))}
      </select>
      {partner !== undefined && (
        <p className="note mt-1.5">
          {theirs.length === 0
            ? `No link here leads to ${partner.name} yet. Each one that does will be marked as paid.`
            : `${theirs.length} ${theirs.length === 1 ? 'link' : 'links'} to ${partner.name} here: marked as paid (sponsored, nofollow), unless set by hand.`}
        </p>
      )}
    </section>
  )
}

/** What the page is tagged: rules and lists can ask for it. */
function PageTags({ analysis, draft, canEdit }: Pick<PanelProps, 'analysis' | 'draft' | 'canEdit'>) {
  const id = useId()
  const [typed, setTyped] = useState(analysis.tags.join(', '))
  const save = (): void => {
    const tags = typed.split(',')
    if (readTags(typed).join() !== analysis.tags.join()) draft.changeFrom(analysis.text, setPageTags(analysis.text, tags))
  }
  return (
    <section>
      <label className="field-label" htmlFor={id}>
        Tags of this page
      </label>
      <input
        id={id}
        className="field"
        value={typed}
        disabled={!canEdit}
        placeholder="spring, boats"
        onChange={(event) => setTyped(event.target.value)}
        onBlur={save}
        onKeyDown={(event) => event.key === 'Enter' && save()}
      />
    </section>
  )
}
