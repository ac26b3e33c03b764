import type { Logger } from 'pino'
import type { RedirectUndoReport } from '../contract/redirect-steps.ts'
import type { Database } from '../data/database.ts'
import type { OwnServices } from '../services/index.ts'
import { tell } from '../words/index.ts'
import { type Claimed, carryOut, JobFailure } from './carry-out.ts'

type UndoKind = 'short-links-undo' | 'imports-undo' | 'redirects-undo'
/** A stretch that was looked at, how much of it is as it was before, and where it goes on; null where it was taken back already. */
type Stretch = { readonly seen: number; readonly given: number; readonly last: string | null } | null

/** Takes a list of short links or an import back. */
export const runStepUndo = (
  db: Database,
  steps: OwnServices['steps'],
  kind: 'short-links-undo' | 'imports-undo',
  jobId: string,
  log: Logger,
): Promise<void> =>
  takeBack(db, kind, jobId, log, ({ siteId, personId, step }, after) =>
    steps.undoNext({ siteId, personId, job: jobId }, { kind: kind === 'imports-undo' ? 'imports' : 'short-links', step }, after),
  )

/** Takes a step of redirects back. */
export const runRedirectUndo = (db: Database, steps: OwnServices['redirectSteps'], jobId: string, log: Logger): Promise<void> =>
  takeBack(db, 'redirects-undo', jobId, log, async ({ siteId, personId, step }, after) => {
    const stretch = await steps.undoNext({ siteId, personId, stepId: jobId }, step, after)
    return stretch === null ? null : { ...stretch, seen: stretch.rows }
  })

/** Takes a step back, a stretch at a time. What was given back stays so when it is stopped. */
async function takeBack(
  db: Database,
  kind: UndoKind,
  jobId: string,
  log: Logger,
  next: (of: Pick<Claimed<UndoKind>, 'siteId' | 'personId'> & { readonly step: string }, after: string | null) => Promise<Stretch>,
): Promise<void> {
  const report: { -readonly [F in keyof RedirectUndoReport]: RedirectUndoReport[F] } = { givenBack: 0, changedSince: 0 }
  let isBegun = false
  await carryOut({ db, log }, kind, jobId, {
    async work({ siteId, personId, input: { step } }, progress) {
      for (let after: string | null = null, isFirst = true; isFirst || after !== null; isFirst = false) {
        const stretch: Stretch = await next({ siteId, personId, step }, after)
        if (stretch === null) throw new JobFailure(tell('steps.undone-already'))
        isBegun = true
        report.givenBack += stretch.given
        report.changedSince += stretch.seen - stretch.given
        after = stretch.last
        await progress(report.givenBack, report.givenBack)
      }
      return report
    },
    left: () => (isBegun ? [tell('steps.given-back', { count: report.givenBack })] : []),
    report: () => report,
  })
}
