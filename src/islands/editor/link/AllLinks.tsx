import { useId, useMemo, useRef, useState } from 'react'
import { type Advice, isBareAddress, writtenAddresses } from '../../../core/content/index.ts'
import { findWords, linkText } from '../../../core/markup/index.ts'
import { type DeliveredLink, opensNewTab, readTags, relTokens, strandOf } from '../../../core/rules/index.ts'
import { Rope } from '../../../ui/Rope.tsx'
import { Select } from '../../../ui/Select.tsx'
import { PaidRoom } from './PaidRoom.tsx'
import type { PanelProps } from './panel.tsx'

/** Places looked through for the words typed; somebody who means a later one types more words. */
const PLACES_MAX = 50
const LISTED_MAX = 400
const ADDRESSES_MAX = 20

/** Nothing is chosen: every link of the page, what is worth a second look, and what the page is written for. */
export function AllLinks({ pageId, analysis, draft, path, canEdit, onChoose, onPoint, site, caret }: PanelProps) {
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
  const written = useMemo(() => (canEdit ? writtenAddresses(text, ADDRESSES_MAX) : []), [text, canEdit])
  const noted = [...advice.keys()].flatMap((i) => delivered[i] ?? [])
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-5">
      {canEdit && (
        <section>
          <h2 className="mb-1 text-[18px]">Link some words</h2>
          <p className="note mb-2.5">
            <span className="pointer-coarse:hidden">
              Select words on the page and press <kbd>Ctrl K</kbd>, drop a page on them, or type them here.
            </span>
            <span className="hidden pointer-coarse:inline">Select words on the page and tap “Link these”, or type them here.</span>
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
              data-words-field
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
      <PaidRoom
        pageId={pageId}
        analysis={analysis}
        draft={draft}
        path={path}
        site={site}
        canEdit={canEdit}
        caret={caret}
        onPoint={onPoint}
      />
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
      {written.length > 0 && (
        <section>
          <h2 className="mb-1.5 text-[18px]">Addresses that are no links</h2>
          <ul className="grid grid-cols-[minmax(0,1fr)] gap-0.5">
            {written.map(({ from, to, words }) => (
              <li key={from}>
                <button
                  type="button"
                  className="address block w-full truncate rounded-md px-2 py-1 text-left hover:bg-sun"
                  onClick={() => {
                    onPoint({ from, to })
                    onChoose({ kind: 'words', from, to, words })
                  }}
                >
                  {words}
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
  const { partners } = site.setup
  const partner = partners.find((each) => each.id === analysis.writtenFor)
  const theirs = analysis.delivered.filter(({ facts }) => facts.writtenFor !== null)
  if (partners.length === 0) return null
  return (
    <section>
      <Select
        label="Written for a partner?"
        isReadOnly={!canEdit}
        value={analysis.writtenFor ?? ''}
        options={[['', 'No, for our readers'], ...partners.map((each) => [each.id, `Yes, for ${each.name}`] as const)]}
        onChange={(value) => draft.note({ tags: analysis.tags, writtenFor: value === '' ? null : value })}
      />
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
    const tags = readTags(typed)
    if (tags.join() !== analysis.tags.join()) draft.note({ tags, writtenFor: analysis.writtenFor })
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
