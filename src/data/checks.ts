import { VERDICTS, type Verdict } from '../core/checks/index.ts'
import { type Told, tell } from '../words/index.ts'
import { type Database, jsonOf, rows, type Transaction } from './database.ts'
import { closeJob } from './jobs.ts'
import { NOW, select, selectOne, update } from './plain.ts'
import {
  type DestinationRow,
  destinations,
  destinationVerdicts,
  type FineVerdict,
  jobs,
  type RowOf,
  selected,
  type UseKind,
} from './tables/index.ts'

/** Of one destination so many changes of what is said are told. */
const PAST_SHOWN = 100
const SHOWN = [
  'id',
  'address',
  'host',
  'verdict',
  'also',
  'isBroken',
  'since',
  'seenAt',
  'doubts',
  'dueAt',
  'seen',
  'better',
  'uses',
  'fine',
] as const
export type CheckedRow = Pick<DestinationRow, (typeof SHOWN)[number]>

/** Which destinations of a site are meant. */
export interface ChecksFilter {
  readonly siteId: string
  readonly verdict?: Verdict | undefined
  /** As it is compared. */
  readonly address?: string | undefined
  readonly host?: string | undefined
  readonly isBroken?: boolean | undefined
}

/** Where a list goes on: behind this destination, of those of which the same is said. */
export interface PlaceInChecks {
  readonly verdict: Verdict | null
  readonly id: string
}

/** The worst first, and last those that nobody has looked at. */
const ORDER: readonly (Verdict | null)[] = [...VERDICTS, null]

/** Destinations of a site, the worst first: each verdict by its index, so that none is read but those that are shown. */
export async function listChecks(
  db: Database,
  filter: ChecksFilter,
  { after, limit }: { after: PlaceInChecks | null; limit: number },
): Promise<CheckedRow[]> {
  const found: CheckedRow[] = []
  const first = after === null ? 0 : ORDER.indexOf(after.verdict)
  for (const verdict of ORDER.slice(first)) {
    if (found.length === limit) break
    if (filter.verdict !== undefined && verdict !== filter.verdict) continue
    const from = after !== null && verdict === after.verdict ? after.id : null
    const { where, bind } = conditions(filter, verdict)
    found.push(
      ...(await rows<CheckedRow>(
        db,
        `SELECT ${selected(destinations, SHOWN, 'd')} FROM destinations d WHERE ${where} AND ($${bind.length + 1}::uuid IS NULL OR d.id > $${bind.length + 1}::uuid)
         ORDER BY d.id LIMIT $${bind.length + 2}`,
        [...bind, from, limit - found.length],
      )),
    )
  }
  return found
}

function conditions(
  { siteId, address, host, isBroken }: ChecksFilter,
  verdict: Verdict | null | undefined,
): { where: string; bind: unknown[] } {
  const bind: unknown[] = [siteId]
  const where = ['d.site_id = $1']
  if (verdict === null) where.push('d.verdict IS NULL')
  else if (verdict !== undefined) where.push(`d.verdict = $${bind.push(verdict)}`)
  if (address !== undefined) where.push(`d.digest = md5($${bind.push(address)}::text)::uuid`)
  if (host !== undefined) where.push(`d.host = $${bind.push(host)}`)
  if (isBroken === true) where.push('d.is_broken')
  return { where: where.join(' AND '), bind }
}

/** What is said of a destination, as lists are told it. */
export interface ToldVerdictRow {
  readonly id: string
  readonly address: string
  readonly verdict: Verdict | null
  /** Visitors find nothing there, and nobody finds that fine. */
  readonly isBroken: boolean
  readonly toldAt: Date
}
const TOLD = `id, address, verdict, is_broken AND fine IS NULL AS "isBroken", told_at AS "toldAt"`

/** Of which destinations something else is said since a time, in the order in which it was said. @param after - the last one seen */
export const verdictsSince = (
  db: Database,
  siteId: string,
  { since, after, limit }: { since: Date; after: ToldVerdictRow | null; limit: number },
): Promise<ToldVerdictRow[]> =>
  rows(
    db,
    `SELECT ${TOLD} FROM destinations WHERE site_id = $1 AND told_at IS NOT NULL AND (told_at, id) > ($2::timestamptz, $3::uuid) ORDER BY told_at, id LIMIT $4`,
    [siteId, after?.toldAt ?? since, after?.id ?? '00000000-0000-0000-0000-000000000000', limit],
  )

/** What is said of some addresses, as they are compared. */
export const verdictsOf = (db: Database, siteId: string, addresses: readonly string[]): Promise<ToldVerdictRow[]> =>
  rows(
    db,
    `SELECT ${TOLD} FROM destinations WHERE site_id = $1 AND told_at IS NOT NULL AND digest = ANY(ARRAY(SELECT md5(a)::uuid FROM unnest($2::text[]) AS a))`,
    [siteId, addresses],
  )

/** How many destinations a question finds. */
export async function countChecks(db: Database, filter: ChecksFilter): Promise<number> {
  const { where, bind } = conditions(filter, filter.verdict)
  const [found] = await rows<{ total: number }>(db, `SELECT count(*)::int AS total FROM destinations d WHERE ${where}`, bind)
  return found?.total ?? 0
}

/** Of how many destinations each of some verdicts is said that nobody finds fine. */
export const countPointedOut = (
  db: Database,
  siteId: string,
  verdicts: readonly Verdict[],
): Promise<{ verdict: Verdict; destinations: number }[]> =>
  rows(
    db,
    `SELECT verdict, count(*)::int AS destinations FROM destinations WHERE site_id = $1 AND verdict = ANY($2::text[]) AND fine IS NULL AND uses > 0 GROUP BY verdict`,
    [siteId, verdicts],
  )

/** Of how many destinations of a site each is said. */
export const countVerdicts = (db: Database, siteId: string): Promise<{ verdict: Verdict | null; destinations: number }[]> =>
  rows(db, 'SELECT verdict, count(*)::int AS destinations FROM destinations WHERE site_id = $1 GROUP BY verdict', [siteId])

/** @returns null when the site has no such destination */
export const findCheck = (db: Database, siteId: string, id: string): Promise<CheckedRow | null> =>
  selectOne(db, destinations, SHOWN, { siteId, id })

/** What was said of a destination when, newest first. */
export const pastVerdicts = (
  db: Database,
  destinationId: string,
): Promise<Pick<RowOf<typeof destinationVerdicts>, 'verdict' | 'also' | 'at' | 'until'>[]> =>
  select(db, destinationVerdicts, ['verdict', 'also', 'at', 'until'], { destinationId }, { order: [['at', 'DESC']], limit: PAST_SHOWN })

/** What leads to a destination, by its name. @param most - of each kind */
export const usersOf = (
  db: Database,
  destinationId: string,
  most: number,
): Promise<{ kind: UseKind; id: string; name: string; links: number }[]> =>
  rows(
    db,
    `SELECT u.of_kind AS kind, u.of_id AS id, u.links, coalesce(p.path, h.host || CASE WHEN h.prefix = '' THEN '/' ELSE '/' || h.prefix || '/' END || s.slug, r.source, a.name, '') AS name
     FROM (SELECT * FROM destination_uses WHERE destination_id = $1 ORDER BY links DESC, of_id LIMIT $2) u
     LEFT JOIN pages p ON u.of_kind = 'page' AND p.id = u.of_id
     LEFT JOIN short_links s ON u.of_kind = 'short-link' AND s.id = u.of_id LEFT JOIN hosts h ON h.id = s.host_id
     LEFT JOIN redirects r ON u.of_kind = 'redirect' AND r.id = u.of_id
     LEFT JOIN partners a ON u.of_kind = 'partner' AND a.id = u.of_id ORDER BY u.links DESC, name`,
    [destinationId, most],
  )

/** Notes that a verdict is fine as it is; null takes that back. */
export async function setFine(db: Database, siteId: string, id: string, fine: FineVerdict | null, transaction: Transaction): Promise<void> {
  await update(db, destinations, { fine, toldAt: NOW }, { siteId, id }, transaction)
}

/** Which destinations somebody wants to be looked at. */
export type AskedFor =
  | { readonly digestsOf: readonly { readonly address: string; readonly host: string }[] }
  | { readonly page: string }
  | { readonly partner: readonly string[] }

/** Before all that is due by itself. */
const FIRST = `now() - interval '10 years'`

/**
 * Has destinations looked at before all others. Addresses that nothing leads to are taken down for a while.
 * @param job - under which they are asked for
 * @returns how many
 */
export async function askForLooks(db: Database, siteId: string, job: string, asked: AskedFor, transaction: Transaction): Promise<number> {
  const bind: unknown[] = [siteId, job]
  let which: string
  if ('digestsOf' in asked) {
    const given = `$${bind.push(jsonOf(asked.digestsOf))}::jsonb`
    await rows(
      db,
      `INSERT INTO destinations (site_id, address, digest, host, due_at) SELECT DISTINCT ON (md5(x.address)) $1::uuid, x.address, md5(x.address)::uuid, x.host, now()
       FROM jsonb_to_recordset($2::jsonb) AS x(address text, host text) ORDER BY md5(x.address) ON CONFLICT (site_id, digest) DO NOTHING`,
      [siteId, jsonOf(asked.digestsOf)],
      transaction,
    )
    which = `d.digest IN (SELECT md5(x.address)::uuid FROM jsonb_to_recordset(${given}) AS x(address text))`
  } else if ('page' in asked)
    which = `d.id IN (SELECT u.destination_id FROM destination_uses u WHERE u.of_kind = 'page' AND u.of_id = $${bind.push(asked.page)}::uuid)`
  else which = `d.host ~* $${bind.push(hostsUnder(asked.partner))}`
  const [found] = await rows<{ count: number }>(
    db,
    `WITH asked AS (UPDATE destinations d SET due_at = ${FIRST}, asked_by = $2::uuid WHERE d.site_id = $1::uuid AND ${which} RETURNING d.host),
       due AS (INSERT INTO asked_hosts AS h (host, due_at) SELECT DISTINCT host, ${FIRST} FROM asked ORDER BY 1
         ON CONFLICT (host) DO UPDATE SET due_at = least(h.due_at, excluded.due_at))
     SELECT count(*)::int AS count FROM asked`,
    bind,
    transaction,
  )
  return found?.count ?? 0
}

/** An expression for hosts, with or without a port, of these domains and all below them. */
const hostsUnder = (sites: readonly string[]): string =>
  sites.length === 0 ? '^$' : `(^|[.])(${sites.map((site) => site.replace(/[^a-z0-9-]/gi, '[$&]')).join('|')})(:[0-9]+)?$`

/** Looks that somebody asked for and that are not over. */
export interface AskedJob {
  readonly id: string
  readonly isCancelAsked: boolean
  readonly isOver: boolean
  /** Not all that are asked for are taken up yet. */
  readonly hasMore: boolean
}

/** Notes that every destination of a site is asked for; they are taken up by {@link askForNext}. */
export async function askForAll(db: Database, job: string, transaction: Transaction): Promise<void> {
  await update(db, jobs, { input: { all: true } }, { id: job }, transaction)
}

/** Destinations asked for in one statement. */
const ALL_AT_ONCE = 2_000

/** Has the next destinations looked at, of a job that asks for all. @returns whether there are more */
export async function askForNext(db: Database, job: string): Promise<boolean> {
  const [found] = await rows<{ count: number }>(
    db,
    `WITH job AS (SELECT site_id, input FROM jobs WHERE id = $1 FOR UPDATE),
       next AS MATERIALIZED (SELECT d.id, d.digest FROM destinations d JOIN job ON d.site_id = job.site_id
         WHERE d.digest > coalesce((job.input->>'after')::uuid, '00000000-0000-0000-0000-000000000000') ORDER BY d.digest LIMIT ${ALL_AT_ONCE}),
       asked AS (UPDATE destinations d SET due_at = ${FIRST}, asked_by = $1 FROM next WHERE d.id = next.id RETURNING d.host),
       due AS (INSERT INTO asked_hosts AS h (host, due_at) SELECT DISTINCT host, ${FIRST} FROM asked ORDER BY 1
         ON CONFLICT (host) DO UPDATE SET due_at = least(h.due_at, excluded.due_at)),
       noted AS (UPDATE jobs SET input = CASE WHEN (SELECT count(*) FROM next) < ${ALL_AT_ONCE} THEN '{}'::jsonb
         ELSE jsonb_build_object('all', true, 'after', (SELECT digest FROM next ORDER BY digest DESC LIMIT 1)) END WHERE id = $1)
     SELECT count(*)::int AS count FROM next`,
    [job],
  )
  return (found?.count ?? 0) === ALL_AT_ONCE
}

/** Says of jobs in hand that somebody is at them. */
export const askedJobs = (db: Database): Promise<AskedJob[]> =>
  rows(
    db,
    `UPDATE jobs j SET updated_at = now() WHERE kind = 'checks' AND state = 'running' RETURNING id, is_cancel_asked AS "isCancelAsked", input ? 'all' AS "hasMore",
       NOT input ? 'all' AND NOT EXISTS (SELECT 1 FROM destinations d WHERE d.asked_by = j.id) AS "isOver"`,
  )

/** Closes a job of looks: what is still to be looked at for one that is stopped is due when it would have been. */
export async function closeAsked(
  db: Database,
  { id, isCancelAsked, isOver }: Pick<AskedJob, 'id' | 'isCancelAsked' | 'isOver'>,
): Promise<void> {
  if (!isOver)
    await rows(db, `UPDATE destinations SET asked_by = NULL, due_at = coalesce(seen_at, now()) + interval '1 day' WHERE asked_by = $1`, [
      id,
    ])
  const message: { message?: Told } = isOver ? {} : { message: tell('job.stopped') }
  await closeJob(db, id, { state: isCancelAsked && !isOver ? 'cancelled' : 'done', ...message })
}

/** Adds what looks came to, to what the jobs tell in which they were asked for. */
export async function addToReports(
  db: Database,
  looked: readonly { readonly askedBy: string; readonly verdict: Verdict }[],
  transaction: Transaction,
): Promise<void> {
  const byJob = new Map<string, Partial<Record<Verdict, number>>>()
  for (const { askedBy, verdict } of looked) {
    const counts = byJob.get(askedBy) ?? {}
    counts[verdict] = (counts[verdict] ?? 0) + 1
    byJob.set(askedBy, counts)
  }
  for (const [job, counts] of [...byJob].sort(([a], [b]) => (a < b ? -1 : 1)))
    await rows(
      db,
      `UPDATE jobs SET done = done + $2, updated_at = now(), report = jsonb_build_object('looked', done + $2, 'verdicts', (
         SELECT jsonb_object_agg(verdict, times) FROM (SELECT verdict, sum(times) AS times FROM (
           SELECT key AS verdict, value::int AS times FROM jsonb_each_text(coalesce(report->'verdicts', '{}'))
           UNION ALL SELECT key, value::int FROM jsonb_each_text($3::jsonb)) AS each GROUP BY verdict) AS summed))
       WHERE id = $1`,
      [job, Object.values(counts).reduce((sum, count) => sum + count, 0), jsonOf(counts)],
      transaction,
    )
}
