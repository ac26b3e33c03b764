import { useEffect, useState } from 'react'
import { type Advice, anchorAdvice, isSameNotes, type PageNotes } from '../../core/content/index.ts'
import { linkText, type Picture, scanPictures } from '../../core/markup/index.ts'
import { type CompiledSite, type DeliveredLink, deliverPage } from '../../core/rules/index.ts'
import type { PageDraft } from './draft.ts'

/** Everything the panel knows of a page's text. Offsets hold in `text` alone. */
export interface Analysis extends PageNotes {
  readonly text: string
  readonly delivered: readonly DeliveredLink[]
  readonly pictures: readonly Picture[]
  /** By number of the link. */
  readonly advice: ReadonlyMap<number, readonly Advice[]>
}

/** What a text's links are delivered as. */
export function analyse(
  text: string,
  { tags, writtenFor }: PageNotes,
  site: CompiledSite,
  path: string,
  waiting: readonly string[],
): Analysis {
  const part = path.startsWith('block:') ? ({ kind: 'block', name: path.slice('block:'.length) } as const) : null
  const { delivered } = deliverPage(text, site.rules, site.around(path, { writtenFor, waiting, tags, part }), site.findShortLink)
  return {
    text,
    delivered,
    pictures: scanPictures(text),
    advice: anchorAdvice(
      delivered.map(({ link, facts }) => ({
        text: linkText(text, link),
        href: link.href,
        address: facts.address,
        showsPicture: facts.shows === 'picture',
      })),
    ),
    writtenFor,
    tags,
  }
}

/** While somebody types, the page is looked at again once they pause. */
const PAUSE_MS = 180

/** The newest analysis of a draft. A key typed costs nothing here; any other change is looked at once. */
export function useAnalysis(draft: PageDraft, site: CompiledSite, path: string, waiting: readonly string[]): Analysis {
  const [analysis, setAnalysis] = useState(() => analyse(draft.state.text, draft.state.notes, site, path, waiting))
  useEffect(() => {
    let timer: ReturnType<typeof setTimeout> | undefined
    const look = (): void =>
      setAnalysis((before) =>
        before.text === draft.state.text && isSameNotes(before, draft.state.notes)
          ? before
          : analyse(draft.state.text, draft.state.notes, site, path, waiting),
      )
    setAnalysis(analyse(draft.state.text, draft.state.notes, site, path, waiting))
    const stop = draft.subscribe(() => {
      clearTimeout(timer)
      if (draft.state.isTyping) timer = setTimeout(look, PAUSE_MS)
      else look()
    })
    return () => {
      clearTimeout(timer)
      stop()
    }
  }, [draft, site, path, waiting])
  return analysis
}
