import { setImmediate as breathe } from 'node:timers/promises'
import type { Logger } from 'pino'
import { BULK_NAMED_MAX, type ShortLinksBulkReport } from '../contract/short-links.ts'
import { listRowOf, readListHeader } from '../core/exchange/index.ts'
import type { Database } from '../data/database.ts'
import { getUpload } from '../data/uploads.ts'
import type { ListedRow, OwnServices, RowOutcome } from '../services/index.ts'
import { tell } from '../words/index.ts'
import { carryOut, JobFailure } from './carry-out.ts'
import type { Progress } from './progress.ts'
import { recordsOf } from './records.ts'

/** Rows carried out in one transaction: many enough to be quick, few enough that nobody waits for them. */
const STEP = 1_000
/** Longest line of a list. */
const LINE_MAX_BYTES = 200_000

/** Goes through a list of short links, a stretch at a time. What was carried out stays when it is stopped: begun again, it is found to be there. */
export async function runShortLinks(db: Database, lists: OwnServices['shortLinkLists'], jobId: string, log: Logger): Promise<void> {
  const report: Mutable<ShortLinksBulkReport> = { isDryRun: false, new: 0, changed: 0, same: 0, refused: 0, items: [], moreItems: 0 }
  await carryOut({ db, log }, 'short-links', jobId, {
    async work(job, progress) {
      const { dryRun, upload } = job.input
      report.isDryRun = dryRun
      const bytes = await getUpload(db, upload)
      if (bytes === null) throw new JobFailure(tell('list.gone'))
      await goThrough(bytes, report, { progress, take: (rows, seen) => lists.take(job, rows, { dryRun, seen, step: jobId }) })
      return report
    },
    left: ({ input }) => {
      const there = report.new + report.changed
      return [input.dryRun || there === 0 ? tell('job.nothing-changed') : tell('list.short-links-stay', { links: there })]
    },
    report: () => report,
  })
}

type Mutable<T> = { -readonly [K in keyof T]: T[K] }

async function goThrough(
  bytes: Buffer,
  report: Mutable<ShortLinksBulkReport>,
  {
    progress,
    take,
  }: {
    progress: Progress
    take: (rows: readonly ListedRow[], seen: Map<string, number>) => Promise<RowOutcome[]>
  },
): Promise<void> {
  const headEnd = bytes.indexOf(0x0a)
  const header = readListHeader(
    bytes
      .subarray(0, Math.min(headEnd === -1 ? bytes.length : headEnd, LINE_MAX_BYTES))
      .toString('utf8')
      .trim(),
  )
  if (header === null) throw new JobFailure(tell('list.name-columns'))
  const { delimiter, columns } = header
  const seen = new Map<string, number>()
  let rows: ListedRow[] = []
  const note = (outcome: RowOutcome): void => {
    report[outcome.outcome]++
    if (outcome.outcome !== 'refused' && outcome.outcome !== 'changed') return
    if (report.items.length < BULK_NAMED_MAX) report.items.push({ ...outcome, outcome: outcome.outcome })
    else report.moreItems++
  }
  const flush = async (): Promise<void> => {
    for (const outcome of await take(rows, seen)) note(outcome)
    rows = []
  }
  const records = recordsOf(headEnd === -1 ? Buffer.alloc(0) : bytes.subarray(headEnd + 1), {
    delimiter,
    info: true,
    relax_column_count: true,
    relax_quotes: true,
    skip_empty_lines: true,
    skip_records_with_error: true,
    max_record_size: LINE_MAX_BYTES,
  })
  records.on('skip', (error: Error & { lines?: number }) =>
    note({
      line: (error.lines ?? 0) + 1,
      slug: '',
      destination: '',
      outcome: 'refused',
      reason: tell('list.line-no-csv'),
    }),
  )
  let at = 0
  for await (const { record, info } of records as AsyncIterable<{ record: string[]; info: { lines: number; bytes: number } }>) {
    rows.push({ line: info.lines + 1, ...listRowOf(columns, record) })
    at = info.bytes
    if (rows.length < STEP) continue
    await flush()
    const done = report.new + report.changed + report.same + report.refused
    await progress(done, Math.max(done, Math.round((done * bytes.length) / Math.max(1, at))))
    await breathe()
  }
  await flush()
  const done = report.new + report.changed + report.same + report.refused
  await progress(done, done, true)
}
