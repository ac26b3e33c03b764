import { closestCenter, DndContext, type DragEndEvent, KeyboardSensor, PointerSensor, useSensor, useSensors } from '@dnd-kit/core'
import { SortableContext, verticalListSortingStrategy } from '@dnd-kit/sortable'
import type { ReactNode } from 'react'
import { SORTING_INSTRUCTIONS, spokenSorting, stepInOrder } from '../../ui/sorting.ts'

/** Rules that are moved by hand or by keys; each move is told to whoever does not see it. */
export function InOrder({
  ids,
  nameOf,
  told,
  canEdit,
  onMove,
  children,
}: {
  ids: readonly string[]
  nameOf: (id: string) => string
  /** What was moved last, in words. */
  told: string
  canEdit: boolean
  onMove: (id: string, to: number) => void
  children: ReactNode
}) {
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 5 } }),
    useSensor(KeyboardSensor, { coordinateGetter: stepInOrder(ids) }),
  )
  const onDragEnd = ({ active, over }: DragEndEvent): void => {
    if (over !== null && active.id !== over.id) onMove(String(active.id), ids.indexOf(String(over.id)))
  }
  return (
    <DndContext
      id="rules"
      sensors={sensors}
      collisionDetection={closestCenter}
      onDragEnd={onDragEnd}
      accessibility={{ announcements: spokenSorting(ids, nameOf), screenReaderInstructions: SORTING_INSTRUCTIONS }}
    >
      <SortableContext items={[...ids]} strategy={verticalListSortingStrategy} disabled={!canEdit}>
        <p className="sr-only" aria-live="polite">
          {told}
        </p>
        {children}
      </SortableContext>
    </DndContext>
  )
}
