import { toast } from 'sonner'
import type { Advice } from '../../../core/content/index.ts'
import { escapeText, linkText, unwrapLink } from '../../../core/markup/index.ts'
import { type DeliveredLink, explain, tellReason } from '../../../core/rules/index.ts'
import { Tag } from '../../../ui/Tag.tsx'
import { inWords } from '../../../words/index.ts'
import { answersOn, changeLink, deliveredTag, moveLink } from '../choice.ts'
import { AllLinks } from './AllLinks.tsx'
import { FullRope, useVisit } from './FullRope.tsx'
import { NewLink } from './NewLink.tsx'
import { PicturePanel } from './PicturePanel.tsx'
import { applyTo, DestinationField, type PanelProps, showLinkAt } from './panel.tsx'
import { FileQuestion, Questions } from './Questions.tsx'

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
      {canEdit && <DestinationField chosen={chosen} analysis={analysis} draft={draft} path={path} site={site} />}
      {facts.kind === 'file' && (
        <FileQuestion
          downloads={link.attributes.some(({ name }) => name === 'download')}
          isReadOnly={!canEdit}
          onAnswer={(downloads) => applyTo(draft, analysis, changeLink(text, chosen, { downloads }))}
        />
      )}
      <Questions
        decision={decision}
        answers={answersOn(text, chosen)}
        isReadOnly={!canEdit}
        waits={props.waits && facts.isWaiting}
        onAnswer={(next) => applyTo(draft, analysis, changeLink(text, chosen, { answers: next }))}
      />
      <div>
        <h3 className="mb-1.5 font-text text-[14px] font-semibold">What readers’ browsers get</h3>
        <Tag tag={deliveredTag(text, chosen)} before={text.slice(link.start, link.end)} />
        {explain(decision)
          .slice(2)
          .map(({ what, reason }) => (
            <p key={what.tell} className="note mt-1">
              {inWords(what)}: {inWords(tellReason(reason))}
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
    const patches = [{ from: link.end, to: link.contentEnd, insert: escapeText(next) }]
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
