import { Piscina } from 'piscina'
import { fail, ok, type Result } from '../core/result.ts'
import type { Tasks } from './tasks.ts'
import { notWanted } from './wanted.ts'

export type { DoneWith, SentSite } from './tasks.ts'
export { goFirst, Turns } from './turns.ts'
export { notWanted, stopIfUnwanted, whileWanted } from './wanted.ts'

/** As many heavy works at once: one core stays for whoever asks for something light. */
const THREADS_MAX = 2
/** A thread that nobody needed for so long ends. */
const IDLE_MS = 30_000
/** More than any page needs; a work that asks for more ends, and nothing else does. */
const MEMORY_MB = 512

export type ApartFault = 'work-too-slow' | 'work-too-large' | 'work-broke'

let pool: Piscina | null = null

/** A thread's program as it was built, beside the server's; whoever runs from the source (the tests) finds it there too. */
export const programAt = (name: string): string =>
  new URL(import.meta.url.endsWith('.ts') ? `../../dist/${name}` : `./${name}`, import.meta.url).href

/** Whether a thread asked for more memory than there was for it. */
export const isOutOfMemory = (error: unknown): boolean =>
  error instanceof RangeError || (error instanceof Error && 'code' in error && error.code === 'ERR_WORKER_OUT_OF_MEMORY')

function threads(): Piscina {
  pool ??= new Piscina({
    execArgv: ['--enable-source-maps'], // a program that is built needs no loader, whatever started this process
    filename: programAt('apart.mjs'),
    minThreads: 0,
    maxThreads: THREADS_MAX,
    idleTimeout: IDLE_MS,
    resourceLimits: { maxOldGenerationSizeMb: MEMORY_MB },
  })
  return pool
}

/**
 * Does a work in a thread of its own, so that nobody waits for it but who asked: with a limit of memory, a deadline that
 * counts from now, and an end as soon as it is not wanted any more.
 * @param deadlineMs - the thread is ended then, whatever it does
 * @param signal - not wanted any more
 */
export async function apart<T extends keyof Tasks>(
  task: T,
  input: Parameters<Tasks[T]>[0],
  { deadlineMs, signal = notWanted() }: { deadlineMs: number; signal?: AbortSignal | undefined },
): Promise<Result<Awaited<ReturnType<Tasks[T]>>, ApartFault>> {
  return withinLimits<Awaited<ReturnType<Tasks[T]>>>((ending) => threads().run({ task, input }, { signal: ending }), { deadlineMs, signal })
}

/**
 * Waits for work that is done in a thread, and says why where it was ended.
 * @param run - does it; ends it when the signal it is given says so
 */
export async function withinLimits<T>(
  run: (ending: AbortSignal) => Promise<unknown>,
  { deadlineMs, signal }: { deadlineMs: number; signal: AbortSignal | undefined },
): Promise<Result<T, ApartFault>> {
  const deadline = AbortSignal.timeout(deadlineMs)
  try {
    return ok((await run(signal === undefined ? deadline : AbortSignal.any([deadline, signal]))) as T)
  } catch (error) {
    if (deadline.aborted) return fail('work-too-slow', { seconds: deadlineMs / 1000 })
    if (isOutOfMemory(error)) return fail('work-too-large')
    if (signal?.aborted === true) return fail('work-broke')
    throw error
  }
}

/** Ends the threads; a process that stops has none left. */
export async function closeApart(): Promise<void> {
  await pool?.destroy()
  pool = null
}
