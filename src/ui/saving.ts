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

export function useSaving(): Saving {
  return useSyncExternalStore(
    (listener) => {
      listeners.add(listener)
      return () => listeners.delete(listener)
    },
    () => current,
    () => current,
  )
}
