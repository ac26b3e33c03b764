import { AsyncLocalStorage } from 'node:async_hooks'

const asking = new AsyncLocalStorage<AbortSignal>()

/** Does `work` for somebody who may go away: what it sets going in threads then ends with `signal`. */
export const whileWanted = <T>(signal: AbortSignal, work: () => T): T => asking.run(signal, work)

/** Tells when nobody waits any more for what is being done; undefined for work that nobody waits for. */
export const notWanted = (): AbortSignal | undefined => asking.getStore()

/** Ends long work here where nobody waits for it any more. @throws the reason */
export const stopIfUnwanted = (): void => notWanted()?.throwIfAborted()
