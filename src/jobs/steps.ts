import type { Logger } from 'pino'
import { RedirectUndoInput, type RedirectUndoReport } from '../contract/redirect-steps.ts'
import { StepUndoInput } from '../contract/steps.ts'
import type { Database } from '../data/database.ts'
import { claimJob } from '../data/jobs.ts'
import type { OwnServices } from '../services/index.ts'
import { Cancelled, endJob, progressWriter } from './progress.ts'

type Claimed = NonNullable<Awaited<ReturnType<typeof claimJob>>>
/** A stretch that was looked at, how much of it is as it was before, and where it goes on; null where it was taken back already. */
type Stretch = { readonly seen: number; readonly given: number; readonly last: string | null } | null

/** Takes a list of short links or an import back. */
export const runStepUndo = (db: Database, steps: OwnServices['steps'], jobId: string, log: Logger): Promise<void> =>
  takeBack(db, jobId, log, ({ siteId, personId, input }, after) =>
    steps.undoNext({ siteId, personId, job: jobId }, StepUndoInput.parse(input), after),
  )

/** Takes a step of redirects back. */
export const runRedirectUndo = (db: Database, steps: OwnServices['redirectSteps'], jobId: string, log: Logger): Promise<void> =>
  takeBack(db, jobId, log, async ({ siteId, personId, input }, after) => {
    const stretch = await steps.undoNext({ siteId, personId, stepId: jobId }, RedirectUndoInput.parse(input).step, after)
    return stretch === null ? null : { ...stretch, seen: stretch.rows }
  })

/** Takes a step back, a stretch at a time. What was given back stays so when it is stopped. */
async function takeBack(
  db: Database,
  jobId: string,
  log: Logger,
  next: (claimed: Claimed, after: string | null) => Promise<Stretch>,
): Promise<void> {
  const claimed = await claimJob(db, jobId)
  if (claimed === null) return
  const report: { -readonly [K in keyof RedirectUndoReport]: RedirectUndoReport[K] } = { givenBack: 0, changedSince: 0 }
  const progress = progressWriter(db, jobId)
  try {
    for (let after: string | null = null, isFirst = true; isFirst || after !== null; isFirst = false) {
      const stretch: Stretch = await next(claimed, after)
      if (stretch === null) return await endJob(db, jobId, { state: 'failed', message: 'This was taken back already.', report })
      report.givenBack += stretch.given
      report.changedSince += stretch.seen - stretch.given
      after = stretch.last
      await progress(report.givenBack, report.givenBack)
    }
    await endJob(db, jobId, { state: 'done', report })
  } catch (error) {
    const isCancelled = error instanceof Cancelled
    if (!isCancelled) log.error({ err: error, job: jobId }, 'taking a step back broke off')
    const message = `${isCancelled ? 'Stopped.' : 'Something went wrong on our side.'} ${report.givenBack.toLocaleString('en')} were given back until then.`
    await endJob(db, jobId, { state: isCancelled ? 'cancelled' : 'failed', message, report })
  }
}
