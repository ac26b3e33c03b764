import type { Logger } from 'pino'
import { Piscina } from 'piscina'
import { isOutOfMemory, programAt } from '../apart/index.ts'
import { isWorkKind, type WorkKind } from '../contract/jobs.ts'
import { titleOf } from '../contract/problems.ts'
import type { Database } from '../data/database.ts'
import { closeJob, giveBack, isCancelAsked, waitingJob } from '../data/jobs.ts'
import type { Settings } from '../settings/index.ts'
import { tell } from '../words/index.ts'
import { type JoinMenus, leftOf, type NewPage } from './imports.ts'

/** What a thread is told. */
export interface ImportOrder {
  readonly job: string
  readonly kind: WorkKind
  readonly settings: Settings
}

/** Imports carried out at once, of one site each: a slow one holds nobody else's up. */
export const IMPORTS_AT_ONCE = 4
/** Enough for the largest page and the list of the largest site; an import that asks for more ends, and nothing else does. */
const MEMORY_MB = 512
const IDLE_MS = 30_000
const MINUTE_MS = 60_000
/** An upload is there already; a site is asked politely, page by page. */
const UPLOAD_MS = 60 * MINUTE_MS
const FETCH_MS = 12 * 60 * MINUTE_MS
/** How often a wish to cancel is looked for, and how long an import has for ending by itself. */
const LOOK_MS = 500
const CANCEL_GRACE_MS = 3_000

/**
 * Carries imports out in threads of their own, each with a limit of memory and a deadline, so that neither an editor nor the
 * process depends on what somebody brought. One that has to be ended is closed here; what has come in of it is taken back.
 */
export class ImportThreads {
  readonly #db: Database
  readonly #settings: Settings
  readonly #log: Logger
  readonly #running = new Map<string, AbortController>()
  #pool: Piscina<ImportOrder, readonly NewPage[]> | null = null
  #isClosing = false

  constructor(db: Database, settings: Settings, log: Logger) {
    this.#db = db
    this.#settings = settings
    this.#log = log
  }

  /** One more would have to wait here. */
  get isFull(): boolean {
    return this.#running.size >= IMPORTS_AT_ONCE
  }

  async carryOut(job: string, join: JoinMenus): Promise<void> {
    const known = await waitingJob(this.#db, job)
    if (known === null || !isWorkKind(known.kind) || this.#running.has(job)) return
    const { kind } = known
    const cancel = new AbortController()
    const deadline = AbortSignal.timeout(known.isFetch ? FETCH_MS : UPLOAD_MS)
    this.#running.set(job, cancel)
    const watch = this.#watch(job, cancel)
    try {
      const made = await this.#run({ job, kind, settings: this.#settings }, AbortSignal.any([deadline, cancel.signal]))
      if (made.length > 0) await join(known.siteId, known.personId, made)
    } catch (error) {
      if (!this.#isClosing) await this.#tell(job, error, deadline.aborted, cancel.signal.aborted)
    } finally {
      clearInterval(watch)
      this.#running.delete(job)
    }
  }

  async #run(order: ImportOrder, signal: AbortSignal): Promise<readonly NewPage[]> {
    return this.start().run(order, { signal })
  }

  /** Has a thread ready before there is work: it takes a second until one has read its program. */
  start(): Piscina<ImportOrder, readonly NewPage[]> {
    this.#pool ??= new Piscina({
      filename: programAt('import.mjs'),
      execArgv: ['--enable-source-maps'], // a program that is built needs no loader, whatever started this process
      atomics: 'disabled', // a thread that sleeps on a lock does not hear that a connection to the database was lost
      minThreads: 1,
      maxThreads: IMPORTS_AT_ONCE,
      idleTimeout: IDLE_MS,
      resourceLimits: { maxOldGenerationSizeMb: MEMORY_MB },
    })
    return this.#pool
  }

  /** Ends an import that was cancelled and has not ended by itself: whatever it waits for, or works on. */
  #watch(job: string, cancel: AbortController): NodeJS.Timeout {
    let askedAt: number | null = null
    return setInterval(async () => {
      if (!(await isCancelAsked(this.#db, job).catch(() => false))) return
      askedAt ??= Date.now()
      if (Date.now() - askedAt > CANCEL_GRACE_MS) cancel.abort()
    }, LOOK_MS)
  }

  /** Writes down why an import was ended. */
  async #tell(job: string, error: unknown, isLate: boolean, isCancelled: boolean): Promise<void> {
    const isTooLarge = isOutOfMemory(error)
    if (!isLate && !isCancelled && !isTooLarge) this.#log.error({ err: error, job }, 'an import broke off')
    const why = isCancelled
      ? tell('job.stopped')
      : isLate
        ? titleOf('work-too-slow')
        : isTooLarge
          ? titleOf('work-too-large')
          : tell('job.our-side')
    const message = tell('job.ended', { why, left: await leftOf(this.#db, job) })
    await closeJob(this.#db, job, { state: isCancelled ? 'cancelled' : 'failed', message })
  }

  /** Ends the threads. What they were at waits for the next start, and is not held against it. */
  async close(): Promise<void> {
    this.#isClosing = true
    const jobs = [...this.#running.keys()]
    await this.#pool?.destroy()
    if (jobs.length > 0) await giveBack(this.#db, jobs).catch(() => {})
  }
}
