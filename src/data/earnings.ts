import type { EARNED_BY, Report } from '../contract/earnings.ts'
import type { Earned } from '../contract/partners.ts'
import type { ReportLine } from '../core/earnings/index.ts'
import { type Database, jsonOf, rows, type Transaction } from './database.ts'
import { insert, NOW, only, remove, selectOne, update } from './plain.ts'
import { earningChanges, earnings, partners, reports } from './tables/index.ts'

export async function readLayout(db: Database, siteId: string, partnerId: string): Promise<unknown> {
  return (await selectOne(db, partners, ['reportLayout'], { siteId, id: partnerId }))?.reportLayout ?? null
}
export const keepLayout = (db: Database, partnerId: string, layout: object, transaction: Transaction): Promise<unknown> =>
  update(db, partners, { reportLayout: layout }, { id: partnerId }, transaction)

export const beginReport = (
  db: Database,
  report: { readonly id: string; readonly siteId: string; readonly partnerId: string; readonly personId: string; readonly name: string },
  transaction: Transaction,
): Promise<unknown> => insert(db, reports, report, transaction)

export interface TakenLines {
  readonly made: number
  readonly changed: number
  readonly same: number
  /** Lines whose sub-ID stands on a page or in a short link. */
  readonly joined: number
}

/** Takes lines in: those that are known are recognised by their key; of others that say something else now, what they said is kept for undoing. */
export async function takeLines(
  db: Database,
  { siteId, partnerId, reportId }: { readonly siteId: string; readonly partnerId: string; readonly reportId: string },
  lines: readonly ReportLine[],
  transaction: Transaction,
): Promise<TakenLines> {
  const [done] = await rows<TakenLines>(
    db,
    `WITH given AS (
       SELECT * FROM jsonb_to_recordset($4::jsonb) AS w (key text, "on" date, "order" text, sub text, commission bigint, sale bigint, currency text, state text)),
     known AS MATERIALIZED (SELECT e.id, e.key, e.day, e.commission, e.sale, e.currency, e.state, e.report_id FROM given g
       CROSS JOIN LATERAL (SELECT * FROM earnings k WHERE k.partner_id = $2 AND md5(k.key) = md5(g.key) AND k.key = g.key OFFSET 0) e),
     differing AS (SELECT k.*, g."on" AS new_day, g.commission AS new_commission, g.sale AS new_sale, g.currency AS new_currency, g.state AS new_state FROM known k JOIN given g ON g.key = k.key
       WHERE (k.commission, k.currency, k.state) IS DISTINCT FROM (g.commission, g.currency, g.state) OR k.sale IS DISTINCT FROM g.sale),
     kept AS (INSERT INTO earning_changes (report_id, earning_id, before)
       SELECT $3, d.id, jsonb_build_object('day', d.day, 'commission', d.commission, 'sale', d.sale, 'currency', d.currency, 'state', d.state, 'reportId', d.report_id) FROM differing d
       WHERE d.report_id <> $3 ON CONFLICT DO NOTHING),
     updated AS (UPDATE earnings e SET commission = d.new_commission, sale = d.new_sale, currency = d.new_currency, state = d.new_state FROM differing d WHERE e.id = d.id RETURNING e.id),
     made AS (INSERT INTO earnings (site_id, partner_id, key, day, order_name, sub, commission, sale, currency, state, report_id)
       SELECT $1, $2, g.key, g."on", g."order", g.sub, g.commission, g.sale, g.currency, g.state, $3 FROM given g WHERE g.key NOT IN (SELECT key FROM known) RETURNING id)
     SELECT (SELECT count(*)::int FROM made) AS made, (SELECT count(*)::int FROM updated) AS changed,
       (SELECT count(*)::int FROM known) - (SELECT count(*)::int FROM differing) AS same,
       (SELECT count(*)::int FROM given g WHERE EXISTS (SELECT 1 FROM partner_subs s WHERE s.site_id = $1 AND s.sub = g.sub)) AS joined`,
    [siteId, partnerId, reportId, jsonOf(lines)],
    transaction,
  )
  return done ?? { made: 0, changed: 0, same: 0, joined: 0 }
}

export const closeReport = (
  db: Database,
  id: string,
  counts: Omit<TakenLines, 'joined'> & { readonly refused: number },
  transaction: Transaction,
): Promise<unknown> => update(db, reports, only(counts, ['made', 'changed', 'same', 'refused']), { id }, transaction)

/** Takes a report back whole: lines that it made go, those it changed say again what they said. @returns false where there is none, or it was taken back already */
export async function undoReport(
  db: Database,
  siteId: string,
  id: string,
  transaction: Transaction,
): Promise<'undone' | 'not-found' | 'built on'> {
  const found = await selectOne(db, reports, ['id'], { siteId, id, undoneAt: null }, { holds: true, transaction })
  if (found === null) return 'not-found'
  // A later report that corrected its lines has to be taken back first.
  const later = await rows(
    db,
    `SELECT 1 AS there FROM earning_changes c JOIN reports r ON r.id = c.report_id AND r.undone_at IS NULL JOIN earnings e ON e.id = c.earning_id
     WHERE c.report_id <> $1 AND r.at > (SELECT at FROM reports WHERE id = $1)
       AND (e.report_id = $1 OR EXISTS (SELECT 1 FROM earning_changes o WHERE o.report_id = $1 AND o.earning_id = c.earning_id)) LIMIT 1`,
    [id],
    transaction,
  )
  if (later.length > 0) return 'built on'
  await rows(
    db,
    `UPDATE earnings e SET commission = (c.before->>'commission')::bigint, sale = (c.before->>'sale')::bigint, currency = c.before->>'currency', state = c.before->>'state'
     FROM earning_changes c WHERE c.report_id = $1 AND e.id = c.earning_id`,
    [id],
    transaction,
  )
  await remove(db, earningChanges, { reportId: id }, transaction)
  await remove(db, earnings, { reportId: id }, transaction)
  await update(db, reports, { undoneAt: NOW }, { id }, transaction)
  return 'undone'
}

export const listReports = (db: Database, siteId: string, limit: number): Promise<(Omit<Report, 'at'> & { at: Date })[]> =>
  rows(
    db,
    `SELECT r.id, r.partner_id AS "partnerId", r.name, r.at, p.name AS by, r.made, r.changed, r.same, r.refused, r.undone_at IS NOT NULL AS "isUndone"
     FROM reports r LEFT JOIN people p ON p.id = r.person_id WHERE r.site_id = $1 ORDER BY r.at DESC LIMIT $2`,
    [siteId, limit],
  )

const SUMS = `count(*) FILTER (WHERE e.state <> 'reversed' AND e.commission > 0)::int AS orders,
  coalesce(sum(e.commission) FILTER (WHERE e.state = 'pending'), 0)::float8 AS pending, coalesce(sum(e.commission) FILTER (WHERE e.state = 'confirmed'), 0)::float8 AS confirmed,
  coalesce(sum(e.commission) FILTER (WHERE e.state = 'paid'), 0)::float8 AS paid, coalesce(sum(e.commission) FILTER (WHERE e.state = 'reversed'), 0)::float8 AS reversed`

export interface EarnedRow extends Earned {
  readonly key: string
  readonly name: string
}

/** By what earnings are summed: their key and name, and what joins them. */
const BY: Readonly<Record<(typeof EARNED_BY)[number], { readonly key: string; readonly name: string; readonly where: string }>> = {
  partner: { key: 'e.partner_id::text', name: 'p.name', where: 'true' },
  page: { key: 's.page_id::text', name: 'g.path', where: 's.page_id IS NOT NULL' },
  placement: { key: 's.sub', name: `g.path || ' → ' || s.destination`, where: 's.page_id IS NOT NULL' },
  'short link': {
    key: 's.short_link_id::text',
    name: `coalesce(nullif(l.title, ''), l.destination)`,
    where: 's.short_link_id IS NOT NULL',
  },
  'not joined': {
    key: `e.partner_id::text || ' ' || e.sub`,
    name: `p.name || ': ' || coalesce(nullif(e.sub, ''), 'no sub-ID')`,
    where: 's.sub IS NULL',
  },
}

export function sumEarnings(
  db: Database,
  {
    siteId,
    by,
    partnerId,
    from,
    until,
  }: {
    readonly siteId: string
    readonly by: (typeof EARNED_BY)[number]
    readonly partnerId?: string | undefined
    readonly from?: string | undefined
    readonly until?: string | undefined
  },
  limit: number,
): Promise<EarnedRow[]> {
  const { key, name, where } = BY[by]
  return rows<EarnedRow>(
    db,
    `SELECT ${key} AS key, min(${name}) AS name, e.currency, ${SUMS}
     FROM earnings e JOIN partners p ON p.id = e.partner_id LEFT JOIN partner_subs s ON s.site_id = e.site_id AND s.sub = e.sub
       LEFT JOIN pages g ON g.id = s.page_id LEFT JOIN short_links l ON l.id = s.short_link_id
     WHERE e.site_id = $1 AND ${where} AND ($2::uuid IS NULL OR e.partner_id = $2) AND ($3::date IS NULL OR e.day >= $3) AND ($4::date IS NULL OR e.day <= $4)
     GROUP BY ${key}, e.currency ORDER BY sum(e.commission) FILTER (WHERE e.state <> 'reversed') DESC NULLS LAST, ${key} LIMIT $5`,
    [siteId, partnerId ?? null, from ?? null, until ?? null, limit],
  )
}

/** Changes whenever a report is brought in or taken back. */
export async function reportsStamp(db: Database, siteId: string): Promise<string> {
  const [found] = await rows<{ stamp: string }>(
    db,
    `SELECT count(*) || ' ' || count(undone_at) || ' ' || coalesce(max(at)::text, '') AS stamp FROM reports WHERE site_id = $1`,
    [siteId],
  )
  return found?.stamp ?? ''
}

/** Of each partner, the day of its oldest confirmed and unpaid order, and of its newest report. */
export const payFacts = (db: Database, siteId: string): Promise<{ partnerId: string; since: string | null; reportedOn: string | null }[]> =>
  rows(
    db,
    `SELECT p.id AS "partnerId", (SELECT min(e.day)::text FROM earnings e WHERE e.partner_id = p.id AND e.state = 'confirmed') AS since,
       (SELECT max(r.at)::date::text FROM reports r WHERE r.partner_id = p.id AND r.undone_at IS NULL) AS "reportedOn"
     FROM partners p WHERE p.site_id = $1`,
    [siteId],
  )
