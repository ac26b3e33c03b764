import { useEffect, useState } from 'react'

/** Asks before the page is left (a link, Back, reload, closing the tab) while something on it is not saved. */
export function useUnsaved(isUnsaved: boolean): void {
  useEffect(() => {
    if (!isUnsaved) return
    const ask = (event: BeforeUnloadEvent): void => event.preventDefault()
    addEventListener('beforeunload', ask)
    return () => removeEventListener('beforeunload', ask)
  }, [isUnsaved])
}

/** Longest text that is kept for one form; more is asked about and not kept. */
const KEPT_MAX_CHARS = 500_000

/** What was kept in this tab under a name; null for nothing, and for what is not ours. Browser only. */
export function keptIn(key: string): unknown {
  try {
    const kept = sessionStorage.getItem(`map-rope form ${key}`)
    return kept === null ? null : JSON.parse(kept)
  } catch {
    return null // a browser that keeps nothing
  }
}

/** Keeps something in this tab; null forgets it. What is too long is forgotten: leaving still asks. */
export function putKept(key: string, value: unknown): void {
  try {
    const text = value === null ? null : JSON.stringify(value)
    if (text === null || text.length > KEPT_MAX_CHARS) sessionStorage.removeItem(`map-rope form ${key}`)
    else sessionStorage.setItem(`map-rope form ${key}`, text)
  } catch {
    // Full, or a browser that keeps nothing: leaving still asks.
  }
}

/**
 * State that outlives a reload of the tab, a way back, and another view of the same screen: what a person filled in comes back.
 * Kept once the component is awake, so that the server's and the first rendering agree.
 * @param key - of this form, in this tab
 * @param read - takes what was kept; null where it does not fit any more
 */
export function useKept<T>(key: string, initial: T, read: (kept: unknown) => T | null): [T, (next: T) => void, wasKept: boolean] {
  const [value, setValue] = useState(initial)
  const [wasKept, setWasKept] = useState(false)
  // biome-ignore lint/correctness/useExhaustiveDependencies: taken up once, when the form wakes
  useEffect(() => {
    const kept = keptIn(key)
    const taken = kept === null ? null : read(kept)
    if (taken === null) return
    setValue(taken)
    setWasKept(true)
  }, [])
  const put = (next: T): void => {
    setValue(next)
    putKept(key, JSON.stringify(next) === JSON.stringify(initial) ? null : next)
  }
  return [value, put, wasKept]
}

/** A line or text that is kept so while it is half filled in. */
export const useKeptText = (key: string, initial = ''): [string, (next: string) => void] => {
  const [text, put] = useKept(key, initial, (kept) => (typeof kept === 'string' ? kept : null))
  return [text, put]
}
