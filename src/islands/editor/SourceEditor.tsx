import { html } from '@codemirror/lang-html'
import { HighlightStyle, syntaxHighlighting } from '@codemirror/language'
import { openSearchPanel } from '@codemirror/search'
import { Annotation, EditorState, RangeSetBuilder, Text } from '@codemirror/state'
import { Decoration, type DecorationSet, EditorView, keymap, ViewPlugin, type ViewUpdate } from '@codemirror/view'
import { tags } from '@lezer/highlight'
import { basicSetup } from 'codemirror'
import { useEffect, useRef } from 'react'
import { differenceOf, scanLinks } from '../../core/markup/index.ts'
import type { Selected } from './choice.ts'
import type { PageDraft } from './draft.ts'
import type { Key, Stretch } from './frame/messages.ts'

interface SourceEditorProps {
  draft: PageDraft
  canEdit: boolean
  /** Where the caret stood in the other mode. */
  select: Stretch
  /** A place to show; a new object each time. */
  pointed: Stretch | null
  onSelect: (selected: Selected) => void
  onKey: (key: Key) => void
}

/** A change that came from the draft: it is not given back to it. */
const fromDraft = Annotation.define<boolean>()

/** Links pulled into view are underlined as in the page. */
const linkMarks = ViewPlugin.fromClass(
  class {
    decorations: DecorationSet
    constructor(view: EditorView) {
      this.decorations = marksIn(view)
    }
    update(update: ViewUpdate): void {
      if (update.docChanged || update.viewportChanged) this.decorations = marksIn(update.view)
    }
  },
  { decorations: (plugin) => plugin.decorations },
)
const MARK = Decoration.mark({ class: 'cm-rope' })

function marksIn(view: EditorView): DecorationSet {
  const builder = new RangeSetBuilder<Decoration>()
  const { from, to } = view.viewport
  const lines = lineEnds(view.state.doc, view.state.lineBreak)
  for (const link of scanLinks(view.state.doc.sliceString(0, view.state.doc.length, view.state.lineBreak)).links) {
    const [a, b] = [lines.position(link.start), lines.position(Math.max(link.end, link.outerEnd))]
    if (b > from && a < to) builder.add(a, b, MARK)
  }
  return builder.finish()
}

/** The editor counts a line end as one, the source may have two characters there. */
function lineEnds(doc: Text, lineBreak: string): { position: (offset: number) => number; offset: (position: number) => number } {
  if (lineBreak.length === 1) return { position: (offset) => Math.min(offset, doc.length), offset: (position) => position }
  return {
    offset: (position) => position + doc.lineAt(position).number - 1,
    position: (offset) => {
      let [low, high] = [1, doc.lines]
      while (low < high) {
        const middle = Math.ceil((low + high) / 2)
        if (doc.line(middle).from + middle - 1 <= offset) low = middle
        else high = middle - 1
      }
      const line = doc.line(low)
      return Math.min(line.to, Math.max(line.from, offset - (low - 1)))
    },
  }
}

const look = EditorView.theme({
  '&': { height: '100%', backgroundColor: 'var(--sheet)', color: 'var(--ink)', fontSize: '13.5px' },
  '.cm-scroller': { fontFamily: 'var(--font-mono)', fontVariantLigatures: 'none', lineHeight: '1.6' },
  '.cm-gutters': { backgroundColor: 'var(--paper)', color: 'var(--ink-soft)', border: 'none' },
  '.cm-activeLine, .cm-activeLineGutter': { backgroundColor: 'color-mix(in srgb, var(--sun) 45%, transparent)' },
  '&.cm-focused .cm-selectionBackground, .cm-selectionBackground': { backgroundColor: 'var(--sun) !important' },
  '.cm-cursor': { borderLeftColor: 'var(--ink)' },
  '.cm-rope': { textDecoration: 'underline solid var(--sea) 2px', textUnderlineOffset: '4px' },
  '.cm-panels': { backgroundColor: 'var(--paper)', color: 'var(--ink)' },
  '.cm-foldPlaceholder': { backgroundColor: 'var(--paper)', borderColor: 'var(--edge)', color: 'var(--ink-soft)' },
})
const colours = HighlightStyle.define([
  { tag: tags.tagName, color: 'var(--sea)' },
  { tag: tags.attributeName, color: 'var(--rope-text)' },
  { tag: tags.attributeValue, color: 'var(--ink)', fontWeight: '600' },
  { tag: tags.comment, color: 'var(--ink-soft)', fontStyle: 'italic' },
  { tag: [tags.keyword, tags.angleBracket, tags.documentMeta], color: 'var(--ink-soft)' },
])

/** The page as HTML source: highlighted, searched with Ctrl F, its links underlined. It and the page agree at every moment. */
export default function SourceEditor({ draft, canEdit, select, pointed, onSelect, onKey }: SourceEditorProps) {
  const place = useRef<HTMLDivElement>(null)
  const view = useRef<EditorView | null>(null)
  const newest = useRef({ onSelect, onKey })
  newest.current = { onSelect, onKey }
  const first = useRef(select)

  useEffect(() => {
    if (place.current === null) return
    const { text } = draft.state
    // Only where every line ends with two characters; mixed ones are kept as characters of the line.
    const isCrLf = text.includes('\r\n') && !/(?:^|[^\r])\n/.test(text) && !/\r(?!\n)/.test(text)
    const lineBreak = isCrLf ? '\r\n' : '\n'
    const say = (key: Key) => (): boolean => {
      newest.current.onKey(key)
      return true
    }
    const editor = new EditorView({
      parent: place.current,
      state: EditorState.create({
        doc: text,
        extensions: [
          EditorState.lineSeparator.of(lineBreak),
          keymap.of([
            { key: 'Mod-k', run: say('link') },
            { key: 'Mod-Enter', run: say('suggested') },
            { key: 'Mod-z', run: say('undo') },
            { key: 'Mod-y', run: say('redo') },
            { key: 'Mod-Shift-z', run: say('redo') },
          ]),
          basicSetup,
          EditorState.readOnly.of(!canEdit),
          html(),
          look,
          syntaxHighlighting(colours),
          linkMarks,
          EditorView.lineWrapping,
          EditorView.contentAttributes.of({ 'aria-label': 'HTML source of the page' }),
          EditorView.updateListener.of((update) => {
            const before = lineEnds(update.startState.doc, lineBreak)
            if (update.docChanged && !update.transactions.some((tr) => tr.annotation(fromDraft) === true)) {
              const patches: { from: number; to: number; insert: string }[] = []
              update.changes.iterChanges((from, to, _a, _b, inserted) => {
                patches.push({
                  from: before.offset(from),
                  to: before.offset(to),
                  insert: inserted.sliceString(0, inserted.length, lineBreak),
                })
              })
              draft.change(patches, 'typing')
            }
            if (update.docChanged || update.selectionSet) {
              const { main } = update.state.selection
              const now = lineEnds(update.state.doc, lineBreak)
              newest.current.onSelect({
                from: now.offset(main.from),
                to: now.offset(main.to),
                words: update.state.sliceDoc(main.from, main.to).trim().replace(/\s+/g, ' '),
              })
            }
          }),
        ],
      }),
    })
    view.current = editor
    const lines = lineEnds(editor.state.doc, lineBreak)
    editor.dispatch({
      selection: { anchor: lines.position(first.current.from), head: lines.position(first.current.to) },
      effects: EditorView.scrollIntoView(lines.position(first.current.from), { y: 'center' }),
    })
    editor.focus()
    const stop = draft.subscribe(() => {
      // Compared with single line ends, which is how the editor counts.
      const change = differenceOf(
        editor.state.doc.toString(),
        lineBreak === '\n' ? draft.state.text : draft.state.text.replaceAll('\r\n', '\n'),
      )
      if (change === null) return
      editor.dispatch({
        changes: { from: change.from, to: change.to, insert: Text.of(change.insert.split('\n')) },
        annotations: fromDraft.of(true),
      })
    })
    return () => {
      stop()
      editor.destroy()
      view.current = null
    }
  }, [draft, canEdit])

  useEffect(() => {
    const editor = view.current
    if (editor === null || pointed === null) return
    const lines = lineEnds(editor.state.doc, editor.state.lineBreak)
    const [anchor, head] = [lines.position(pointed.from), lines.position(pointed.to)]
    editor.dispatch({ selection: { anchor, head }, effects: EditorView.scrollIntoView(anchor, { y: 'center' }) })
  }, [pointed])

  return (
    <div className="sheet flex min-h-0 flex-1 flex-col overflow-hidden rounded-t-none">
      <p className="note flex items-center gap-3 border-b px-3 py-1.5">
        HTML source
        <button
          type="button"
          className="underline underline-offset-3"
          onClick={() => view.current !== null && openSearchPanel(view.current)}
        >
          Search
        </button>
        <kbd>Ctrl F</kbd>
      </p>
      <div ref={place} className="min-h-0 flex-1 overflow-hidden" data-source />
    </div>
  )
}
