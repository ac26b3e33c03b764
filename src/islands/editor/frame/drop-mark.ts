import { Plugin } from '@tiptap/pm/state'
import { dropPoint } from '@tiptap/pm/transform'
import type { EditorView } from '@tiptap/pm/view'

/**
 * A line where a thing that is dragged would come to stand. The usual plugin draws it into the offset parent of what is
 * written on, which `body` does not have, and an error while drawing would keep a change from being told.
 */
export function dropMark(): Plugin {
  const mark = document.createElement('div')
  mark.style.cssText = 'position:fixed;pointer-events:none;background:#B98D4F;z-index:2147483647'
  const hide = (): boolean => {
    mark.remove()
    return false
  }
  const onDragOver = (view: EditorView, event: DragEvent): boolean => {
    const under = view.editable ? view.posAtCoords({ left: event.clientX, top: event.clientY }) : null
    if (under === null) return hide()
    const slice = view.dragging?.slice
    draw(view, slice === undefined ? under.pos : (dropPoint(view.state.doc, under.pos, slice) ?? under.pos))
    return false
  }
  const draw = (view: EditorView, position: number): void => {
    const $at = view.state.doc.resolve(position)
    const neighbour = $at.parent.inlineContent ? null : (view.nodeDOM(position) ?? view.nodeDOM(position - ($at.nodeBefore?.nodeSize ?? 0)))
    const box = neighbour instanceof HTMLElement ? neighbour.getBoundingClientRect() : null
    const { left, top, bottom } = view.coordsAtPos(position)
    const edge = $at.nodeAfter === null ? (box?.bottom ?? 0) : (box?.top ?? 0)
    const [x, y, width, height] = box === null ? [left - 1, top, 2, bottom - top] : [box.left, edge - 1, box.width, 2]
    Object.assign(mark.style, { left: `${x}px`, top: `${y}px`, width: `${width}px`, height: `${height}px` })
    document.documentElement.append(mark)
  }
  return new Plugin({
    props: {
      handleDOMEvents: {
        dragover: onDragOver,
        dragend: hide,
        drop: hide,
        dragleave: (_view, event) => (event.relatedTarget === null ? hide() : false),
      },
    },
    view: () => ({ destroy: hide }),
  })
}
