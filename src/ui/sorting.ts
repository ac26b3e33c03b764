import type { Announcements, KeyboardCoordinateGetter, ScreenReaderInstructions } from '@dnd-kit/core'

/** What is said of a list that is sorted by hand, to whoever does not see it. @param nameOf - of an entry, as the screen shows it */
export function spokenSorting(ids: readonly string[], nameOf: (id: string) => string): Announcements {
  const place = (id: string | number): string => `number ${ids.indexOf(String(id)) + 1} of ${ids.length}`
  const name = (id: string | number): string => nameOf(String(id))
  return {
    onDragStart: ({ active }) => `${name(active.id)} is picked up. It is ${place(active.id)}.`,
    onDragOver: ({ active, over }) =>
      over === null ? `${name(active.id)} is beside the list.` : `${name(active.id)} would be ${place(over.id)}.`,
    onDragEnd: ({ active, over }) =>
      over === null ? `${name(active.id)} is where it was.` : `${name(active.id)} is put down as ${place(over.id)}.`,
    onDragCancel: ({ active }) => `${name(active.id)} is where it was.`,
  }
}

export const SORTING_INSTRUCTIONS: ScreenReaderInstructions = {
  draggable:
    'Space picks it up, the arrows move it, Space puts it down, Escape leaves it where it was. Or Alt and the arrows move it at once.',
}

/**
 * Moves what was picked up by keys to the next place in the list, however tall its neighbours are: its middle comes to lie on theirs.
 * @param sidePx - how far left and right move it; 0 for not at all
 */
export const stepInOrder =
  (ids: readonly string[], sidePx = 0): KeyboardCoordinateGetter =>
  (event, { active, currentCoordinates, context: { over, droppableRects, collisionRect } }) => {
    const side = { ArrowLeft: -sidePx, ArrowRight: sidePx }[event.code] ?? 0
    if (side !== 0) {
      event.preventDefault()
      return { ...currentCoordinates, x: currentCoordinates.x + side }
    }
    const step = { ArrowUp: -1, ArrowDown: 1 }[event.code]
    if (step === undefined) return undefined
    event.preventDefault()
    const next = ids[ids.indexOf(String(over?.id ?? active)) + step]
    const rect = next === undefined ? undefined : droppableRects.get(next)
    if (rect === undefined) return undefined
    return { x: currentCoordinates.x, y: rect.top + rect.height / 2 - (collisionRect?.height ?? rect.height) / 2 }
  }
