import type { Logger } from 'pino'
import type { RedirectUndoReport } from '../contract/redirect-steps.ts'
import { StepUndoInput } from '../contract/steps.ts'
import type { Database } from '../data/database.ts'
import { claimJob, closeJob } from '../data/jobs.ts'
import type { OwnServices } from '../services/index.ts'
import { Cancelled, progressWriter } from './progress.ts'

/** Takes a list of short links or an import back, a stretch at a time. What was given back stays so when it is stopped. */
export async function runStepUndo(db: Database, steps: OwnServices['steps'], jobId: string, log: Logger): Promise<void> {
  const claimed = await claimJob(db, jobId)
  if (claimed === null) return
  const input = StepUndoInput.parse(claimed.input)
  const report: { -readonly [K in keyof RedirectUndoReport]: RedirectUndoReport[K] } = { givenBack: 0, changedSince: 0 }
  const progress = progressWriter(db, jobId)
  try {
    for (let after: string | null = null, isFirst = true; isFirst || after !== null; isFirst = false) {
      const stretch: Awaited<ReturnType<typeof steps.undoNext>> = await steps.undoNext(claimed, input, after)
      if (stretch === null) return await closeJob(db, jobId, { state: 'failed', message: 'This was taken back already.', report })
      report.givenBack += stretch.given
      report.changedSince += stretch.seen - stretch.given
      after = stretch.last
      await progress(report.givenBack, report.givenBack)
    }
    await closeJob(db, jobId, { state: 'done', report })
  } catch (error) {
    const isCancelled = error instanceof Cancelled
    if (!isCancelled) log.error({ err: error, job: jobId }, 'taking a step back broke off')
    const message = `${isCancelled ? 'Stopped.' : 'Something went wrong on our side.'} ${report.givenBack.toLocaleString('en')} were given back until then.`
    await closeJob(db, jobId, { state: isCancelled ? 'cancelled' : 'failed', message, report })
  }
}
