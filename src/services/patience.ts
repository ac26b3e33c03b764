import { AsyncLocalStorage } from 'node:async_hooks'
import { notWanted } from '../apart/index.ts'

/** The links of a site are being read, which takes longer than whoever asked waits. */
export class BeingRead extends Error {
  /** Links so far. */
  readonly done: number

  constructor(done: number) {
    super('The links of the site are being read')
    this.done = done
  }
}

/** @returns null where it takes longer; the work goes on, and is there at a later look */
export async function soon<T>(ms: number, work: Promise<T>): Promise<T | null> {
  let timer: NodeJS.Timeout | undefined
  const late = new Promise<null>((resolve) => {
    timer = setTimeout(() => resolve(null), ms).unref()
  })
  try {
    return await Promise.race([work, late])
  } finally {
    clearTimeout(timer)
  }
}

const waits = new AsyncLocalStorage<number>()

/** Does `work` for somebody who waits no longer than this for links to be read; then it ends with {@link BeingRead}, and the reading goes on. */
export const withPatience = <T>(ms: number, work: () => T): T => waits.run(ms, work)

/** The same for a part of the work that has less: whoever waits without end goes on to. */
export const withLessPatience = <T>(ms: number, work: () => T): T => {
  const most = waits.getStore()
  return most === undefined ? work() : waits.run(Math.min(ms, most), work)
}

/**
 * Waits for reading, as long as whoever asked waits; for those who did not say as long as they are there.
 * @param done - links read so far; null while nothing large is read
 * @throws BeingRead, or why it is not wanted any more; the reading goes on
 */
export async function patiently<T>(reading: Promise<T>, done: () => number | null): Promise<T> {
  const ms = waits.getStore()
  const signal = notWanted()
  let timer: NodeJS.Timeout | undefined
  let leave = (): void => {}
  const gone = new Promise<never>((_, reject) => {
    leave = () => reject(signal?.reason)
    if (signal?.aborted === true) leave()
    signal?.addEventListener('abort', leave, { once: true })
    if (ms === undefined) return
    const look = (): void => {
      const read = done()
      if (read === null) timer = setTimeout(look, ms).unref()
      else reject(new BeingRead(read))
    }
    timer = setTimeout(look, ms).unref()
  })
  try {
    return await Promise.race([reading, gone])
  } finally {
    clearTimeout(timer)
    signal?.removeEventListener('abort', leave)
  }
}
