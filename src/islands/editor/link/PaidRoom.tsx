import { useMemo } from 'react'
import { paragraphAt, readProse } from '../../../core/phrases/index.ts'
import { isPaidLink, paidMost } from '../../../core/placements/index.ts'
import type { PanelProps } from './panel.tsx'
import { useSuggested } from './suggested.ts'

const SHOWN_MAX = 4

/** How many paid links the page has and bears, as it is written; and phrases that would be worth one. */
export function PaidRoom({
  pageId,
  analysis,
  draft,
  path,
  site,
  canEdit,
  caret,
  onPoint,
}: Pick<PanelProps, 'pageId' | 'analysis' | 'draft' | 'path' | 'site' | 'canEdit' | 'caret' | 'onPoint'>) {
  const { text, delivered } = analysis
  const prose = useMemo(() => readProse(text), [text])
  const paid = delivered.filter(isPaidLink)
  const paragraphs = paid.map(({ link }) => prose.links.get(link.start)?.paragraph ?? -1)
  const crowded = new Set(paragraphs.filter((each, i) => paragraphs.indexOf(each) !== i)).size
  const most = paidMost(prose.words)
  const here = caret > 0 ? paragraphAt(prose, caret) : null
  const paidHere = paragraphs.filter((each) => each === here).length
  const { items: suggested, isBusy, link } = useSuggested({ pageId, analysis, draft, path, site })
  if (paid.length === 0 && suggested.length === 0) return null
  return (
    <section aria-label="Paid links">
      <h2 className="mb-1 text-[18px]">Paid links</h2>
      <p className={paid.length > most ? 'text-red' : 'text-ink-soft'}>
        {paid.length} of {most} that this page bears
        {crowded > 0 && `; ${crowded} ${crowded === 1 ? 'paragraph has' : 'paragraphs have'} more than one`}
      </p>
      {here !== null && (
        <p className={`text-[14px] ${paidHere > 1 ? 'text-red' : 'text-ink-soft'}`}>
          {paidHere === 0 ? 'This paragraph has none yet, and bears one.' : `This paragraph has ${paidHere}, and bears one.`}
        </p>
      )}
      <p aria-hidden="true" className="mt-1.5 flex flex-wrap gap-2">
        {Array.from({ length: Math.max(most, paid.length) }, (_, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: all alike
          <i key={i} className={`size-2.5 rounded-full ${i >= most ? 'bg-red' : i < paid.length ? 'bg-ink' : 'border-2 border-rope'}`} />
        ))}
      </p>
      {canEdit && suggested.length > 0 && (
        <ul className="mt-2.5 grid gap-1.5" aria-label="Phrases worth linking here">
          {suggested.slice(0, SHOWN_MAX).map((each) => (
            <li key={`${each.phraseId} ${each.from}`} className="flex items-baseline gap-2 text-[14px]">
              <button
                type="button"
                className="min-w-0 flex-1 truncate text-left underline decoration-dotted underline-offset-3"
                title={each.why}
                onClick={() => onPoint({ from: each.from, to: each.to })}
              >
                {each.sentence.words}
              </button>
              <span className="min-w-0 flex-1 truncate text-ink-soft">{each.leadsTo.replace(/^https?:\/\//, '')}</span>
              <button type="button" className="button !min-h-0 !px-2.5 !py-0.5" disabled={isBusy} onClick={() => link(each)}>
                Link<span className="sr-only"> “{each.sentence.words}”</span>
              </button>
            </li>
          ))}
        </ul>
      )}
    </section>
  )
}
