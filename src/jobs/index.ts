import { Worker } from 'node:worker_threads'
import PgBoss from 'pg-boss'
import type { Logger } from 'pino'
import { z } from 'zod'
import { dropOldAudit } from '../data/audit.ts'
import { pruneChanges } from '../data/changes.ts'
import { dropOldCrawls } from '../data/crawled.ts'
import type { Database } from '../data/database.ts'
import { foldGrowth } from '../data/growth.ts'
import { dropOldJobs, jobsToTakeUp, rescueJobs } from '../data/jobs.ts'
import { dropOldMissed } from '../data/missed.ts'
import { uncheckedPublications } from '../data/publications.ts'
import { dropExpiredSessions } from '../data/sessions.ts'
import { dropUnusedContents } from '../data/unused-contents.ts'
import { dropOldUploads } from '../data/uploads.ts'
import type { Services } from '../services/index.ts'
import { CHECKS } from '../services/publications.ts'
import type { Settings } from '../settings/index.ts'
import { clearClicks, judgeClicks } from './counting.ts'
import { IMPORTS_AT_ONCE, ImportThreads } from './import-threads.ts'
import type { JoinMenus } from './imports.ts'
import { carryOutPlans } from './plans.ts'
import { checkPublication } from './publication-checks.ts'
import { watchShortLinks } from './short-link-watch.ts'

const IMPORTS = 'imports'
const Work = z.object({ job: z.uuid() })
const Check = z.object({ publication: z.uuid() })
/** A planned publication is at most this late. */
const PLANS_MS = 1_000
/** How often a job may be begun. */
const BEGUN_MAX = 2
const RESCUE_MS = 10_000
/** How often destinations that have a fallback are looked for that are due. */
const WATCH_MS = 20_000
/** How often it is looked which visitors are none, of the days to which clicks came. */
const JUDGE_MS = 10 * 60_000
/** A reader that was away for longer starts anew. */
const CHANGES_KEPT_HOURS = 72
/** What became of an import or list can be looked up for so long; who did what, for two years. */
const JOBS_KEPT_DAYS = 30
const AUDIT_KEPT_DAYS = 730
/** An address that nobody has asked for in so long is no longer missed. */
const MISSED_KEPT_DAYS = 120
const HOUSEKEEPING_MS = 60 * 60 * 1000

/** Sends work to the job floor. */
export interface JobQueue {
  enqueue(queue: string, data: object): Promise<void>
  /** Takes up what a process left behind when it ended in the middle of it. */
  rescue(): Promise<void>
  /** Also carries jobs out in this process. */
  work(services: Services): Promise<void>
  stop(): Promise<void>
}

/** @param isWorking - this process is going to carry jobs out: it also looks after the queue */
export async function openJobQueue(db: Database, isWorking: boolean, log: Logger, settings: Settings): Promise<JobQueue> {
  const threads = new ImportThreads(db, settings, log)
  const boss = new PgBoss({ connectionString: db.url, max: 3, supervise: isWorking, schedule: false })
  boss.on('error', (error) => log.warn({ err: error }, 'the job queue stumbled'))
  await boss.start()
  for (const queue of [IMPORTS, CHECKS]) await boss.createQueue(queue)
  const timers: NodeJS.Timeout[] = []
  const enqueue = async (queue: string, data: object): Promise<void> =>
    void (await boss.send(queue, data, { retryLimit: queue === CHECKS ? 2 : 0 }))
  const rescue = async (): Promise<void> => {
    for (const job of await rescueJobs(db, BEGUN_MAX)) await enqueue(IMPORTS, { job })
    await takeUpWaiting()
  }
  /** Imports that had to wait for another one of their site, or for a process. One that is asked for twice is begun once. */
  const takeUpWaiting = async (): Promise<void> => {
    if (threads.isFull) return
    for (const job of await jobsToTakeUp(db)) await enqueue(IMPORTS, { job })
  }
  return {
    enqueue,
    rescue,
    async work(services) {
      threads.start()
      const join: JoinMenus = (siteId, personId, made) => services.pages.joinBrought(siteId, personId, made)
      for (let i = 0; i < IMPORTS_AT_ONCE; i++)
        await boss.work(IMPORTS, { pollingIntervalSeconds: 0.5 }, async (jobs) => {
          for (const { data } of jobs) await threads.carryOut(Work.parse(data).job, join)
          await takeUpWaiting()
        })
      await boss.work(CHECKS, { pollingIntervalSeconds: 0.5 }, async (jobs) => {
        for (const { data } of jobs) await checkPublication(db, services.views, Check.parse(data).publication, log)
      })
      for (const publication of await uncheckedPublications(db)) await enqueue(CHECKS, { publication })
      timers.push(
        every(RESCUE_MS, rescue, log),
        every(PLANS_MS, () => carryOutPlans(db, services, log), log),
        every(JUDGE_MS, () => judgeClicks(db), log),
        every(WATCH_MS, () => watchShortLinks(db, services.visits, log), log),
        every(
          HOUSEKEEPING_MS,
          () =>
            Promise.all([
              dropOldUploads(db),
              dropOldCrawls(db),
              dropExpiredSessions(db),
              dropOldJobs(db, JOBS_KEPT_DAYS),
              dropOldAudit(db, AUDIT_KEPT_DAYS),
              pruneChanges(db, CHANGES_KEPT_HOURS),
              dropOldMissed(db, MISSED_KEPT_DAYS),
              foldGrowth(db),
              dropUnusedContents(db),
              clearClicks(db, new Date().toISOString().slice(0, 10)),
            ]),
          log,
        ),
      )
    },
    async stop() {
      for (const timer of timers) clearInterval(timer)
      await threads.close()
      await boss.stop({ graceful: true, timeout: 5_000 }).catch(() => {})
    },
  }
}

/** What the thread that looks at destinations may hold: a quarter of a megabyte of each page that is read. */
const CHECKER_MB = 256
const CHECKER_YOUNG_MB = 32

/** Starts the thread that looks at destinations. @returns ends it, when the looks in hand are over */
export function startChecker(settings: Settings, log: Logger): () => Promise<void> {
  const thread = new Worker(new URL('./checker.mjs', import.meta.url), {
    workerData: { settings },
    resourceLimits: { maxOldGenerationSizeMb: CHECKER_MB, maxYoungGenerationSizeMb: CHECKER_YOUNG_MB },
  })
  thread.on('error', (error) => log.error({ err: error }, 'destinations are looked at no more until the next start'))
  const ended = new Promise<void>((resolve) => thread.once('exit', () => resolve()))
  return () => {
    thread.postMessage('stop')
    return ended
  }
}

/** The thread that moves click logs to the database. */
export interface ClickLoader {
  /** Has the Desk say whether the log of this machine can be written. */
  tell(isWell: boolean): void
  /** Ends it, after one last round. */
  stop(): Promise<void>
}

/** @param orders - `node`: of this machine */
export function startClickLoader(
  orders: { databaseUrl: string; folder: string; node: string; logLevel: string },
  log: Logger,
): ClickLoader {
  const thread = new Worker(new URL('./click-loader.mjs', import.meta.url), { workerData: orders })
  thread.on('error', (error) => log.error({ err: error }, 'the click loader stopped; clicks stay in the log until the next start'))
  const ended = new Promise<void>((resolve) => thread.once('exit', () => resolve()))
  return {
    tell: (isWell) => thread.postMessage(isWell ? 'well' : 'failing'),
    stop() {
      thread.postMessage('stop')
      return ended
    },
  }
}

/** Repeats work, one round at a time; a round that fails is told once and tried again. */
function every(ms: number, work: () => Promise<unknown>, log: Logger): NodeJS.Timeout {
  let isBusy = false
  let isFailing = false
  return setInterval(() => {
    if (isBusy) return
    isBusy = true
    work()
      .then(() => {
        isFailing = false
      })
      .catch((error: unknown) => {
        if (!isFailing) log.warn({ err: error }, 'background work failed; it is tried again')
        isFailing = true
      })
      .finally(() => {
        isBusy = false
      })
  }, ms).unref()
}
