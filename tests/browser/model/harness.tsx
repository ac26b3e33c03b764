import { createRoot } from 'react-dom/client'
import type { PageSource } from '../../../src/contract/pages.ts'
import { scanLinks, setLink, unwrapLink, wrapLink } from '../../../src/core/markup/index.ts'
import { PageDraft } from '../../../src/islands/editor/draft.ts'
import { Frame } from '../../../src/islands/editor/Frame.tsx'
import type { Stretch } from '../../../src/islands/editor/frame/messages.ts'

/** The page editor's own frame and draft, without a server behind them: what the model test drives. */
export interface Model {
  readonly text: () => string
  readonly undo: () => void
  readonly redo: () => void
  /** Links what is chosen. @returns whether that could be done */
  readonly link: (href: string) => boolean
  /** Takes a link off, or leads it elsewhere, by its number. */
  readonly unlink: (number: number) => boolean
  readonly relink: (number: number, href: string) => boolean
  /** How often what was written had to be written anew. */
  readonly differed: string[]
}
declare global {
  interface Window {
    model: Model
    modelPage: string
  }
}

const kept = new Map<string, string>()
let version = 1
const draft = new PageDraft({ id: 'p', version, source: window.modelPage, encoding: 'utf-8' } as unknown as PageSource, {
  save: async () => ({ state: 'saved', page: { version: ++version, waiting: [] } as never }),
  storage: {
    getItem: (key) => kept.get(key) ?? null,
    setItem: (key, value) => void kept.set(key, value),
    removeItem: (key) => void kept.delete(key),
  },
  later: (work, ms) => {
    const timer = setTimeout(work, ms)
    return () => clearTimeout(timer)
  },
  now: Date.now,
  onSaving: () => {},
})
let selected: Stretch = { from: 0, to: 0 }
const differed: string[] = []
addEventListener('message', ({ data }) => {
  if (data?.type === 'differed') differed.push(data.how)
})
const put = (patches: ReturnType<typeof wrapLink>): boolean => {
  if (patches.ok) draft.change(patches.value)
  return patches.ok
}
const startOf = (number: number): number => {
  const { links } = scanLinks(draft.state.text)
  return links[number % Math.max(1, links.length)]?.start ?? -1
}
window.model = {
  text: () => draft.state.text,
  undo: () => draft.undo(),
  redo: () => draft.redo(),
  link: (href) => selected.from < selected.to && put(wrapLink(draft.state.text, selected.from, selected.to, { href })),
  unlink: (number) => startOf(number) !== -1 && put(unwrapLink(draft.state.text, startOf(number))),
  relink: (number, href) => startOf(number) !== -1 && put(setLink(draft.state.text, startOf(number), { href })),
  differed,
}
const nothing = (): void => {}
createRoot(document.getElementById('root') as HTMLElement).render(
  <div style={{ display: 'flex', height: '700px' }}>
    <Frame
      handle={null}
      title="model"
      draft={draft}
      analysis={{ text: '', delivered: [], pictures: [], advice: new Map(), writtenFor: null, tags: [] }}
      choice={{ kind: 'nothing' }}
      address="http://model.test/page"
      files="/files"
      parts={{}}
      canEdit
      select={null}
      onSelect={(next) => {
        selected = next
      }}
      onStanding={nothing}
      onLinkIn={nothing}
      onPictureIn={nothing}
      onPart={nothing}
      onClosedPart={nothing}
      onDiffered={nothing}
      onKey={(key) => (key === 'undo' || key === 'redo' ? draft[key]() : undefined)}
      onAddress={nothing}
      onPiece={(html) => html}
      onFiles={nothing}
      onClosed={nothing}
    />
  </div>,
)
