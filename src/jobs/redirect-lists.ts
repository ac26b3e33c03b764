import { setImmediate as breathe } from 'node:timers/promises'
import type { Logger } from 'pino'
import { z } from 'zod'
import { REDIRECTS_ASKED_MAX, REDIRECTS_NAMED_MAX, type RedirectsBulkItem, type RedirectsBulkReport } from '../contract/redirect-lists.ts'
import { RedirectNew } from '../contract/redirects.ts'
import {
  draftOf,
  isYes,
  type ListRecord,
  type ReadRedirects,
  type RedirectDraft,
  readHttpd,
  readListLayout,
  readNginx,
  recordFault,
  recordOf,
  saidIn,
} from '../core/exchange/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { leadsOn, QUERY_HABITS, REDIRECT_MATCHES, REDIRECT_STATUSES, TOLERANCE } from '../core/routing/index.ts'
import type { Database } from '../data/database.ts'
import { getUpload } from '../data/uploads.ts'
import { conditionsOf, defined, type JudgedRedirect, type ListedRedirectRow, type ListPlan, type OwnServices } from '../services/index.ts'
import { type Told, tell } from '../words/index.ts'
import { carryOut, JobFailure } from './carry-out.ts'
import type { Progress } from './progress.ts'
import { recordsOf } from './records.ts'

/** Rows carried out in one transaction: many enough to be quick, few enough that nobody waits for them. */
const STEP = 1_000
/** Longest line of a list. */
const LINE_MAX_BYTES = 200_000
/** So much of a list is looked at to find out how it is written. */
const HEAD_BYTES = 100_000
const WORDS = { csv: tell('list.any'), json: tell('list.any'), httpd: tell('list.httpd'), nginx: tell('list.nginx') } as const

type Mutable<T> = { -readonly [K in keyof T]: T[K] }
type Refused = Pick<RedirectsBulkItem, 'line' | 'from' | 'to' | 'reason'>
/** A line as it was read, or why it cannot be. */
type Line = ListedRedirectRow | Refused

/** Goes through a list of redirects, a stretch at a time. What was carried out stays when it is stopped, and can be taken back as one. */
export async function runRedirects(db: Database, lists: OwnServices['redirectLists'], jobId: string, log: Logger): Promise<void> {
  const report: Mutable<RedirectsBulkReport> = {
    list: 'redirects',
    isDryRun: false,
    new: 0,
    changed: 0,
    same: 0,
    refused: 0,
    noted: 0,
    step: null,
    asks: [],
    items: [],
    moreItems: 0,
  }
  /** The report as it stands, with the step by which what is there can be taken back. */
  const told = (): RedirectsBulkReport => {
    if (!report.isDryRun && report.new + report.changed > 0) report.step = jobId
    return report
  }
  await carryOut({ db, log }, 'redirects', jobId, {
    async work({ siteId, personId, input }, progress) {
      report.isDryRun = input.dryRun
      const bytes = await getUpload(db, input.upload)
      if (bytes === null) throw new JobFailure(tell('list.gone'))
      const state = await lists.stateOf(siteId, input.dryRun)
      const site = {
        tolerance: state.view.setup.tolerance ?? TOLERANCE,
        hosts: state.view.setup.hosts.filter(({ kind }) => kind !== 'short').map(({ host }) => host),
        modules: new Map([...input.has.map((name) => [name, true] as const), ...input.hasNot.map((name) => [name, false] as const)]),
      }
      const by = { siteId, personId, stepId: jobId }
      const lines: AsyncIterable<Line> | Iterable<Line> =
        input.as === 'csv'
          ? linesOfTable(bytes)
          : input.as === 'json'
            ? linesOfJson(bytes)
            : linesOfConfiguration((input.as === 'httpd' ? readHttpd : readNginx)(textOf(bytes), site), report)
      await goThrough(lines, report, progress, {
        judge: (line) => lists.judge(line, state),
        plan: (rows) => lists.plan(by, rows, state),
        carryOut: async (plan) => (input.dryRun ? plan.items : lists.carryOut(by, plan, { state, what: WORDS[input.as] })),
      })
      return told()
    },
    left: () => {
      const there = report.new + report.changed
      return [report.isDryRun || there === 0 ? tell('job.nothing-changed') : tell('list.rows-stay', { rows: there })]
    },
    report: told,
  })
}

interface Carrying {
  readonly judge: (line: ListedRedirectRow) => JudgedRedirect | RedirectsBulkItem
  readonly plan: (rows: readonly JudgedRedirect[]) => Promise<ListPlan>
  readonly carryOut: (plan: ListPlan) => Promise<readonly RedirectsBulkItem[]>
}

async function goThrough(
  lines: AsyncIterable<Line> | Iterable<Line>,
  report: Mutable<RedirectsBulkReport>,
  progress: Progress,
  { judge, plan, carryOut }: Carrying,
): Promise<void> {
  const tell = (item: RedirectsBulkItem): void => {
    report[item.outcome]++
    const isNoted = item.outcome === 'new' && item.reason !== ''
    if (isNoted) report.noted++
    if (report.items.length < REDIRECTS_NAMED_MAX && (item.outcome !== 'same' || report.items.length < SAME_NAMED)) report.items.push(item)
    else report.moreItems++
  }
  const finish = async (planned: ListPlan): Promise<void> => {
    for (const item of await carryOut(planned)) tell(item)
    const done = report.new + report.changed + report.same + report.refused
    await progress(done, done)
  }
  let rows: JudgedRedirect[] = []
  // One stretch is written while the next is read, judged and planned.
  let before: Promise<void> = Promise.resolve()
  try {
    for await (const line of lines) {
      const judged = 'draft' in line ? judge(line) : ({ ...line, status: null, outcome: 'refused' } as const)
      if ('row' in judged) rows.push(judged)
      else tell(judged)
      if (rows.length < STEP) continue
      const planned = await plan(rows)
      await before
      before = finish(planned)
      before.catch(() => {}) // told where it is waited for
      rows = []
      await breathe()
    }
  } finally {
    await before
  }
  if (rows.length > 0) await finish(await plan(rows))
  report.items.sort((a, b) => a.line - b.line)
}

/** Rows that stay as they are and are named all the same. */
const SAME_NAMED = 50

function textOf(bytes: Buffer): string {
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(bytes)
  } catch {
    throw new JobFailure(tell('list.no-plain-text'))
  }
}

async function* linesOfTable(bytes: Buffer): AsyncGenerator<Line> {
  if (bytes.subarray(0, HEAD_BYTES).includes(0)) throw new JobFailure(tell('list.no-list'))
  const layout = readListLayout(bytes.toString('utf8', 0, HEAD_BYTES))
  const refused: Refused[] = []
  const { guessedHeader } = layout
  if (guessedHeader !== null)
    yield {
      line: 1,
      from: guessedHeader.slice(0, 300),
      to: '',
      reason: tell('list.names-of-columns'),
    }
  const records = recordsOf(bytes, {
    delimiter: layout.delimiter,
    bom: true,
    info: true,
    relax_column_count: true,
    relax_quotes: true,
    skip_empty_lines: true,
    skip_records_with_error: true,
    max_record_size: LINE_MAX_BYTES,
    from: layout.hasHeader ? 2 : 1,
  })
  records.on('skip', (error: Error & { lines?: number }) =>
    refused.push({
      line: error.lines ?? 0,
      from: '',
      to: '',
      reason: tell('list.line-broken'),
    }),
  )
  for await (const { record, info } of records as AsyncIterable<{ record: string[]; info: { lines: number } }>) {
    yield* refused.splice(0)
    yield lineOf(recordOf(layout, record), info.lines)
  }
  yield* refused
}

function lineOf(record: ListRecord, line: number): Line {
  const refuse = (reason: Told): Refused => ({ line, from: record.from.slice(0, 300), to: record.to.slice(0, 300), reason })
  const fault = recordFault(record)
  if (fault !== null) return refuse(fault)
  if (record.from === '') return refuse(tell('list.no-old-address'))
  const status = REDIRECT_STATUSES.find((known) => String(known) === record.status) ?? 301
  if (record.to === '' && leadsOn(status)) return refuse(tell('list.no-new-address'))
  const when = record.when === '' ? ok({}) : readWhen(record.when)
  if (!when.ok) return refuse(tell('list.conditions-unreadable'))
  return {
    line,
    said: new Set<keyof RedirectDraft>(['to', 'status', ...saidIn(record)]),
    draft: {
      from: record.from,
      to: record.to,
      status,
      match: REDIRECT_MATCHES.find((known) => known === record.match.toLowerCase()) ?? 'exact',
      query: QUERY_HABITS.find((known) => known === record.query.toLowerCase()) ?? 'pass',
      hosts: record.host
        .split(/[\s|]+/)
        .map((host) => host.toLowerCase())
        .filter((host) => host !== ''),
      when: when.value,
      note: record.note.slice(0, 1_000),
      isOn: record.on === '' || isYes(record.on),
      beatsPages: isYes(record['over pages']),
      isHidden: record.hidden === '' || isYes(record.hidden),
    },
  }
}

function readWhen(text: string): Result<ReturnType<typeof conditionsOf>, 'unreadable'> {
  try {
    const read = RedirectNew.shape.when.safeParse(JSON.parse(text))
    return read.success ? ok(conditionsOf(read.data ?? {})) : fail('unreadable')
  } catch {
    return fail('unreadable')
  }
}

function* linesOfJson(bytes: Buffer): Generator<Line> {
  let given: unknown
  try {
    given = JSON.parse(textOf(bytes))
  } catch (error) {
    if (error instanceof JobFailure) throw error
    throw new JobFailure(tell('list.no-json'))
  }
  const items = z.array(z.unknown()).safeParse(given)
  if (!items.success) throw new JobFailure(tell('list.json-no-list'))
  for (const [i, item] of items.data.entries()) {
    const read = RedirectNew.safeParse(item)
    if (!read.success) {
      const from = z.object({ from: z.string(), to: z.string().default('') }).safeParse(item)
      const issue = read.error.issues[0]
      yield {
        line: i + 1,
        from: from.data?.from.slice(0, 300) ?? '',
        to: from.data?.to.slice(0, 300) ?? '',
        reason: `${issue?.path.join('.')}: ${issue?.message}`,
      }
      continue
    }
    const { when, host, hosts, evenSo: _, ...row } = read.data
    yield {
      line: i + 1,
      said: new Set(Object.keys(row) as (keyof RedirectDraft)[]),
      draft: draftOf({
        to: '',
        ...defined(row),
        from: row.from,
        hosts: hosts ?? (host === undefined ? [] : [host]),
        when: conditionsOf(when ?? {}),
      }),
    }
  }
}

function* linesOfConfiguration({ rows, refused, asks }: ReadRedirects, report: Mutable<RedirectsBulkReport>): Generator<Line> {
  report.asks = asks.slice(0, REDIRECTS_ASKED_MAX)
  const SAID = new Set<keyof RedirectDraft>(['to', 'status', 'query'])
  for (const { line, text, reason } of refused) yield { line, from: text, to: '', reason }
  for (const { line, draft } of rows) yield { line, draft, said: SAID }
}
