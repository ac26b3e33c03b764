import { Refusal } from './refusal.ts'

const AGAIN_MS = 1_500

/** Hears how many links are read so far while somebody waits for them; null when nobody does any more. */
type Listener = (done: number | null) => void
const listeners = new Set<Listener>()
let waiting = 0

/** @returns how to stop hearing */
export function onBeingRead(listener: Listener): () => void {
  listeners.add(listener)
  return () => listeners.delete(listener)
}

function tell(done: number | null): void {
  for (const listener of listeners) listener(done)
}

/** Asks again as long as the links of the site are being read first. */
export async function onceRead<T>(ask: () => Promise<T>, signal: AbortSignal | undefined): Promise<T> {
  let isTold = false
  try {
    for (;;) {
      try {
        return await ask()
      } catch (error) {
        if (!(error instanceof Refusal) || error.fault !== 'links-being-read') throw error
        if (!isTold) waiting++
        isTold = true
        tell(typeof error.facts.done === 'number' ? error.facts.done : 0)
        await pause(signal)
      }
    }
  } finally {
    if (isTold && --waiting === 0) tell(null)
  }
}

const pause = (signal: AbortSignal | undefined): Promise<void> =>
  new Promise((resolve, reject) => {
    const goAway = (): void => {
      clearTimeout(timer)
      reject(signal?.reason)
    }
    const timer = setTimeout(() => {
      signal?.removeEventListener('abort', goAway)
      resolve()
    }, AGAIN_MS)
    signal?.addEventListener('abort', goAway, { once: true })
  })
