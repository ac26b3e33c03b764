import { useSyncExternalStore } from 'react'

/** What the ledge says of the work in hand. */
export type Saving =
  | { readonly state: 'nothing' }
  | { readonly state: 'waiting' | 'saving' }
  | { readonly state: 'saved'; readonly at: number }
  | { readonly state: 'kept here' | 'refused' | 'conflict'; readonly why: string }

let current: Saving = { state: 'nothing' }
const listeners = new Set<() => void>()

/** Tells the ledge. A module, because islands share no React context. */
export function tellSaving(saving: Saving): void {
  current = saving
  for (const listener of listeners) listener()
}

/** Waits until nothing is on its way to the server any more: what is published must be what is shown. */
export function settled(): Promise<void> {
  return new Promise((resolve) => {
    const look = (): void => {
      if (current.state === 'waiting' || current.state === 'saving') return
      listeners.delete(look)
      resolve()
    }
    listeners.add(look)
    look()
  })
}

/** The page that the screen is about, for the ledge: it offers to publish that one. */
export interface PageAtHand {
  readonly id: string
  readonly title: string
}
let atHand: PageAtHand | null = null
export function tellPageAtHand(page: PageAtHand | null): void {
  atHand = page
  for (const listener of listeners) listener()
}
export const usePageAtHand = (): PageAtHand | null =>
  useSyncExternalStore(
    listen,
    () => atHand,
    () => null,
  )

const listen = (listener: () => void): (() => void) => {
  listeners.add(listener)
  return () => listeners.delete(listener)
}

export function useSaving(): Saving {
  return useSyncExternalStore(
    listen,
    () => current,
    () => current,
  )
}
