import { toast } from 'sonner'
import { Refusal } from './refusal.ts'

const ID = 'links being read'
const AGAIN_MS = 1_500

let asking = 0

/** Asks again as long as the links of the site are being read first, and says meanwhile how far that is. */
export async function onceRead<T>(ask: () => Promise<T>, signal: AbortSignal | undefined): Promise<T> {
  let isTold = false
  try {
    for (;;) {
      try {
        return await ask()
      } catch (error) {
        if (!(error instanceof Refusal) || error.fault !== 'links-being-read') throw error
        if (!isTold) asking++
        isTold = true
        const { done } = error.facts
        const soFar = typeof done === 'number' && done > 0 ? ` ${done.toLocaleString('en')} so far.` : ''
        toast.loading(`The links of the site are being read first.${soFar}`, { id: ID })
        await pause(signal)
      }
    }
  } finally {
    if (isTold && --asking === 0) toast.dismiss(ID)
  }
}

const pause = (signal: AbortSignal | undefined): Promise<void> =>
  new Promise((resolve, reject) => {
    const timer = setTimeout(resolve, AGAIN_MS)
    signal?.addEventListener('abort', () => {
      clearTimeout(timer)
      reject(signal.reason)
    })
  })
