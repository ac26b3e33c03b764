import { useSyncExternalStore } from 'react'
import type { PageDraft } from './draft.ts'

/** A part of the draft's state; a key typed that leaves it as it is draws nothing anew. */
export function useDraftState<T>(draft: PageDraft, of: (state: PageDraft['state']) => T): T {
  return useSyncExternalStore(draft.subscribe, () => of(draft.state))
}
