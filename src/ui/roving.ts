import type { KeyboardEvent } from 'react'

const CONTROLS = 'a[href], button:not([disabled]), input:not([disabled])'

/**
 * Goes from one control of a row to the next by the arrows left and right (WAI-ARIA APG, "Grid"): a list is one stop of the Tab key,
 * and whatever else is in its rows is reached from there.
 * @param row - the part of the list that the focus is in
 * @returns whether the key was one of those, and there was a control
 */
export function stepInRow(event: KeyboardEvent, row: HTMLElement | null): boolean {
  const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key]
  if (step === undefined || row === null) return false
  const controls = [...row.querySelectorAll<HTMLElement>(CONTROLS)].filter((each) => each.checkVisibility())
  const next = controls[controls.indexOf(event.target as HTMLElement) + step]
  if (next === undefined) return false
  event.preventDefault()
  next.focus()
  return true
}
