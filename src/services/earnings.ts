import { randomUUID } from 'node:crypto'
import { parse } from 'csv-parse/sync'
import {
  earnings as calls,
  type EARNED_BY,
  type EarningsView,
  REPORT_MAX_BYTES,
  type Report,
  type ReportGuessed,
  ReportLayout,
  type ReportTaken,
} from '../contract/earnings.ts'
import { mayAsk } from '../contract/operation.ts'
import {
  countedCommission,
  guessReport,
  headerOf,
  NEEDED_FIELDS,
  type RefusedReportLine,
  type ReportLine,
  ReportReader,
} from '../core/earnings/index.ts'
import { decodeSource, sniffEncoding } from '../core/markup/index.ts'
import { looksLikeSubId } from '../core/partners/index.ts'
import { destinationOf } from '../core/placements/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { inTransaction } from '../data/database.ts'
import { beginReport, closeReport, keepLayout, listReports, readLayout, sumEarnings, takeLines, undoReport } from '../data/earnings.ts'
import { keepSubs, type SubRow } from '../data/partner-links.ts'
import { shortLinksTo } from '../data/partner-moves.ts'
import { findPartner, usesOfPartners } from '../data/partners.ts'
import { tell } from '../words/index.ts'
import { type Actor, type Context, type SiteViews, write, writeAudit } from './context.ts'
import type { placementsService } from './placements/index.ts'

const LINES_AT_ONCE = 2_000
const REFUSED_SHOWN = 200
const SAMPLE_ROWS = 6
const SHOWN_MAX = 500
const REPORTS_SHOWN = 100
const COLUMNS_MAX = 200
/** Short links of a partner whose sub-IDs are looked at. */
const SHORT_LINKS_MAX = 20_000

interface ReadTable {
  readonly rows: readonly string[][]
  readonly encoding: string
  readonly delimiter: string
}

/** A report's cells: its encoding and what parts its columns are found in the file. */
function readTable(bytes: Uint8Array): Result<ReadTable, 'report-unreadable' | 'report-too-large'> {
  if (bytes.length > REPORT_MAX_BYTES) return fail('report-too-large')
  const encoding = encodingOf(bytes)
  const text = decodeSource(bytes, encoding).replace(/^\uFEFF/, '')
  const head = text.slice(0, 20_000).split(/\r?\n/).slice(0, 40)
  const delimiter = ([';', '\t', ',', '|'] as const).reduce((best, each) => (evenness(head, each) > evenness(head, best) ? each : best))
  try {
    const rows = parse(text, {
      delimiter,
      relax_column_count: true,
      relax_quotes: true,
      skip_empty_lines: false,
      max_record_size: 1_000_000,
    }) as string[][]
    // A letter has a comma here and there; a table has one line after the other with as many cells.
    return rows.some((row, i) => row.length > 1 && row.length <= COLUMNS_MAX && rows[i + 1]?.length === row.length)
      ? ok({ rows, encoding, delimiter })
      : fail('report-unreadable')
  } catch {
    return fail('report-unreadable')
  }
}

/** UTF-8 where it is that; else what the first bytes say; else what spreadsheets of Western Europe write. */
function encodingOf(bytes: Uint8Array): string {
  if (bytes[0] === 0xff && bytes[1] === 0xfe) return 'utf-16le'
  if (bytes[0] === 0xfe && bytes[1] === 0xff) return 'utf-16be'
  try {
    new TextDecoder('utf-8', { fatal: true }).decode(bytes)
    return 'utf-8'
  } catch {
    const { encoding } = sniffEncoding(bytes)
    return encoding === 'utf-8' ? 'windows-1252' : encoding
  }
}

/** How many lines have as many columns as most have, where that is more than one; more columns count for more. */
function evenness(lines: readonly string[], delimiter: string): number {
  const counts = new Map<number, number>()
  for (const line of lines) {
    const columns = line.split(delimiter).length
    if (columns > 1) counts.set(columns, (counts.get(columns) ?? 0) + 1)
  }
  return Math.max(0, ...[...counts].map(([columns, count]) => count * Math.min(columns, 8)))
}

/** What partners report, and what came of it. Calls that read a file are carried out apart: see ServiceThreads. */
export function earningsService({ db }: Context, views: SiteViews, placements: ReturnType<typeof placementsService>) {
  /** What the sub-IDs of a partner's links stand for that stand in pages and short links now, however they came there. */
  async function standingSubs(actor: Actor, partnerId: string): Promise<SubRow[]> {
    const view = await views.of(actor)
    const links = view.partnerLinks
    const list = await placements.listOf(actor.siteId, view)
    const subs: SubRow[] = []
    const note = (address: string, place: Pick<SubRow, 'pageId' | 'shortLinkId'>): void => {
      const apart = links.recognise(address)
      if (apart !== null && looksLikeSubId(apart.sub)) subs.push({ sub: apart.sub, partnerId, destination: apart.destination, ...place })
    }
    for (const i of list.ask({ facets: { partner: partnerId } }).found) {
      const judged = list.judgedAt(i)
      if (judged !== null) note(destinationOf(judged), { pageId: judged.placement.page.id, shortLinkId: null })
    }
    const sites = view.setup.partners.find(({ id }) => id === partnerId)?.sites ?? []
    for (const { id, destination } of await shortLinksTo(db, actor.siteId, sites, SHORT_LINKS_MAX))
      note(destination, { pageId: null, shortLinkId: id })
    return subs
  }

  return {
    /** Looks at a report: what the file decides is told, what it does not has to be said by a person. */
    async guess(
      actor: Actor,
      partnerId: string,
      bytes: Uint8Array,
    ): Promise<Result<ReportGuessed, 'forbidden' | 'not-found' | 'report-unreadable' | 'report-too-large'>> {
      if (!mayAsk(actor, calls.guess)) return fail('forbidden')
      const partner = await findPartner(db, actor.siteId, partnerId)
      if (partner === null) return fail('not-found')
      const table = readTable(bytes)
      if (!table.ok) return table
      const { rows, encoding, delimiter } = table.value
      const guess = guessReport(rows)
      const known = ReportLayout.safeParse(await readLayout(db, actor.siteId, partnerId))
      const names = guess?.names ?? (rows.find((row) => row.length > 1) ?? []).map((name) => name.trim())
      const kept = known.success ? known.data : null
      const missing = kept === null ? [] : new ReportReader(kept, names).missing()
      const isRemembered = kept !== null && missing.length === 0
      return ok({
        names: [...names],
        columns: { ...(isRemembered ? kept.columns : (guess?.columns ?? {})) },
        // What stands in the file goes before what was remembered: a partner may write otherwise from one day to the next.
        decimals: guess?.decimals ?? (isRemembered && guess?.mixed == null ? kept.decimals : null),
        mixed: guess?.mixed === null || guess === null ? null : [...guess.mixed],
        dates: guess?.dates ?? (isRemembered ? kept.dates : null),
        currency: guess?.currency ?? (isRemembered ? kept.currency : partner.currency),
        equalLines: kept?.equalLines ?? 'once',
        ...{ isRemembered, missing: [...missing], encoding, delimiter },
        sample: rows.slice(guess?.header ?? 0, (guess?.header ?? 0) + SAMPLE_ROWS).map((row) => row.slice(0, 20)),
      })
    },

    /** Brings a report in, whole or not at all; or only tells what would become of its lines. */
    async take(
      actor: Actor,
      {
        partnerId,
        name = 'report',
        layout,
        dryRun,
      }: { partnerId: string; name?: string | undefined; layout: ReportLayout; dryRun: boolean },
      bytes: Uint8Array,
    ): Promise<Result<ReportTaken, 'forbidden' | 'not-found' | 'report-unreadable' | 'report-too-large' | 'report-column-missing'>> {
      if (!mayAsk(actor, calls.take)) return fail('forbidden')
      if ((await findPartner(db, actor.siteId, partnerId)) === null) return fail('not-found')
      const table = readTable(bytes)
      if (!table.ok) return table
      const { rows } = table.value
      const absent = NEEDED_FIELDS.find((field) => layout.columns[field] === undefined)
      if (absent !== undefined) return fail('report-column-missing', { why: tell('earnings.which-column', { column: absent }) })
      const header = headerOf(rows, layout)
      if (header === -1) {
        const wanted = Object.values(layout.columns)
        return fail('report-column-missing', { why: tell('earnings.no-columns', { columns: wanted }) })
      }
      const names = rows[header] ?? []
      const reader = new ReportReader(layout, names)
      const lines: ReportLine[] = []
      const refused: RefusedReportLine[] = []
      for (const [i, row] of rows.slice(header + 1).entries()) {
        const read = reader.read(row, header + i + 2)
        if (read === null) continue
        if ('why' in read) refused.push(read)
        else lines.push(read)
      }
      const sums = new Map<string, number>()
      for (const { currency, commission, state } of lines)
        sums.set(currency, (sums.get(currency) ?? 0) + countedCommission({ commission, state }))
      const subs = await standingSubs(actor, partnerId)
      const id = randomUUID()
      const counts = { made: 0, changed: 0, same: 0, joined: 0 }
      const told = (): ReportTaken => ({
        ...counts,
        id: dryRun ? null : id,
        lines: lines.length,
        refused: refused.slice(0, REFUSED_SHOWN).map((each) => ({ ...each })),
        moreRefused: Math.max(0, refused.length - REFUSED_SHOWN),
        equal: refused.filter(({ why }) => why === 'equal').length,
        sums: [...sums].map(([currency, commission]) => ({ currency, commission })),
      })
      const takeIn = async (transaction: Parameters<typeof takeLines>[3]): Promise<void> => {
        await keepSubs(db, actor.siteId, subs, transaction)
        await beginReport(db, { id, siteId: actor.siteId, partnerId, personId: actor.personId, name }, transaction)
        for (let from = 0; from < lines.length; from += LINES_AT_ONCE) {
          const done = await takeLines(
            db,
            { siteId: actor.siteId, partnerId, reportId: id },
            lines.slice(from, from + LINES_AT_ONCE),
            transaction,
          )
          for (const key of ['made', 'changed', 'same', 'joined'] as const) counts[key] += done[key]
        }
      }
      if (dryRun) {
        // What would become of it is found by doing it, and taking it back.
        await inTransaction(db, async (transaction) => {
          await takeIn(transaction)
          throw new TakenBack()
        }).catch((error: unknown) => {
          if (!(error instanceof TakenBack)) throw error
        })
        return ok(told())
      }
      return write(db, async (transaction, changes) => {
        await takeIn(transaction)
        await closeReport(db, id, { ...counts, refused: refused.length }, transaction)
        await keepLayout(db, partnerId, layout, transaction)
        changes.add(actor.siteId, 'earnings', id, 'made')
        await writeAudit(db, actor, 'earnings:take', id, { partnerId, name, ...counts, refused: refused.length }, transaction)
        return ok(told())
      })
    },

    async undo(actor: Actor, id: string): Promise<Result<null, 'forbidden' | 'not-found' | 'report-built-on'>> {
      if (!mayAsk(actor, calls.undo)) return fail('forbidden')
      return write(db, async (transaction, changes) => {
        const done = await undoReport(db, actor.siteId, id, transaction)
        if (done !== 'undone') return fail(done === 'not-found' ? 'not-found' : 'report-built-on')
        changes.add(actor.siteId, 'earnings', id, 'removed')
        await writeAudit(db, actor, 'earnings:undo', id, {}, transaction)
        return ok(null)
      })
    },

    async reports(actor: Actor): Promise<Result<{ items: Report[] }, 'forbidden'>> {
      if (!mayAsk(actor, calls.reports)) return fail('forbidden')
      return ok({ items: (await listReports(db, actor.siteId, REPORTS_SHOWN)).map((row) => ({ ...row, at: row.at.toISOString() })) })
    },

    /** What came in. Currencies stay apart. */
    async look(
      actor: Actor,
      query: { by: (typeof EARNED_BY)[number]; partnerId?: string | undefined; from?: string | undefined; until?: string | undefined },
    ): Promise<Result<EarningsView, 'forbidden'>> {
      if (!mayAsk(actor, calls.look)) return fail('forbidden')
      const found = await sumEarnings(db, { siteId: actor.siteId, ...query }, SHOWN_MAX + 1)
      const partners = query.by === 'partner' ? (await views.of(actor)).setup.partners : []
      const uses = await usesOfPartners(db, actor.siteId, partners)
      return ok({
        items: found.slice(0, SHOWN_MAX).map((row) => {
          const clicks = uses.get(row.key)?.clicks ?? 0
          return { ...row, clicks, epc: clicks === 0 ? null : (row.pending + row.confirmed + row.paid) / clicks }
        }),
        more: Math.max(0, found.length - SHOWN_MAX),
      })
    },
  }
}
class TakenBack extends Error {}
