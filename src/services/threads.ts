import { Piscina } from 'piscina'
import { type ApartFault, notWanted, programAt, withinLimits } from '../apart/index.ts'
import { PERMISSIONS, type Permission } from '../contract/permissions.ts'
import type { Result } from '../core/result.ts'
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
/** The Desk says what else there is at once. */
const GLANCE = { ...LOOK, waitsMs: 200 } as const
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

/** Threads with services of their own. One is kept: it remembers what it judged. */
const THREADS_MAX = 2
const MEMORY_MB = 768
/** Lists are read as many small things that stay. */
const YOUNG_MB = 96
/** What nobody waits for any more may still end by itself: a thread that is ended forgets what it knew. */
const UNWANTED_MS = 3_000

/** Somebody, as threads are told of them: what they may do is a list. */
type SentActor = Omit<Actor, 'can'> & { readonly may: readonly Permission[] }

/** What a thread is told: which call of which service, by whom, with what. */
export interface ServiceOrder {
  readonly service: string
  readonly call: string
  readonly actor: SentActor
  readonly given: readonly unknown[]
  /** So long somebody waits for links to be read that have to be read first; without end where it is not said. */
  readonly waitsMs?: number
}

type Call<A extends unknown[], T, F extends string> = (actor: Actor, ...given: A) => Promise<Result<T, F>>
/** A call as it is when it can also run into the limits of its thread. */
type WithLimits<C> = C extends Call<infer A, infer T, infer F> ? Call<A, T, F | ApartFault | 'links-being-read'> : never
export type WithThreads<S extends OwnServices> = Omit<S, keyof Carried> & {
  readonly [K in keyof Carried]: Omit<S[K], keyof Carried[K]> & {
    readonly [C in keyof Carried[K]]: WithLimits<C extends keyof S[K] ? S[K][C] : never>
  }
}

/** Carries service calls out in threads, so that whoever asks for something light is answered meanwhile. */
export class ServiceThreads {
  readonly #settings: Settings
  #pool: Piscina | null = null

  readonly #waits: boolean

  /** @param waits - whoever asks waits as long as it takes for links to be read */
  constructor(settings: Settings, { waits = false }: { readonly waits?: boolean } = {}) {
    this.#settings = settings
    this.#waits = waits
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
                  service,
                  call,
                  actor: sendable(actor),
                  given,
                  ...(this.#waits || !('waitsMs' in limits) ? {} : { waitsMs: limits.waitsMs }),
                },
                limits,
              ),
          ]),
        ),
      },
    ])
    return { ...services, ...Object.fromEntries(carried) } as WithThreads<S>
  }

  async #run(order: ServiceOrder, { deadlineMs, isLook }: { deadlineMs: number; isLook: boolean }): Promise<Result<unknown, string>> {
    const pool = this.start()
    const unwanted = isLook ? afterwards(notWanted(), UNWANTED_MS) : null
    try {
      const run = (signal: AbortSignal): Promise<unknown> => pool.run(order, { signal })
      const done = await withinLimits<Result<unknown, string>>(run, { deadlineMs, signal: unwanted?.signal })
      return done.ok ? done.value : done
    } finally {
      unwanted?.forget() // a file is asked for in many parts, all of them for one request
    }
  }

  /** Starts a thread before somebody asks for anything. */
  start(): Piscina {
    this.#pool ??= new Piscina({
      execArgv: ['--enable-source-maps'], // a program that is built needs no loader, whatever started this process
      filename: programAt('services.mjs'),
      atomics: 'disabled', // a thread that sleeps on a lock does not hear that a connection to the database was lost
      minThreads: 1,
      maxThreads: THREADS_MAX,
      idleTimeout: 30_000,
      workerData: this.#settings,
      resourceLimits: { maxOldGenerationSizeMb: MEMORY_MB, maxYoungGenerationSizeMb: YOUNG_MB },
    })
    return this.#pool
  }

  async close(): Promise<void> {
    await this.#pool?.destroy()
    this.#pool = null
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
