import { lazy, Suspense, useCallback, useEffect, useMemo, useRef, useState } from 'react'
import { toast } from 'sonner'
import type { Page, PageList as PageListData, PageSource } from '../../contract/pages.ts'
import { scanPictures } from '../../core/markup/index.ts'
import type { DeliveredLink, SiteSetup } from '../../core/rules/index.ts'
import { Problem } from '../../ui/Form.tsx'
import { Queries, useAsk } from '../../ui/query.tsx'
import { tellPageAtHand, tellSaving } from '../../ui/saving.ts'
import { useSite } from '../../ui/short-links.ts'
import { inWords } from '../../words/index.ts'
import { PageList } from '../pages/PageList.tsx'
import { AddressDialog } from './AddressDialog.tsx'
import { useAnalysis } from './analysis.ts'
import { saveDraft } from './api.ts'
import { BannerDialog } from './BannerDialog.tsx'
import { BlockFields } from './BlockFields.tsx'
import { Conflict } from './Conflict.tsx'
import { type Choice, choiceAt, makeLink, type Selected } from './choice.ts'
import { PageDraft } from './draft.ts'
import { useDraftState } from './draft-state.ts'
import { EditorHead } from './EditorHead.tsx'
import { Frame, type FrameHandle, linkInThing } from './Frame.tsx'
import type { Key, Standing, Stretch } from './frame/messages.ts'
import type { Parts } from './frame/things.ts'
import { History } from './History.tsx'
import { panelKeyOf, useChoiceKept } from './kept-choice.ts'
import { readDestination } from './link/LinkField.tsx'
import { LinkPanel } from './link/LinkPanel.tsx'
import { applyTo, showLinkAt } from './link/panel.tsx'
import { mendPiece } from './link/pasted.ts'
import { Preview } from './Preview.tsx'
import { usePutIn } from './put-in.ts'
import { type SuggestedHandle, SuggestedHere } from './SuggestedHere.tsx'
import { Toolbar } from './Toolbar.tsx'
import { tellClosedPart, tellDiffered, tellPart } from './tellings.ts'

const SourceEditor = lazy(() => import('./SourceEditor.tsx'))

interface PageEditorProps {
  page: Page
  list: PageListData
  setup: SiteSetup
  /** Path on the studio's host from which the site's files are shown. */
  files: string
  parts: Parts
  port: number
  canEdit: boolean
  /** May move pages, and take them away. */
  canPublish: boolean
  /** Outside links that this person makes wait for an editor. */
  waits: boolean
  chosenLink: number | null
}

/** A page, or a block that pages share, as readers see it: written on, linked, compared, looked at on a phone. */
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
  const { data, error } = useAsk(
    'pages.source',
    { id: props.page.id },
    { staleTime: Number.POSITIVE_INFINITY, gcTime: 0, refetchOnWindowFocus: false },
  )
  if (error !== null) return <Problem error={error} className="p-8" />
  if (data === undefined) return <p className="p-8 text-ink-soft">Opening the page…</p>
  return <Editor key={data.id} {...props} source={data} />
}

/** Beyond this a page is opened as source; built as a page it would be slow to write on. */
const VISUAL_MAX_CHARS = 3_000_000

function useDraft(source: PageSource) {
  const [waiting, setWaiting] = useState<readonly string[]>(source.waiting)
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
        onSaving: tellSaving,
        onSaved: (page) => setWaiting((before) => (before.join(' ') === page.waiting.join(' ') ? before : page.waiting)),
      }),
  )
  return { draft, waiting }
}

function Editor({ source, setup, files, parts, port, canEdit, canPublish, waits, chosenLink }: PageEditorProps & { source: PageSource }) {
  const { draft, waiting } = useDraft(source)
  useEffect(() => draft.meet(source), [draft, source])
  useEffect(() => {
    tellPageAtHand({ id: source.id, title: source.title })
    return () => tellPageAtHand(null)
  }, [source.id, source.title])
  const theirs = useDraftState(draft, (state) => state.theirs)
  const news = useDraftState(draft, (state) => state.news)
  const site = useSite(setup, port)
  const analysis = useAnalysis(draft, site, source.path, waiting)
  const [mode, setMode] = useState<'page' | 'source'>(source.source.length > VISUAL_MAX_CHARS ? 'source' : 'page')
  const [isClosed, setClosed] = useState(false)
  const [selected, setSelected] = useState<Selected>({ from: 0, to: 0, words: '' })
  /** Chosen in the panel; holds until something is selected in the page. */
  const [explicit, setExplicit] = useState<Choice | null>(chosenLink === null ? null : { kind: 'link', start: chosenLink })
  const [typed, setTyped] = useState({ text: '', at: 0 })
  const [moving, setMoving] = useState<DeliveredLink | null>(null)
  const [standing, setStanding] = useState<Standing | null>(null)
  const [pointed, setPointed] = useState<Stretch | null>(null)
  const [open, setOpen] = useState<'history' | 'preview' | 'address' | 'banner' | null>(null)
  const frame = useRef<FrameHandle>(null)
  const suggestedHere = useRef<SuggestedHandle>(null)
  const pictureField = useRef<HTMLInputElement>(null)
  const derived = useMemo(() => choiceAt(analysis, selected), [analysis, selected])
  const choice = explicit ?? derived
  useChoiceKept(draft, setExplicit, setSelected)

  useEffect(() => {
    if (news !== null) toast(news)
  }, [news])
  /** The field for the destination; where no words are chosen, the one for words: nothing typed next may go into the page. */
  const focusField = useCallback(
    () =>
      (
        document.querySelector<HTMLInputElement>('[data-link-field]') ?? document.querySelector<HTMLInputElement>('[data-words-field]')
      )?.focus(),
    [],
  )
  const point = (at: Stretch): void => {
    if (mode === 'page') frame.current?.point(at)
    else setPointed({ ...at })
  }
  const onSelect = useCallback((next: Selected, isEcho = false): void => {
    setSelected((before) => (before.from === next.from && before.to === next.to && before.words === next.words ? before : next))
    if (!isEcho) setExplicit(null)
  }, [])
  /** What was chosen may be gone; the caret tells what is meant now. */
  const turnBack = (way: 'undo' | 'redo'): void => {
    setExplicit(null)
    draft[way]()
  }
  const onKey = (key: Key): void => {
    if (key === 'link') focusField()
    else if (key === 'suggested') suggestedHere.current?.take()
    else if (key === 'leave') document.querySelector<HTMLElement>('[data-panel]')?.focus()
    else if (canEdit) turnBack(key)
  }
  /** An address that was pasted or dropped onto words, or onto a picture, links them at once. */
  const onAddress = (text: string): void => {
    const { destination, repaired, refusal } = readDestination(text, site.around(source.path))
    const onto = choiceAt(analysis, selected)
    if (!canEdit) return
    if (destination === null || (onto.kind !== 'words' && onto.kind !== 'picture')) {
      toast.error(refusal ?? 'Select the words to link first.')
      setTyped(({ at }) => ({ text: text.trim(), at: at + 1 }))
      return
    }
    if (!applyTo(draft, analysis, makeLink(analysis.text, onto, destination, {}))) return
    const mends = repaired?.repairs.map(({ what }) => inWords(what)) ?? []
    toast.success(mends.length === 0 ? 'Linked.' : `Linked. ${mends.join('. ')}.`)
    if (onto.kind === 'words') showLinkAt({ draft, onChoose: setExplicit, onPoint: point }, onto.from)
  }
  const { onFiles, insertButton } = usePutIn({ frame, draft, analysis, setup, canEdit, onChoose: setExplicit })
  const newest = useRef(onKey)
  newest.current = onKey
  useEffect(() => {
    const onWindowKey = (event: KeyboardEvent): void => {
      if (!(event.ctrlKey || event.metaKey)) return
      const key = event.key.toLowerCase()
      const writes = event.target instanceof Element && event.target.closest('input,textarea,select,[contenteditable]') !== null
      if (key === 'k') focusField()
      else if (writes) return
      else if (key === 'z') newest.current(event.shiftKey ? 'redo' : 'undo')
      else if (key === 'y') newest.current('redo')
      else return
      event.preventDefault()
    }
    addEventListener('keydown', onWindowKey)
    return () => removeEventListener('keydown', onWindowKey)
  }, [focusField])
  const panelKey = panelKeyOf(choice, analysis, typed.at)
  /** Escape empties the panel, and the page has the focus again. */
  const leavePanel = (event: React.KeyboardEvent): void => {
    if (event.key !== 'Escape' || event.defaultPrevented) return
    event.preventDefault()
    setMoving(null)
    setExplicit({ kind: 'nothing' })
    if (mode === 'page') frame.current?.point(selected.to > 0 ? { from: selected.to, to: selected.to } : selected, true)
  }
  return (
    <>
      <section className="flex min-w-0 flex-1 flex-col p-4 pt-3 max-lg:h-[76dvh] max-lg:flex-none max-md:p-2" aria-label="The page">
        <EditorHead
          source={source}
          draft={draft}
          mode={mode}
          canEdit={canEdit}
          canPublish={canPublish}
          onTurn={turnBack}
          onOpen={setOpen}
          onMode={setMode}
        />
        {theirs !== null && (
          <Conflict theirs={theirs} mine={draft.state.text} onTheirs={() => draft.takeTheirs()} onMine={() => draft.keepMine()} />
        )}
        {isClosed && mode === 'page' && (
          <p role="status" className="sheet mb-2 px-3 py-2 text-[14px]">
            This page’s markup is put together in a way that cannot be written on here. Its links can be chosen and changed beside it, and
            all of it in the source.
          </p>
        )}
        <Toolbar
          standing={mode === 'page' && canEdit ? standing : undefined}
          canEdit={canEdit}
          canLink={choice.kind !== 'nothing'}
          onLink={focusField}
          onCommand={(command) => frame.current?.run(command)}
          onPicture={() => pictureField.current?.click()}
          onButton={insertButton}
          onBanner={setup.partners.length === 0 ? null : () => setOpen('banner')}
        />
        <input
          ref={pictureField}
          type="file"
          accept="image/*"
          className="hidden"
          aria-label="A picture from this computer"
          onChange={(event) => void onFiles([...(event.target.files ?? [])])}
        />
        {mode === 'page' ? (
          <Frame
            handle={frame}
            title={source.title}
            draft={draft}
            analysis={analysis}
            choice={choice}
            address={source.address}
            files={files}
            parts={parts}
            canEdit={canEdit}
            select={selected.from > 0 ? selected : null}
            onSelect={onSelect}
            onStanding={setStanding}
            onLinkIn={(thing, ordinal) => {
              const start = linkInThing(draft.state.text, thing, ordinal)
              if (start !== null) setExplicit({ kind: 'link', start })
            }}
            onPictureIn={(thing, ordinal) => {
              const picture = scanPictures(draft.state.text).filter(({ start }) => start >= thing)[ordinal]
              if (picture !== undefined) setExplicit({ kind: 'picture', start: picture.start })
            }}
            onPart={tellPart}
            onClosedPart={tellClosedPart}
            onDiffered={(how) => tellDiffered(source.id, how)}
            onKey={onKey}
            onAddress={onAddress}
            onPiece={(html) => mendPiece(html, site.around(source.path))}
            onFiles={(files) => void onFiles(files)}
            onClosed={() => setClosed(true)}
          />
        ) : (
          <Suspense fallback={<p className="p-8 text-ink-soft">Opening the source…</p>}>
            <SourceEditor draft={draft} canEdit={canEdit} select={selected} pointed={pointed} onSelect={onSelect} onKey={onKey} />
          </Suspense>
        )}
        {canEdit && source.kind === 'page' && (
          <SuggestedHere
            handle={suggestedHere}
            selected={selected}
            pageId={source.id}
            analysis={analysis}
            draft={draft}
            path={source.path}
            site={site}
          />
        )}
      </section>
      <aside
        className="w-[340px] shrink-0 overflow-y-auto border-l px-5 py-4 outline-none max-lg:w-full max-lg:border-t max-lg:border-l-0"
        aria-label="The chosen link"
        data-panel
        tabIndex={-1}
        onKeyDown={leavePanel}
      >
        {source.kind === 'block' && choice.kind === 'nothing' && <BlockFields draft={draft} canEdit={canEdit} />}
        <LinkPanel
          key={panelKey}
          choice={choice}
          analysis={analysis}
          draft={draft}
          pageId={source.id}
          path={source.path}
          site={site}
          canEdit={canEdit}
          waits={waits}
          typed={typed.text}
          caret={selected.from}
          moving={moving}
          onMove={setMoving}
          onChoose={setExplicit}
          onPoint={point}
        />
      </aside>
      {open === 'address' && <AddressDialog page={source} onClose={() => setOpen(null)} />}
      {open === 'banner' && (
        <BannerDialog
          path={source.path}
          site={site}
          onInsert={(banner) => frame.current?.run({ name: 'insert', ...banner })}
          onClose={() => setOpen(null)}
        />
      )}
      {open === 'history' && (
        <History
          page={source}
          version={draft.state.text === source.source ? source.version : null}
          draft={draft}
          onClose={() => setOpen(null)}
        />
      )}
      {open === 'preview' && (
        <Preview
          text={draft.state.text}
          notes={draft.state.notes}
          path={source.path}
          address={source.address}
          site={site}
          parts={parts}
          waiting={waiting}
          files={files}
          onClose={() => setOpen(null)}
        />
      )}
    </>
  )
}
