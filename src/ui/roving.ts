import { type FocusEvent, type KeyboardEvent, type RefObject, useEffect, useRef } from 'react'

const CONTROLS = 'a[href], button:not([disabled]), input:not([disabled]):not([type=hidden])'

const controlsIn = (row: Element): HTMLElement[] =>
  [...row.querySelectorAll<HTMLElement>(CONTROLS)].filter((each) => each.checkVisibility())

/**
 * Goes from one control of a row to the next by the arrows left and right (WAI-ARIA APG, "Grid"): a list is one stop of the Tab key,
 * and whatever else is in its rows is reached from there.
 * @param row - the part of the list that the focus is in
 * @returns whether the key was one of those, and there was a control
 */
export function stepInRow(event: KeyboardEvent, row: HTMLElement | null): boolean {
  const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key]
  if (step === undefined || row === null) return false
  const controls = controlsIn(row)
  const next = controls[controls.indexOf(event.target as HTMLElement) + step]
  if (next === undefined) return false
  event.preventDefault()
  next.focus()
  return true
}

/**
 * Puts the focus on a row of a list of which only what is in sight is drawn: at once if the row is there, so that the next key finds
 * it where the eye does; else when the list has drawn it.
 * @param list - holds rows marked with `data-at`, each with one `data-open`
 * @param scrollTo - brings a row into sight
 */
export function focusDrawn(list: HTMLElement | null, at: number, scrollTo: (at: number) => void): void {
  const control = (): HTMLElement | null | undefined => list?.querySelector<HTMLElement>(`[data-at="${at}"] [data-open]`)
  scrollTo(at)
  const drawn = control()
  if (drawn) drawn.focus()
  else requestAnimationFrame(() => control()?.focus())
}

/** Keys that a field has its own use for. */
const isWrittenIn = (target: EventTarget): boolean =>
  target instanceof HTMLElement && target.matches('select, textarea, input:not([type=checkbox]):not([type=radio]), [contenteditable]')

/**
 * Makes a list one stop of the Tab key, however many rows and controls it has: up and down go from row to row, left and right within one,
 * Home and End to the ends. The control that had the focus last is the stop.
 * @param drawsPart - rows out of sight are not there: going to the ends, and by rows, is the list's own
 * @returns what the list's element is given; its children are the rows
 */
export function useOneStop<E extends HTMLElement>({
  drawsPart = false,
}: {
  drawsPart?: boolean
} = {}): {
  readonly ref: RefObject<E | null>
  readonly onKeyDown: (event: KeyboardEvent) => void
  readonly onFocus: (event: FocusEvent) => void
} {
  const ref = useRef<E>(null)
  const stop = useRef<HTMLElement | null>(null)
  const settle = (): void => {
    const list = ref.current
    if (list === null) return
    if (stop.current === null || !list.contains(stop.current)) stop.current = list.querySelector<HTMLElement>(CONTROLS)
    for (const control of list.querySelectorAll<HTMLElement>(CONTROLS)) control.tabIndex = control === stop.current ? 0 : -1
  }
  // Rows come and go with every drawing.
  useEffect(settle)
  const rowOf = (target: EventTarget): HTMLElement | null => {
    const list = ref.current
    if (list === null || !(target instanceof Element)) return null
    return ([...list.children].find((row) => row.contains(target)) as HTMLElement | undefined) ?? null
  }
  return {
    ref,
    onFocus({ target }) {
      if (target instanceof HTMLElement && target.matches(CONTROLS)) stop.current = target
      settle()
    },
    onKeyDown(event) {
      if (event.defaultPrevented || event.altKey || event.ctrlKey || event.metaKey || isWrittenIn(event.target)) return
      const row = rowOf(event.target)
      if (row === null || stepInRow(event, row) || drawsPart) return
      const rows = [...(ref.current?.children ?? [])].filter((each) => controlsIn(each).length > 0)
      const at = rows.indexOf(row)
      const next = { ArrowDown: at + 1, ArrowUp: at - 1, Home: 0, End: rows.length - 1 }[event.key]
      const wanted = next === undefined ? undefined : rows[next]
      if (wanted === undefined) return
      event.preventDefault()
      const place = controlsIn(row).indexOf(event.target as HTMLElement)
      const controls = controlsIn(wanted)
      ;(controls[place] ?? controls[0])?.focus()
    },
  }
}
