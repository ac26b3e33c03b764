import { useQuery } from '@tanstack/react-query'
import { ExternalLink, Link2, Redo2, Undo2 } from 'lucide-react'
import { useCallback, useEffect, useMemo, useRef, useState, useSyncExternalStore } from 'react'
import { toast } from 'sonner'
import type { Page, PageList as PageListData, PageSource } from '../../contract/pages.ts'
import { shownPage, sourceOffset } from '../../core/markup/index.ts'
import { compileSite, deliverPage, relTokens, type SiteSetup, strandOf } from '../../core/rules/index.ts'
import { ask, wordsOf } from '../../ui/api.ts'
import { Queries, queries } from '../../ui/query.tsx'
import { type Saving, tellSaving } from '../../ui/saving.ts'
import { saveDraft } from './api.ts'
import type { Choice } from './choice.ts'
import { PageDraft } from './draft.ts'
import type { FromFrame, ToFrame } from './frame-messages.ts'
import { LinkPanel } from './LinkPanel.tsx'
import { PageList } from './PageList.tsx'

interface PageEditorProps {
  page: Page
  list: PageListData
  setup: SiteSetup
  port: number
  canEdit: boolean
  chosenLink: number | null
}

/** A page as readers see it; select words, link them, answer two questions. */
export function PageEditor(props: PageEditorProps) {
  return (
    <Queries>
      <div className="flex h-full max-lg:h-auto max-lg:flex-col">
        <aside className="flex w-[232px] shrink-0 flex-col border-r max-lg:hidden" aria-label="Pages">
          <PageList initial={props.list} chosen={props.page.id} isNarrow />
        </aside>
        <LoadedEditor {...props} />
      </div>
    </Queries>
  )
}

function LoadedEditor(props: PageEditorProps) {
  const { data, error } = useQuery({
    queryKey: ['page', props.page.id],
    queryFn: ({ signal }) => ask<PageSource>('GET', `/pages/${props.page.id}`, undefined, signal),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 0,
    refetchOnWindowFocus: false,
  })
  if (error !== null)
    return (
      <p role="alert" className="p-8 text-red">
        {wordsOf(error)}
      </p>
    )
  if (data === undefined) return <p className="p-8 text-ink-soft">Opening the page…</p>
  return <Editor {...props} source={data} />
}

/** The ledge shows how saving goes; once it is saved, what differs from the live site may differ anew. */
function onSaving(saving: Saving): void {
  tellSaving(saving)
  if (saving.state === 'saved') void queries.invalidateQueries({ queryKey: ['unpublished'] })
}

function Editor({ source, setup, port, canEdit, chosenLink }: PageEditorProps & { source: PageSource }) {
  const [draft] = useState(
    () =>
      new PageDraft(source, {
        save: saveDraft,
        storage: localStorage,
        later: (work, ms) => {
          const timer = setTimeout(work, ms)
          return () => clearTimeout(timer)
        },
        now: Date.now,
        onSaving,
      }),
  )
  const { text, canUndo, canRedo, theirs, news } = useSyncExternalStore(draft.subscribe, draft.snapshot)
  const site = useMemo(() => compileSite(setup, port), [setup, port])
  const delivered = useMemo(
    () => deliverPage(text, site.rules, site.around(source.path), site.findShortLink).delivered,
    [text, site, source.path],
  )
  const [choice, setChoice] = useState<Choice>(chosenLink === null ? { kind: 'nothing' } : { kind: 'link', start: chosenLink })
  const chosen = choice.kind === 'link' ? (delivered.find(({ link }) => link.start === choice.start) ?? null) : null
  const [pasted, setPasted] = useState<{ text: string } | null>(null)
  const frame = useFrame({
    text,
    html: useMemo(() => {
      const strands = new Map(delivered.map(({ link, decision }) => [link.start, strandOf(relTokens(decision.rel))]))
      return shownPage(text, source.address, (start) => ({ 'data-rope-strand': strands.get(start) ?? 'vouched' }))
    }, [text, delivered, source.address]),
    css: frameCss(choice.kind === 'link' ? choice.start : null),
    onChoice: setChoice,
    onKey: (key) => {
      if (key === 'link') document.querySelector<HTMLInputElement>('[data-link-field]')?.focus()
      else if (canEdit) draft[key]()
    },
    onPaste: (text) => setPasted({ text }),
  })
  useEffect(() => {
    if (news !== null) toast(news)
  }, [news])
  useEffect(() => {
    const onKey = (event: KeyboardEvent): void => {
      if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== 'k') return
      event.preventDefault()
      document.querySelector<HTMLInputElement>('[data-link-field]')?.focus()
    }
    addEventListener('keydown', onKey)
    return () => removeEventListener('keydown', onKey)
  }, [])
  const pointAt = frame.point
  const choose = (next: Choice): void => {
    setChoice(next)
    if (next.kind === 'link') pointAt({ type: 'point', link: next.start })
  }
  return (
    <>
      <section className="flex min-w-0 flex-1 flex-col p-4 pt-3 max-lg:h-[76dvh] max-lg:flex-none" aria-label="The page">
        <header className="flex flex-wrap items-center gap-x-3 gap-y-1 pb-2.5">
          <h1 className="min-w-0 truncate text-[20px]">{source.title}</h1>
          <a className="address truncate text-ink-soft" href={source.address} target="_blank" rel="noopener">
            {source.path} <ExternalLink size={13} aria-hidden="true" className="inline" />
            <span className="sr-only">(live page, opens a new tab)</span>
          </a>
          <span className="flex-1" />
          {canEdit && (
            <span className="flex gap-1">
              <button
                type="button"
                className="button button-plain !px-2"
                aria-label="Undo"
                title="Undo (Ctrl+Z)"
                disabled={!canUndo}
                onClick={() => draft.undo()}
              >
                <Undo2 size={17} aria-hidden="true" />
              </button>
              <button
                type="button"
                className="button button-plain !px-2"
                aria-label="Redo"
                title="Redo (Ctrl+Y)"
                disabled={!canRedo}
                onClick={() => draft.redo()}
              >
                <Redo2 size={17} aria-hidden="true" />
              </button>
              <button
                type="button"
                className="button"
                disabled={choice.kind === 'nothing'}
                onClick={() => document.querySelector<HTMLInputElement>('[data-link-field]')?.focus()}
              >
                <Link2 size={16} aria-hidden="true" />
                Link <kbd className="max-lg:hidden">Ctrl K</kbd>
              </button>
            </span>
          )}
        </header>
        {theirs !== null && <Conflict theirs={theirs} onTheirs={() => draft.takeTheirs()} onMine={() => draft.keepMine()} />}
        <iframe
          ref={frame.place}
          src="/pages/frame"
          title={`The page ${source.title}`}
          className="sheet min-h-0 w-full flex-1 bg-white"
          sandbox="allow-scripts"
          data-shown={frame.isShown}
        />
      </section>
      <aside
        className="w-[340px] shrink-0 overflow-y-auto border-l px-5 py-4 max-lg:w-full max-lg:border-t max-lg:border-l-0"
        aria-label="The chosen link"
      >
        <LinkPanel
          key={choice.kind === 'words' ? `${choice.from} ${choice.to}` : choice.kind === 'link' ? `link ${choice.start}` : 'nothing'}
          choice={choice}
          chosen={chosen}
          delivered={delivered}
          draft={draft}
          text={text}
          path={source.path}
          site={site}
          canEdit={canEdit}
          pasted={pasted}
          onChoose={choose}
          onPoint={pointAt}
        />
      </aside>
    </>
  )
}

/** Both sides, and a person's choice; nothing is lost either way. */
function Conflict({ theirs, onTheirs, onMine }: { theirs: PageSource; onTheirs: () => void; onMine: () => void }) {
  return (
    <div role="alert" className="sheet mb-3 grid gap-2 border-l-4 px-4 py-3" style={{ borderLeftColor: 'var(--red)' }}>
      <p>
        <b>{theirs.editedBy ?? 'Somebody'}</b> saved a newer version of this page and changed the same place as you. Yours is what you see
        here; theirs is saved. Whichever you choose, the other one stays in the page’s history or in this window until you choose.
      </p>
      <p className="flex flex-wrap gap-2.5">
        <button type="button" className="button" onClick={onTheirs}>
          Take theirs
        </button>
        <button type="button" className="button" onClick={onMine}>
          Put mine on top
        </button>
      </p>
    </div>
  )
}

interface FrameUse {
  text: string
  html: string
  css: string
  onChoice: (choice: Choice) => void
  onKey: (key: 'link' | 'undo' | 'redo') => void
  onPaste: (text: string) => void
}

/** Talks with the frame: shows the newest text in it, and turns its shown places into source offsets. */
function useFrame(use: FrameUse) {
  const place = useRef<HTMLIFrameElement>(null)
  const newest = useRef(use)
  newest.current = use
  const [isReady, setReady] = useState(false)
  const [isShown, setShown] = useState(false)
  useEffect(() => {
    const onMessage = ({ source, data }: MessageEvent<FromFrame>): void => {
      if (source !== place.current?.contentWindow) return
      const { text, onChoice, onKey, onPaste } = newest.current
      if (data.type === 'ready') setReady(true)
      else if (data.type === 'shown') setShown(true)
      else if (data.type === 'link') onChoice({ kind: 'link', start: data.start })
      else if (data.type === 'key') onKey(data.key)
      else if (data.type === 'paste') onPaste(data.text)
      else if (data.type === 'selection') {
        onChoice({
          kind: 'words',
          from: sourceOffset(text, data.from.run, data.from.shown),
          to: sourceOffset(text, data.to.run, data.to.shown),
          words: data.words,
        })
      }
    }
    addEventListener('message', onMessage)
    return () => removeEventListener('message', onMessage)
  }, [])
  const { html, css } = use
  const tell = useCallback((message: ToFrame): void => place.current?.contentWindow?.postMessage(message, '*'), [])
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new mark alone needs no new page; it comes with the next one
  useEffect(() => {
    if (isReady) tell({ type: 'show', html, css })
  }, [isReady, html])
  useEffect(() => {
    if (isReady) tell({ type: 'style', css })
  }, [isReady, css, tell])
  return { place, isShown, point: tell }
}

/** Underlines that carry the strand's meaning, in the page itself. */
function frameCss(chosen: number | null): string {
  const line = (strand: string, style: string): string =>
    `[data-rope-strand="${strand}"]{text-decoration:underline ${style}!important;text-underline-offset:4px!important;cursor:pointer}`
  const mark =
    chosen === null
      ? ''
      : `[data-rope-at="${chosen}"]{outline:2px solid #B98D4F!important;outline-offset:3px;background:#F3E3BF!important;color:#16283A!important;border-radius:2px}`
  return `${line('vouched', 'solid #24716A 2px') + line('nofollow', 'dashed #7E5A28 2px') + line('sponsored', 'double #7E5A28 2px') + line('ugc', 'dotted #51616E 2.5px') + mark}::selection{background:#F3E3BF;color:#16283A}`
}
