import { baseKeymap } from '@tiptap/pm/commands'
import { gapCursor } from '@tiptap/pm/gapcursor'
import { keymap } from '@tiptap/pm/keymap'
import { Plugin, PluginKey } from '@tiptap/pm/state'
import { DecorationSet } from '@tiptap/pm/view'
import { actFor, backspace, backTab, breakLine, enter, tab } from './commands.ts'
import { dropMark } from './drop-mark.ts'
import type { FromFrame, Key } from './messages.ts'
import { partedLines } from './parting.ts'
import { endKeys } from './surroundings.ts'

/** Marks what is drawn over the page: it is no part of what is written. */
export const drawing = new PluginKey<DecorationSet>('drawing')

export function plugins(tell: (message: FromFrame) => void): Plugin[] {
  const say = (key: Key) => (): boolean => {
    tell({ type: 'key', key })
    return true
  }
  const wrap = (element: string) => actFor({ name: 'wrap', element })
  const line = (element: string) => actFor({ name: 'block', element })
  return [
    keymap({
      'Mod-k': say('link'),
      'Mod-z': say('undo'),
      'Mod-y': say('redo'),
      'Shift-Mod-z': say('redo'),
      'Mod-Enter': say('suggested'),
      Escape: say('leave'),
      'Mod-b': wrap('strong'),
      'Mod-i': wrap('em'),
      'Mod-Alt-0': line('p'),
      'Mod-Alt-1': line('h1'),
      'Mod-Alt-2': line('h2'),
      'Mod-Alt-3': line('h3'),
      'Alt-ArrowUp': actFor({ name: 'up' }),
      'Alt-ArrowDown': actFor({ name: 'down' }),
      Enter: enter,
      'Shift-Enter': breakLine,
      Backspace: backspace,
      Tab: tab,
      'Shift-Tab': backTab,
    }),
    endKeys(),
    keymap(baseKeymap),
    dropMark(),
    gapCursor(),
    notLengthened(),
    partedLines(),
    new Plugin<DecorationSet>({
      key: drawing,
      state: {
        init: () => DecorationSet.empty,
        apply: (tr, drawn) => (tr.getMeta(drawing) as DecorationSet | undefined) ?? drawn.map(tr.mapping, tr.doc),
      },
      props: { decorations: (state) => drawing.getState(state) },
    }),
  ]
}

/** What is typed behind a link does not become part of it. */
function notLengthened(): Plugin {
  return new Plugin({
    appendTransaction(_transactions, before, state) {
      const { $from, empty } = state.selection
      if (!empty || state.storedMarks !== null || (state.selection.eq(before.selection) && state.doc === before.doc)) return null
      const left = $from.nodeBefore?.marks.filter((mark) => mark.attrs.name === 'a') ?? []
      const isEnd = left.length > 0 && !left.some((mark) => $from.nodeAfter?.marks.some((other) => other.eq(mark)) === true)
      if (!isEnd || $from.parentOffset === 0) return null
      return state.tr.setStoredMarks($from.marks().filter((mark) => mark.attrs.name !== 'a'))
    },
  })
}
