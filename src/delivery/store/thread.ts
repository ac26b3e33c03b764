import { Worker } from 'node:worker_threads'
import type { Logger } from 'pino'

/** A process that has nothing to answer from waits so long for the first store; then it says that the site is being set up. */
const FIRST_MS = 15_000
/** Longest that is waited for how far behind it is. */
const LAG_MS = 1_000
/** A follower that broke is started again after this. */
const AGAIN_MS = 2_000

export interface FollowerThread {
  /** Settled when there is all to answer from, or that takes too long to be waited for. */
  readonly firstBuilt: Promise<void>
  /** Told when there is another store to answer from, be everything in it or not yet. */
  onBuilt(listener: () => void): void
  readonly onDamage: () => void
  /** How many changes the store is behind; null when that cannot be told now. */
  readonly lag: () => Promise<number | null>
  readonly stop: () => Promise<void>
}

/** Starts the thread that keeps the store up to date, and starts it again should it break. */
export function startFollower(
  { databaseUrl, dataFolder, logLevel }: { databaseUrl: string; dataFolder: string; logLevel: string },
  log: Logger,
): FollowerThread {
  let thread: Worker
  let isStopping = false
  let ended: Promise<void>
  let built: () => void = () => {}
  const asked: ((lag: number | null) => void)[] = []
  const listeners: (() => void)[] = []
  const firstBuilt = new Promise<void>((resolve) => {
    built = resolve
    setTimeout(resolve, FIRST_MS).unref()
  })
  const start = (): void => {
    thread = new Worker(new URL('./follower.mjs', import.meta.url), { workerData: { databaseUrl, dataFolder, logLevel } })
    thread.on('message', (message: 'begun' | 'built' | { readonly lag: number | null }) => {
      if (message === 'begun' || message === 'built') {
        for (const listener of listeners) listener()
        if (message === 'built') built() // the store is open before whoever waits for it goes on
      } else for (const tell of asked.splice(0)) tell(message.lag)
    })
    thread.on('error', (error) => log.error({ err: error }, 'the follower of changes stopped; it is started again'))
    ended = new Promise((resolve) =>
      thread.once('exit', () => {
        resolve()
        if (!isStopping) setTimeout(start, AGAIN_MS).unref()
      }),
    )
  }
  start()
  return {
    firstBuilt,
    onBuilt: (listener) => void listeners.push(listener),
    onDamage: () => thread.postMessage('damaged'),
    lag: () =>
      new Promise((resolve) => {
        asked.push(resolve)
        thread.postMessage('lag')
        setTimeout(() => resolve(null), LAG_MS).unref()
      }),
    stop() {
      isStopping = true
      thread.postMessage('stop')
      return ended
    },
  }
}
