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

/**
 * State that outlives a reload of the tab: what a person filled in comes back. Kept once the component is awake, so that
 * the server's and the first rendering agree.
 * @param key - of this form, in this tab
 * @param read - takes what was kept; null where it does not fit any more
 */
export function useKept<T>(key: string, initial: T, read: (kept: unknown) => T | null): [T, (next: T) => void, wasKept: boolean] {
  const [value, setValue] = useState(initial)
  const [wasKept, setWasKept] = useState(false)
  const name = `map-rope form ${key}`
  // biome-ignore lint/correctness/useExhaustiveDependencies: taken up once, when the form wakes
  useEffect(() => {
    try {
      const kept = sessionStorage.getItem(name)
      const taken = kept === null ? null : read(JSON.parse(kept))
      if (taken === null) return
      setValue(taken)
      setWasKept(true)
    } catch {
      // Not ours, or a browser that keeps nothing.
    }
  }, [])
  const put = (next: T): void => {
    setValue(next)
    try {
      const text = JSON.stringify(next)
      if (text === JSON.stringify(initial) || text.length > KEPT_MAX_CHARS) sessionStorage.removeItem(name)
      else sessionStorage.setItem(name, text)
    } catch {
      // Full, or a browser that keeps nothing: leaving still asks.
    }
  }
  return [value, put, wasKept]
}
