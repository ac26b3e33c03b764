import { EditorState, NodeSelection, Selection, TextSelection, type Transaction } from '@tiptap/pm/state'
import { Decoration, DecorationSet, EditorView } from '@tiptap/pm/view'
import type { Patch } from '../../../core/markup/index.ts'
import {
  placeOf,
  positionOf,
  readWriting,
  schema,
  sourceOf,
  sourceOfPage,
  type WritingPage,
  writingDifference,
  writingOf,
} from '../../../core/writing/index.ts'
import { actFor, standingOf } from './commands.ts'
import type { Command, DrawnLink, FromFrame, Spot, Stretch } from './messages.ts'
import { cleanPiece } from './paste.ts'
import { drawing, plugins } from './plugins.ts'
import { firstWords, ON_PURPOSE, openPart, surroundings } from './surroundings.ts'
import { imageView, type Parts, thingView } from './things.ts'
import { anew, isOneAddress, moved, sourceOfSlice, typedAgain } from './written.ts'

/** A change that came from the studio: it is not told back. */
const FROM_STUDIO = 'from studio'

/** The page being written on: an editor over its body, which tells every change as a patch of the source. */
export class Writer {
  readonly view: EditorView
  #page: WritingPage
  #sync: number
  #seq: number
  /** A text from the studio is being taken over. */
  #isTaking = false
  /** Somebody has chosen a place already: by a press, or by what the studio pointed at. */
  #isEntered = false
  readonly #tell: (message: FromFrame) => void

  constructor(
    place: HTMLElement,
    page: WritingPage,
    options: { sync: number; seq: number; isEditable: boolean; parts: Parts; tell: (message: FromFrame) => void },
  ) {
    this.#page = page
    this.#sync = options.sync
    this.#seq = options.seq
    this.#tell = options.tell
    this.view = new EditorView(
      { mount: place },
      {
        state: EditorState.create({
          doc: page.doc,
          plugins: [surroundings(({ name, from }) => options.tell({ type: 'closed part', name, at: from })), ...plugins(options.tell)],
        }),
        editable: () => options.isEditable,
        dispatchTransaction: (tr) => this.#dispatch(tr),
        nodeViews: {
          thing: (node) => thingView(node, () => options.parts),
          bit: (node) => thingView(node, () => options.parts),
          image: (node) => imageView(node),
        },
        handleClick: (_view, _position, event) => this.#onClick(event),
        handlePaste: (_view, event) => this.#onPaste(event),
        handleDrop: (_view, event, _slice, isMoved) => this.#onDrop(event, isMoved),
        handleTextInput: (view, _from, _to, text) => typeBeside(view, text),
        handleDOMEvents: {
          copy: (_view, event) => this.#onCopy(event, false),
          cut: (_view, event) => this.#onCopy(event, true),
          mousedown: () => {
            this.#isEntered = true
            return false
          },
          focus: () => this.#onFocus(),
        },
        attributes: { spellcheck: 'false', 'aria-label': 'The page', role: 'textbox', 'aria-multiline': 'true' },
      },
    )
  }

  /** Tells whether offsets that count in that text hold here. */
  isCurrentAt(sync: number, ack: number): boolean {
    return sync === this.#sync && ack === this.#seq
  }

  get seq(): number {
    return this.#seq
  }

  mayTake(ack: number): boolean {
    return ack === this.#seq
  }

  #dispatch(tr: Transaction): void {
    const before = this.view.state
    let { state } = before.applyTransaction(tr)
    if (tr.getMeta(FROM_STUDIO) === true) return this.view.updateState(state)
    if (state.doc !== before.doc) {
      const written = this.#written(before, state)
      state = written.state
      this.#page = { ...this.#page, doc: state.doc }
      try {
        this.view.updateState(state)
      } finally {
        // Whatever goes wrong while it is drawn: what was written is told.
        if (written.patch !== null) {
          this.#seq++
          this.#tell({ type: 'edit', sync: this.#sync, seq: this.#seq, patch: written.patch, select: this.#selected() })
        }
      }
    } else this.view.updateState(state)
    if (state.doc !== before.doc || !state.selection.eq(before.selection) || state.storedMarks !== before.storedMarks) this.tellSelection()
  }

  /**
   * The change of the source for what was written, once it was seen that the source then says what is shown. Where it would
   * not, the blocks are written anew; where that does not help either, they are drawn as they were, with what was typed in.
   */
  #written(before: EditorState, state: EditorState): { state: EditorState; patch: Patch | null } {
    const writing = writingOf(this.#page, state.doc)
    if (writing === null || writing.isTrue) return { state, patch: writing?.patch ?? null }
    for (const [how, next] of [
      ['written anew', anew(state, writing.difference)],
      ['typed again', typedAgain(before, state)],
    ] as const) {
      const again = writingOf(this.#page, next.doc, false)
      if (again?.isTrue === false) continue
      this.#tell({ type: 'differed', how })
      return { state: next, patch: again?.patch ?? null }
    }
    this.#tell({ type: 'differed', how: 'taken back' })
    return { state: before, patch: null }
  }

  #selected(): Stretch {
    const { selection } = this.view.state
    if (selection.empty) {
      const at = placeOf(this.#page, selection.from, -1)
      return { from: at, to: at }
    }
    return { from: placeOf(this.#page, selection.from, 1), to: placeOf(this.#page, selection.to, -1) }
  }

  /** Whoever comes in by the Tab key stands at the first words, not on the logo. */
  #onFocus(): boolean {
    const begin = (): void => {
      if (this.#isEntered || this.view.isDestroyed) return
      this.#isEntered = true
      const { state } = this.view
      const { anchorNode, anchorOffset } = document.getSelection() ?? { anchorNode: null, anchorOffset: 0 }
      const isElsewhere = anchorNode !== null && this.view.posAtDOM(anchorNode, anchorOffset) > Selection.atStart(state.doc).to
      const at = isElsewhere ? null : firstWords(state.doc)
      if (at !== null) this.view.dispatch(state.tr.setSelection(TextSelection.create(state.doc, at)).scrollIntoView())
    }
    setTimeout(begin) // once the browser has put its own caret
    return false
  }

  /** Lets the part that a place lies in be written on. */
  openPart(at: number): void {
    openPart(this.view, at)
    this.view.focus()
  }

  tellSelection(): void {
    const { state } = this.view
    const { selection } = state
    const words =
      selection instanceof NodeSelection ? '' : state.doc.textBetween(selection.from, selection.to, ' ', ' ').replace(/\s+/g, ' ').trim()
    this.#tell({
      type: 'select',
      sync: this.#sync,
      seq: this.#seq,
      at: this.#selected(),
      words,
      standing: standingOf(state),
      ends: this.#ends(),
      isEcho: this.#isTaking,
    })
  }

  #ends(): Spot | null {
    const { selection } = this.view.state
    if (selection.empty) return null
    const { left, bottom } = this.view.coordsAtPos(selection.to, -1)
    return bottom < 0 || bottom > innerHeight ? null : { left, bottom }
  }

  /** Takes over a newer text. @returns false when it cannot be shown without building the page anew */
  take(sync: number, text: string, select: Stretch | null): boolean {
    const next = readWriting(text)
    if (next === null || next.head !== this.#page.head || next.foot !== this.#page.foot) return false
    const was = sourceOfPage(this.#page)
    const stretch = select ?? moved(was, text, this.#selected())
    const difference = writingDifference(this.#page.doc, next.doc)
    this.#sync = sync
    if (difference !== null) {
      const { tr } = this.view.state
      tr.replaceWith(difference.from, difference.to, [...difference.nodes])
      tr.setMeta(FROM_STUDIO, true).setMeta(ON_PURPOSE, true)
      this.view.dispatch(tr)
    }
    this.#page = { ...next, doc: this.view.state.doc }
    if (sourceOf(this.view.state.doc) !== sourceOf(next.doc)) return false
    this.#isTaking = true
    this.#choose(stretch, false)
    this.#isTaking = false
    return true
  }

  /** Chooses a stretch of the source and brings it into sight. */
  select(stretch: Stretch, isFocused: boolean): void {
    this.#isEntered = true
    this.#choose(stretch, isFocused)
  }

  #choose({ from, to }: Stretch, isFocused: boolean): void {
    const { state } = this.view
    const [a, b] = [from, to].map((offset) => Math.min(positionOf(this.#page, offset), state.doc.content.size)) as [number, number]
    const node = state.doc.nodeAt(a)
    const tr = state.tr
    if (
      from < to &&
      node !== null &&
      (node.type === schema.nodes.image || node.type.isAtom) &&
      !node.isText &&
      a === b - (b > a ? node.nodeSize : 0)
    )
      tr.setSelection(NodeSelection.create(state.doc, a))
    else {
      const $a = state.doc.resolve(a)
      tr.setSelection($a.parent.inlineContent ? TextSelection.between($a, state.doc.resolve(b)) : Selection.near($a))
    }
    if (!tr.selection.eq(state.selection) || isFocused) this.view.dispatch(tr.scrollIntoView())
    if (isFocused) this.view.focus()
  }

  /** Underlines links by what search engines are told of them. */
  draw(links: readonly DrawnLink[]): void {
    const { state } = this.view
    const made = links.map(({ from, to, strand, isChosen }) => {
      const [a, b] = [positionOf(this.#page, from), positionOf(this.#page, to)]
      const attributes = { 'data-rope-strand': strand, ...(isChosen ? { 'data-rope-chosen': '' } : {}) }
      const $a = state.doc.resolve(Math.min(a, state.doc.content.size))
      if (a === b && !$a.parent.inlineContent && $a.nodeAfter !== null && !$a.nodeAfter.isInline)
        return Decoration.node(a, a + $a.nodeAfter.nodeSize, attributes)
      return Decoration.inline(a, Math.max(a, b), attributes)
    })
    this.view.dispatch(
      state.tr.setMeta(drawing, DecorationSet.create(state.doc, made)).setMeta(FROM_STUDIO, true).setMeta('addToHistory', false),
    )
  }

  run(command: Command): void {
    actFor(command)(this.view.state, (tr) => this.view.dispatch(tr))
    this.view.focus()
  }

  /** A picture or a link in something that is kept as it is: told by its number there. */
  #onClick(event: MouseEvent): boolean {
    const thing = event.target instanceof Element ? event.target.closest('[data-thing]') : null
    if (thing === null || !(event.target instanceof Element)) return false
    const part = thing.getAttribute('data-part')
    if (part !== null) {
      this.#tell({ type: 'part', part })
      return false
    }
    for (const [what, all] of [
      ['picture in thing', 'img'],
      ['link in thing', 'a[href],area[href]'],
    ] as const) {
      const hit = event.target.closest(all)
      const ordinal = hit === null ? -1 : [...thing.querySelectorAll(all)].indexOf(hit)
      if (ordinal === -1) continue
      this.#tell({ type: what, at: placeOf(this.#page, Math.max(0, this.view.posAtDOM(thing, 0)), 1), ordinal })
      return false
    }
    return false
  }

  #onPaste(event: ClipboardEvent): boolean {
    const data = event.clipboardData
    if (data === null || !this.view.editable) return false
    const files = [...data.files]
    if (files.length > 0) {
      this.#tell({ type: 'files', files })
      return true
    }
    const text = data.getData('text/plain').trim()
    const { selection } = this.view.state
    if (!selection.empty && isOneAddress(text)) {
      this.#tell({ type: 'address', text, how: 'pasted' })
      return true
    }
    const html = data.getData('text/html')
    const source = html === '' ? null : cleanPiece(html)
    if (source !== null && source.trim() !== '') {
      this.#tell({ type: 'piece', html: source }) // its links are looked at before it comes in
      return true
    }
    return false // plain text: the editor's own way
  }

  #onDrop(event: DragEvent, isMoved: boolean): boolean {
    if (isMoved || event.dataTransfer === null) return false
    const files = [...event.dataTransfer.files]
    if (files.length > 0) {
      this.#tell({ type: 'files', files })
      return true
    }
    const address = (
      event.dataTransfer
        .getData('text/uri-list')
        .split(/\r?\n/)
        .find((line) => line !== '' && !line.startsWith('#')) ?? event.dataTransfer.getData('text/plain')
    ).trim()
    if (!isOneAddress(address)) return false
    event.preventDefault()
    if (this.view.state.selection.empty) this.#selectWordAt(event)
    this.#tell({ type: 'address', text: address, how: 'dropped' })
    return true
  }

  /** Dropped where nothing was chosen: the word under the pointer is meant. */
  #selectWordAt(event: DragEvent): void {
    const found = this.view.posAtCoords({ left: event.clientX, top: event.clientY })
    if (found === null) return
    const $at = this.view.state.doc.resolve(found.pos)
    if (!$at.parent.inlineContent) return
    const text = $at.parent.textBetween(0, $at.parent.content.size, ' ', ' ')
    const start = $at.parentOffset - (/[\p{L}\p{N}’'-]*$/u.exec(text.slice(0, $at.parentOffset))?.[0].length ?? 0)
    const end = $at.parentOffset + (/^[\p{L}\p{N}’'-]*/u.exec(text.slice($at.parentOffset))?.[0].length ?? 0)
    if (end > start)
      this.view.dispatch(this.view.state.tr.setSelection(TextSelection.create(this.view.state.doc, $at.start() + start, $at.start() + end)))
  }

  /** What is copied is source, so that it can be pasted back as it was. */
  #onCopy(event: ClipboardEvent, isCut: boolean): boolean {
    const { selection } = this.view.state
    if (selection.empty || event.clipboardData === null) return false
    event.preventDefault()
    const { content } = selection.content()
    const html = sourceOfSlice(content)
    event.clipboardData.setData('text/html', html)
    this.#tell({ type: 'copied', html })
    event.clipboardData.setData('text/plain', content.textBetween(0, content.size, '\n\n', '\n'))
    if (isCut && this.view.editable) this.view.dispatch(this.view.state.tr.deleteSelection().scrollIntoView())
    return true
  }
}

/** A letter typed while a picture or another thing is chosen goes behind it: it never takes its place. */
function typeBeside(view: EditorView, text: string): boolean {
  const { selection, tr } = view.state
  if (!(selection instanceof NodeSelection)) return false
  if (selection.node.isInline) view.dispatch(tr.insertText(text, selection.to).scrollIntoView())
  else {
    tr.insert(selection.to, schema.node('line', { lead: selection.node.attrs.lead }, schema.text(text)))
    view.dispatch(tr.setSelection(TextSelection.create(tr.doc, selection.to + 1 + text.length)).scrollIntoView())
  }
  return true
}
