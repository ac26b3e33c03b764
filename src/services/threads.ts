import { randomUUID } from 'node:crypto'
import { BroadcastChannel } from 'node:worker_threads'
import { Piscina } from 'piscina'
import { type ApartFault, notWanted, programAt, withinLimits } from '../apart/index.ts'
import { PERMISSIONS, type Permission } from '../contract/permissions.ts'
import { fail, type Result } from '../core/result.ts'
import type { Settings } from '../settings/index.ts'
import type { OwnServices } from './all.ts'
import type { Actor } from './context.ts'

/**
 * What a look at a whole site may take, and what a change of it may. A list of 700,000 links that is made for the first time takes over a
 * minute on a slow machine; given up before its end it would begin anew each time. A look that nobody waits for any more ends anyway.
 */
const LOOK = { deadlineMs: 5 * 60_000, isLook: true, waitsMs: 700 } as const
/** A file is waited for as long as it takes. */
const FILE = { deadlineMs: 10 * 60_000, isLook: true } as const
/** The Desk says what else there is at once: reading stands still for it. */
const GLANCE = { ...LOOK, waitsMs: 120, goesFirst: true } as const
const CHANGE = { deadlineMs: 10 * 60_000, isLook: false } as const

/** Calls whose length is up to how much a site holds: they are carried out in threads of their own. */
const CARRIED = {
  placements: { list: LOOK, view: LOOK, details: LOOK, csv: FILE, led: LOOK, markFine: CHANGE },
  rules: { impact: LOOK },
  redirects: { bench: LOOK, outcome: LOOK },
  redirectLists: { configuration: LOOK },
  missed: { list: LOOK },
  redirectReview: { look: LOOK, mend: CHANGE, suggest: LOOK },
  bulkChanges: { make: CHANGE, undo: CHANGE },
  publications: { unpublished: LOOK, difference: LOOK, review: LOOK, view: LOOK, create: CHANGE, restore: CHANGE },
  partnerComparison: { compare: LOOK },
  partnerMoves: { make: CHANGE, undo: CHANGE },
  phraseChoice: { ofPage: LOOK, review: LOOK },
  disclosure: { review: LOOK, mend: CHANGE },
  earnings: { guess: LOOK, take: CHANGE },
  steps: { undo: CHANGE },
  desk: { look: GLANCE },
} as const
type Carried = typeof CARRIED

/**
 * Calls that the thread has in hand at once. It is one thread, since what it knows of a large site takes minutes to learn and much room: its
 * long works take turns of some milliseconds, so that a short one is done among them. Fewer than it has connections to the database: a call
 * that holds one and needs another gets it.
 */
const CALLS_MAX = 8
const MEMORY_MB = 768
/** Lists are read as many small things that stay. */
const YOUNG_MB = 96
/** What nobody waits for any more may still end by itself. */
const UNWANTED_MS = 3_000
/** A call that is over its time, and does not stop when it is told to, ends with its thread and all that this knew. */
const STOPS_WITHIN_MS = 10_000

/** Other limits than those of the calls, for tests. */
interface Limits {
  readonly deadlineMs: number
  readonly stopsWithinMs: number
}

/** Somebody, as threads are told of them: what they may do is a list. */
type SentActor = Omit<Actor, 'can'> & { readonly may: readonly Permission[] }

/** What a thread is told: which call of which service, by whom, with what. */
export interface ServiceOrder {
  /** By which it is told to stop. */
  readonly id: string
  readonly service: string
  readonly call: string
  readonly actor: SentActor
  readonly given: readonly unknown[]
  /** So long somebody waits for links to be read that have to be read first; without end where it is not said. */
  readonly waitsMs?: number
  /** Reading links stands still for it. */
  readonly goesFirst?: boolean
}

type Call<A extends unknown[], T, F extends string> = (actor: Actor, ...given: A) => Promise<Result<T, F>>
/** A call as it is when it can also run into the limits of its thread. */
type WithLimits<C> = C extends Call<infer A, infer T, infer F> ? Call<A, T, F | ApartFault | 'links-being-read'> : never
export type WithThreads<S extends OwnServices> = Omit<S, keyof Carried> & {
  readonly [K in keyof Carried]: Omit<S[K], keyof Carried[K]> & {
    readonly [C in keyof Carried[K]]: WithLimits<C extends keyof S[K] ? S[K][C] : never>
  }
}

/** What a thread with services is given when it starts. */
export interface ServiceThreadData {
  readonly settings: Settings
  /** Where it is told the ids of calls that are to stop. */
  readonly stops: string
}

/** Carries service calls out in a thread, so that whoever asks for something light is answered meanwhile. */
export class ServiceThreads {
  readonly #settings: Settings
  #pool: Piscina | null = null
  readonly #stops = new BroadcastChannel(`calls to stop ${randomUUID()}`)

  readonly #waits: boolean
  readonly #limits: Limits | undefined

  /** @param waits - whoever asks waits as long as it takes for links to be read */
  constructor(settings: Settings, { waits = false, limits }: { readonly waits?: boolean; readonly limits?: Limits } = {}) {
    this.#settings = settings
    this.#waits = waits
    this.#limits = limits
    this.#stops.unref()
  }

  /** The same services, some of whose calls go to a thread. */
  carry<S extends OwnServices>(services: S): WithThreads<S> {
    const carried = Object.entries(CARRIED).map(([service, calls]) => [
      service,
      {
        ...services[service as keyof Carried],
        ...Object.fromEntries(
          Object.entries(calls).map(([call, limits]) => [
            call,
            (actor: Actor, ...given: unknown[]) =>
              this.#run(
                {
                  id: randomUUID(),
                  service,
                  call,
                  actor: sendable(actor),
                  given,
                  ...(this.#waits || !('waitsMs' in limits) ? {} : { waitsMs: limits.waitsMs }),
                  goesFirst: 'goesFirst' in limits,
                },
                limits,
              ),
          ]),
        ),
      },
    ])
    return { ...services, ...Object.fromEntries(carried) } as WithThreads<S>
  }

  async #run(order: ServiceOrder, call: { deadlineMs: number; isLook: boolean }): Promise<Result<unknown, string>> {
    const unwanted = call.isLook ? afterwards(notWanted(), UNWANTED_MS) : null
    const { deadlineMs, stopsWithinMs } = this.#limits ?? { deadlineMs: call.deadlineMs, stopsWithinMs: STOPS_WITHIN_MS }
    try {
      const run = (ending: AbortSignal): Promise<unknown> => this.#until(ending, order, deadlineMs + stopsWithinMs)
      const done = await withinLimits<Result<unknown, string>>(run, { deadlineMs, signal: unwanted?.signal })
      return done.ok ? done.value : done
    } finally {
      unwanted?.forget() // a file is asked for in many parts, all of them for one request
    }
  }

  /** Waits for a call until it is over or not to be waited for any more. It is told then to stop; whether it has by `mostMs` is seen to. */
  #until(ending: AbortSignal, order: ServiceOrder, mostMs: number): Promise<unknown> {
    const pool = this.start()
    const running = pool.run(order).catch((error: unknown) => {
      // What else the thread had in hand when it was ended is given up with it.
      if (this.#pool !== pool) return fail('work-broke')
      throw error
    })
    const late = setTimeout(() => {
      if (this.#pool === pool) this.#pool = null // the next call has a thread that knows nothing yet
      void pool.destroy()
    }, mostMs).unref()
    const over = (): void => clearTimeout(late)
    running.then(over, over)
    return new Promise((resolve, reject) => {
      const stop = (): void => {
        this.#stops.postMessage(order.id)
        reject(ending.reason)
      }
      ending.addEventListener('abort', stop, { once: true })
      running.then(resolve, reject).finally(() => ending.removeEventListener('abort', stop))
    })
  }

  /** Starts a thread before somebody asks for anything. */
  start(): Piscina {
    this.#pool ??= new Piscina({
      execArgv: ['--enable-source-maps'], // a program that is built needs no loader, whatever started this process
      filename: programAt('services.mjs'),
      atomics: 'disabled', // a thread that sleeps on a lock does not hear that a connection to the database was lost
      minThreads: 1,
      maxThreads: 1,
      concurrentTasksPerWorker: CALLS_MAX,
      workerData: { settings: this.#settings, stops: this.#stops.name } satisfies ServiceThreadData,
      resourceLimits: { maxOldGenerationSizeMb: MEMORY_MB, maxYoungGenerationSizeMb: YOUNG_MB },
    })
    return this.#pool
  }

  async close(): Promise<void> {
    await this.#pool?.destroy()
    this.#pool = null
    this.#stops.close()
  }
}

function sendable({ can, ...who }: Actor): SentActor {
  return { ...who, may: PERMISSIONS.filter((permission) => can(permission)) }
}

/** Somebody as {@link ServiceThreads} sent them. */
export function arrived({ may, ...who }: SentActor): Actor {
  const allowed = new Set(may)
  return { ...who, can: (permission) => allowed.has(permission) }
}

/** A signal that follows another one after a while, until it is forgotten. */
function afterwards(signal: AbortSignal | undefined, ms: number): { readonly signal: AbortSignal; readonly forget: () => void } | null {
  if (signal === undefined) return null
  const later = new AbortController()
  const follow = () => setTimeout(() => later.abort(), ms).unref()
  if (signal.aborted) follow()
  else signal.addEventListener('abort', follow, { once: true })
  return { signal: later.signal, forget: () => signal.removeEventListener('abort', follow) }
}
