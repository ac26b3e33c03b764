import type { Logger } from 'pino'
import { type DueDestination, dueLater, freeHosts, keepLooks, type LookResult, neverDue, takeDue } from '../data/asked-hosts.ts'
import { followChanges, logEnds } from '../data/changes.ts'
import { addToReports, askedJobs, askForNext, closeAsked } from '../data/checks.ts'
import type { Database } from '../data/database.ts'
import { dropUnusedDestinations } from '../data/destination-uses.ts'
import { isBringingIn } from '../data/jobs.ts'
import { write } from '../services/context.ts'
import type { Services } from '../services/index.ts'

/** Destinations looked at at once, most of which wait for their site; each site by one alone. */
const LOOKS_MAX = 256
/** While somebody brings a site in. */
const LOOKS_BESIDE = 8
const BUSY_MS = 2_000
/** Nothing is due: it is looked again after this. */
const IDLE_MS = 500
/** What looks came to is kept together. */
const KEEP_MS = 400
const KEEP_MOST = 200
const KEPT_MAX = 2_000
/** How long looks in hand are waited for at the end. */
const STOP_MS = 1_500
/** Its site was asked by others all the time. */
const LATER_SECONDS = 60
const JOBS_MS = 500
/** Between two stretches of a look at everything. */
const MORE_MS = 100
const TRIED_AGAIN_MS = 2_000
const HOUSEKEEPING_MS = 60 * 60_000
const FOLLOWER = 'destinations'

/** Looks at destinations that are due, for as long as it runs, and follows what sites lead to. */
export class Checker {
  readonly #db: Database
  readonly #services: Services
  readonly #log: Logger
  readonly #kept: LookResult[] = []
  #looking = 0
  #isStopping = false
  /** A site is being brought in: what it leads to is taken over when it is all there. */
  #isBusy = false
  #wake: () => void = () => {}

  constructor(db: Database, services: Services, log: Logger) {
    this.#db = db
    this.#services = services
    this.#log = log
  }

  /** Until it is stopped. */
  async run(): Promise<void> {
    await Promise.all([this.#seeWhoIsAtWork(), this.#follow(), this.#look(), this.#keep(), this.#tellJobs(), this.#clear()])
  }

  stop(): void {
    this.#isStopping = true
    this.#wake()
  }

  /** Does a round again and again; one that fails is told once and tried again. */
  async #again(round: () => Promise<number>, onFailure: (error: unknown) => void): Promise<void> {
    let isFailing = false
    while (!this.#isStopping) {
      let pauseMs = TRIED_AGAIN_MS
      try {
        pauseMs = await round()
        isFailing = false
      } catch (error) {
        if (!isFailing) onFailure(error)
        isFailing = true
      }
      if (pauseMs > 0) await new Promise<void>((resolve) => setTimeout(resolve, pauseMs))
    }
  }

  async #seeWhoIsAtWork(): Promise<void> {
    await this.#again(
      async () => {
        this.#isBusy = await isBringingIn(this.#db)
        return BUSY_MS
      },
      (error) => this.#log.warn({ err: error }, 'whether a site is being brought in could not be read; it is tried again'),
    )
  }

  /** What sites lead to, by their logs: of several processes the first follows. */
  async #follow(): Promise<void> {
    let isNews = true
    await this.#again(
      async () => {
        const followed = await followChanges(this.#db.url, FOLLOWER, () => {
          isNews = true
          this.#wake()
        })
        if (followed === null) return TRIED_AGAIN_MS
        let isLost = false
        void followed.lost.then(() => {
          isLost = true
          this.#wake()
        })
        try {
          while (!this.#isStopping && !isLost) {
            if (isNews && this.#isBusy) await new Promise((resolve) => setTimeout(resolve, BUSY_MS))
            else if (isNews) {
              isNews = false
              for (const { siteId } of await logEnds(this.#db)) await this.#services.checks.follow(siteId)
            } else
              await new Promise<void>((resolve) => {
                this.#wake = resolve
              })
          }
        } finally {
          isNews = true // what was not taken over is taken over by whoever follows next
          await followed.end()
        }
        return 0
      },
      (error) => this.#log.warn({ err: error }, 'what sites lead to was not followed; it is tried again'),
    )
  }

  async #look(): Promise<void> {
    await this.#again(
      async () => {
        const most = this.#isBusy ? LOOKS_BESIDE : LOOKS_MAX
        const room = most - this.#looking
        // What cannot be kept is not looked at on and on.
        if (room < most / 4 || this.#kept.length > KEPT_MAX) return 20
        const { due, idle } = await takeDue(this.#db, room)
        // Nobody is asked on our own hosts: they need not be held.
        const free = new Set([...idle, ...due.filter(({ paceMs }) => paceMs === 0).map(({ host }) => host)])
        if (free.size > 0)
          await freeHosts(
            this.#db,
            [...free].map((host) => ({ host, afterMs: 0 })),
          )
        for (const each of due) void this.#lookAt(each)
        return due.length === 0 ? IDLE_MS : 20
      },
      (error) => this.#log.warn({ err: error }, 'destinations that are due could not be read; it is tried again'),
    )
  }

  async #lookAt(due: DueDestination): Promise<void> {
    this.#looking++
    try {
      const found = await this.#services.checks.look(due)
      if (found === 'never') await neverDue(this.#db, due.id)
      else if (found === 'later') await dueLater(this.#db, due.id, LATER_SECONDS)
      else this.#kept.push(found)
    } catch (error) {
      this.#log.warn({ err: error }, 'a look at a destination broke off; it is due again when its site is free')
    } finally {
      this.#looking--
    }
  }

  async #keep(): Promise<void> {
    const round = async (): Promise<number> => {
      const looks = this.#kept.splice(0, KEEP_MOST)
      if (looks.length === 0) return KEEP_MS
      try {
        const begunAt = new Date().toISOString()
        await write(this.#db, async (transaction, changes) => {
          const kept = await keepLooks(this.#db, looks, transaction)
          const asked = kept.flatMap(({ askedBy, verdict }) => (askedBy === null ? [] : [{ askedBy, verdict }]))
          await addToReports(this.#db, asked, transaction)
          for (const siteId of new Set(kept.filter(({ isNews }) => isNews).map((each) => each.siteId)))
            changes.add(siteId, 'checks', begunAt, 'changed')
          return { ok: true } as const
        })
      } catch (error) {
        this.#kept.unshift(...looks)
        throw error
      }
      return this.#kept.length >= KEEP_MOST ? 0 : KEEP_MS
    }
    await this.#again(round, (error) => this.#log.warn({ err: error }, 'what looks came to could not be kept; it is tried again'))
    // Whoever is still being asked then is looked at by whoever comes next.
    for (const endsAt = Date.now() + STOP_MS; this.#looking > 0 && Date.now() < endsAt; )
      await new Promise((resolve) => setTimeout(resolve, 20))
    while (this.#kept.length > 0) await round()
  }

  /** How far looks are that somebody asked for. */
  async #tellJobs(): Promise<void> {
    await this.#again(
      async () => {
        let hasMore = false
        for (const job of await askedJobs(this.#db)) {
          if (job.isOver || job.isCancelAsked) await closeAsked(this.#db, job)
          else if (job.hasMore) hasMore = (await askForNext(this.#db, job.id)) || hasMore
        }
        return hasMore ? MORE_MS : JOBS_MS
      },
      (error) => this.#log.warn({ err: error }, 'how far looks are could not be told; it is tried again'),
    )
  }

  async #clear(): Promise<void> {
    let clearAt = 0
    await this.#again(
      async () => {
        if (Date.now() < clearAt) return IDLE_MS
        clearAt = Date.now() + HOUSEKEEPING_MS
        await dropUnusedDestinations(this.#db)
        return IDLE_MS
      },
      (error) => this.#log.warn({ err: error }, 'destinations that nothing leads to were not cleared; it is tried again'),
    )
  }
}
