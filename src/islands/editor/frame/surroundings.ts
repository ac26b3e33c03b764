import { keymap } from '@tiptap/pm/keymap'
import type { Node } from '@tiptap/pm/model'
import { type Command, type EditorState, Plugin, PluginKey, TextSelection, type Transaction } from '@tiptap/pm/state'
import { Decoration, DecorationSet, type EditorView } from '@tiptap/pm/view'
import { openOf, schema } from '../../../core/writing/index.ts'

/** What stands around the text of most pages: opened on purpose before it is written on. */
const AROUND = new Set(['header', 'nav', 'footer', 'aside'])
/** What holds a page's own text. */
const isOwn = (node: Node): boolean => {
  const name = String(node.attrs.name ?? '')
  return name === 'main' || name === 'article' || /\srole\s*=\s*["']?main\b/i.test(openOf(node))
}
/** Changes that do not come from a hand on the page pass: the studio's own, and those of plugins. */
export const ON_PURPOSE = 'on purpose'

export interface Part {
  readonly from: number
  readonly to: number
  readonly name: string
}

/** The parts around a page's own text; none where a page has nothing else to write on. */
export function partsAround(doc: Node): readonly Part[] {
  const parts: Part[] = []
  let hasOwn = false
  doc.descendants((node, position) => {
    if (isOwn(node)) {
      hasOwn = true
      return false
    }
    if (node.type === schema.nodes.box || node.type === schema.nodes.line) {
      const name = String(node.attrs.name)
      if (AROUND.has(name)) {
        parts.push({ from: position, to: position + node.nodeSize, name })
        return false
      }
    }
    // Looked for once: this is asked at each key.
    if (!hasOwn && node.inlineContent && node.textContent.trim() !== '') hasOwn = true
    return !node.inlineContent
  })
  return hasOwn ? parts : []
}

/** The first place for words in a page's own text: in `main` or `article` where there is one. */
export function firstWords(doc: Node): number | null {
  let own: number | null = null
  let first: number | null = null
  const parts = partsAround(doc)
  doc.descendants((node, position) => {
    if (own !== null || parts.some(({ from }) => from === position)) return false
    if (isOwn(node)) {
      node.descendants((inner, offset) => {
        if (own === null && inner.inlineContent) own = position + 1 + offset + 1
        return own === null
      })
      return false
    }
    if (first === null && node.inlineContent) first = position + 1
    return true
  })
  return own ?? first
}

/** The last place for words that no part around the text holds. */
function lastWords(doc: Node): number | null {
  let last: number | null = null
  const parts = partsAround(doc)
  doc.descendants((node, position) => {
    if (parts.some(({ from }) => from === position)) return false
    if (node.inlineContent) last = position + 1 + node.content.size
    return !node.inlineContent
  })
  return last
}

/** A command to the first, or last, place for words: what stands around the text is passed over, as with the Tab key. */
const toWords =
  (find: (doc: Node) => number | null): Command =>
  (state, dispatch) => {
    const at = find(state.doc)
    if (at === null) return false
    dispatch?.(state.tr.setSelection(TextSelection.near(state.doc.resolve(at))).scrollIntoView())
    return true
  }

/** The keys that go to an end of the text. */
export const endKeys = (): Plugin => keymap({ 'Mod-Home': toWords(firstWords), 'Mod-End': toWords(lastWords) })

interface Surroundings {
  readonly parts: readonly Part[]
  /** Start of the part that was opened; null while all are closed. */
  readonly open: number | null
}
const key = new PluginKey<Surroundings>('surroundings')

/** Opens the part that a position lies in; closes all with null. */
export const openPart = (view: EditorView, at: number | null): void =>
  view.dispatch(view.state.tr.setMeta(key, at).setMeta('addToHistory', false))

/** The closed part that a position lies in. */
export const closedPartAt = (state: EditorState, at: number): Part | null => {
  const { parts, open } = key.getState(state) ?? { parts: [], open: null }
  return parts.find(({ from, to }) => from !== open && from < at && at < to) ?? null
}

/**
 * Tells the parts around a page's text apart, and lets nothing be written in them before they are opened.
 * @param onClosed - somebody tried
 */
export function surroundings(onClosed: (part: Part) => void): Plugin<Surroundings> {
  return new Plugin<Surroundings>({
    key,
    state: {
      init: (_config, { doc }) => ({ parts: partsAround(doc), open: null }),
      apply(tr, before, _old, state) {
        const asked = tr.getMeta(key) as number | null | undefined
        const parts = tr.docChanged ? partsAround(state.doc) : before.parts
        if (asked !== undefined)
          return { parts, open: parts.find(({ from, to }) => asked !== null && from <= asked && asked < to)?.from ?? null }
        return parts === before.parts ? before : { parts, open: before.open === null ? null : tr.mapping.map(before.open) }
      },
    },
    filterTransaction(tr, state) {
      if (!tr.docChanged || tr.getMeta(ON_PURPOSE) === true) return true
      const { parts, open } = key.getState(state) ?? { parts: [], open: null }
      const hit = parts.find((part) => part.from !== open && touches(tr, part))
      if (hit !== undefined) onClosed(hit)
      return hit === undefined
    },
    props: {
      decorations(state) {
        const { parts, open } = key.getState(state) ?? { parts: [], open: null }
        return DecorationSet.create(
          state.doc,
          parts.map(({ from, to, name }) =>
            Decoration.node(from, to, {
              'data-rope-around': from === open ? 'open' : 'closed',
              ...(from === open ? {} : { title: `The ${name} stands around the text. Double click to write on it.` }),
            }),
          ),
        )
      },
      handleDoubleClick(view, position) {
        const part = closedPartAt(view.state, position)
        if (part !== null) openPart(view, part.from)
        return false
      },
    },
  })
}

/** Tells whether a change reaches into a part; taking the whole of it away, with more around it, is on purpose too. */
function touches(tr: Transaction, { from, to }: Part): boolean {
  let isHit = false
  tr.mapping.maps.forEach((map, index) => {
    const back = tr.mapping.slice(0, index).invert()
    map.forEach((start, end) => {
      const [a, b] = [back.map(start, -1), back.map(end, 1)]
      if (a === b ? from < a && a < to : a < to && b > from) isHit = true
    })
  })
  return isHit
}
