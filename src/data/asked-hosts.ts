import type { Verdict } from '../core/checks/index.ts'
import { type Database, jsonOf, rows, type Transaction } from './database.ts'
import { selectOne, update } from './plain.ts'
import { askedHosts, type DestinationRow, destinations, type FineVerdict, type KeptLook, selected } from './tables/index.ts'

/** A host that is held for a look: nobody else asks it meanwhile. */
export interface HeldHost {
  readonly host: string
  readonly paceMs: number
  readonly robots: string | null
  readonly robotsAt: Date | null
}

/** A destination that is due. */
export interface DueDestination extends HeldHost {
  readonly id: string
  readonly siteId: string
  readonly address: string
  readonly askedBy: string | null
  readonly verdict: Verdict | null
  readonly also: readonly Verdict[]
  readonly isBroken: boolean
  readonly since: Date | null
  readonly seenAt: Date | null
  readonly doubts: number
  readonly same: number
  readonly slow: number
  readonly seen: KeptLook | null
  readonly etag: string | null
  readonly modified: string | null
  readonly fine: FineVerdict | null
  readonly sections: readonly string[]
  /** People who followed short links to it in the last 30 days. */
  readonly clicks: number
}

/** Whoever holds a host, and is gone, has held it for no longer than this. */
const HELD_SECONDS = 180
/** Own addresses are looked up, many at once: nobody has to be spared. */
const OWN_AT_ONCE = 25
/** A destination that is taken is due again after this, if nothing comes of it. */
const TAKEN_SECONDS = 300
const LOOK = [
  'id',
  'siteId',
  'address',
  'askedBy',
  'verdict',
  'also',
  'isBroken',
  'since',
  'seenAt',
  'doubts',
  'same',
  'slow',
  'seen',
  'etag',
  'modified',
  'fine',
] as const

/**
 * Takes hosts that may be asked now and have something due, and of each the destination that has waited longest. Two who take at once get
 * different hosts.
 * @returns `idle`: hosts that have nothing due after all; they are held as well
 */
export async function takeDue(
  db: Database,
  hosts: number,
): Promise<{ readonly due: readonly DueDestination[]; readonly idle: readonly string[] }> {
  const found = await rows<DueDestination | { readonly id: null; readonly host: string }>(
    db,
    `WITH held AS (
       UPDATE asked_hosts SET free_at = now() + interval '${HELD_SECONDS} seconds' WHERE host IN (
         SELECT host FROM asked_hosts WHERE ready_at <= now() ORDER BY ready_at LIMIT $1 FOR UPDATE SKIP LOCKED)
       RETURNING host, pace_ms, robots, robots_at),
     taken AS MATERIALIZED (
       SELECT h.host, h.pace_ms, h.robots, h.robots_at, d.id FROM held h LEFT JOIN LATERAL (SELECT id FROM destinations d WHERE d.host = h.host AND d.due_at <= now() ORDER BY d.due_at
         LIMIT CASE WHEN h.pace_ms = 0 THEN ${OWN_AT_ONCE} ELSE 1 END FOR UPDATE SKIP LOCKED) d ON true),
     later AS (UPDATE destinations d SET due_at = now() + interval '${TAKEN_SECONDS} seconds' FROM taken t WHERE d.id = t.id)
     SELECT h.host, h.pace_ms AS "paceMs", h.robots, h.robots_at AS "robotsAt", ${selected(destinations, LOOK, 'd')},
       ARRAY(SELECT DISTINCT unnest(sections) FROM destination_uses u WHERE u.destination_id = d.id LIMIT 50) AS sections,
       (SELECT coalesce(sum(r.clicks), 0)::int FROM destination_uses u JOIN click_rollups r ON r.short_link_id = u.of_id
         WHERE u.destination_id = d.id AND u.of_kind = 'short-link' AND r.visit = 'person' AND r.day > current_date - 30) AS clicks
     FROM taken h LEFT JOIN destinations d ON d.id = h.id`,
    [hosts],
  )
  const isDue = (each: (typeof found)[number]): each is DueDestination => each.id !== null
  return { due: found.filter(isDue), idle: found.filter((each) => !isDue(each)).map(({ host }) => host) }
}

/** Takes one host, to ask it besides. @returns how long to wait where somebody asks it just now or has just asked, in milliseconds */
export async function takeHost(db: Database, host: string): Promise<HeldHost | { readonly waitMs: number }> {
  const [held] = await rows<HeldHost>(
    db,
    `INSERT INTO asked_hosts AS h (host, free_at, due_at) VALUES ($1, now() + interval '${HELD_SECONDS} seconds', 'infinity')
     ON CONFLICT (host) DO UPDATE SET free_at = excluded.free_at WHERE h.free_at <= now()
     RETURNING host, pace_ms AS "paceMs", robots, robots_at AS "robotsAt"`,
    [host],
  )
  if (held !== undefined) return held
  const busy = await selectOne(db, askedHosts, ['freeAt'], { host })
  return { waitMs: Math.max(50, (busy?.freeAt.getTime() ?? 0) - Date.now()) }
}

/** Lets hosts go, each until it may be asked again; when the next of its destinations is due is looked up. */
export async function freeHosts(db: Database, hosts: readonly { readonly host: string; readonly afterMs: number }[]): Promise<void> {
  await rows(
    db,
    `UPDATE asked_hosts h SET free_at = now() + make_interval(secs => x.ms / 1000.0), due_at = coalesce((SELECT min(d.due_at) FROM destinations d WHERE d.host = h.host), 'infinity')
     FROM (SELECT * FROM unnest($1::text[], $2::float8[]) AS x(host, ms) ORDER BY 1) x WHERE h.host = x.host`,
    [hosts.map(({ host }) => host), hosts.map(({ afterMs }) => afterMs)],
  )
}

/** Keeps what a host asks of robots, and the pace it wants. */
export async function keepRobots(db: Database, host: string, { robots, paceMs }: { robots: string; paceMs: number }): Promise<void> {
  await update(db, askedHosts, { robots, robotsAt: new Date(), paceMs }, { host })
}

export async function setPace(db: Database, host: string, paceMs: number): Promise<void> {
  await update(db, askedHosts, { paceMs }, { host })
}

/** The newest look at an address; null where the site has no such destination. */
export const lastLook = (
  db: Database,
  siteId: string,
  address: string,
): Promise<Pick<DestinationRow, 'seen' | 'seenAt' | 'dueAt'> | null> =>
  rows<Pick<DestinationRow, 'seen' | 'seenAt' | 'dueAt'>>(
    db,
    `SELECT ${selected(destinations, ['seen', 'seenAt', 'dueAt'])} FROM destinations WHERE site_id = $1 AND digest = md5($2)::uuid`,
    [siteId, address],
  ).then(([found]) => found ?? null)

/** A destination is looked at later: its site was busy. */
export async function dueLater(db: Database, id: string, seconds: number): Promise<void> {
  await rows(
    db,
    `WITH later AS (UPDATE destinations SET due_at = CASE WHEN asked_by IS NULL THEN now() + make_interval(secs => $2) ELSE now() + interval '2 seconds' END WHERE id = $1 RETURNING host, due_at)
     UPDATE asked_hosts h SET due_at = least(h.due_at, l.due_at) FROM later l WHERE h.host = l.host`,
    [id, seconds],
  )
}

/** A destination is not to be visited, until somebody asks for it. */
export async function neverDue(db: Database, id: string): Promise<void> {
  await update(db, destinations, { dueAt: null, askedBy: null }, { id })
}

/** What a look at a destination came to. */
export interface LookResult {
  readonly id: string
  readonly siteId: string
  /** Milliseconds until the next one; null for never. */
  readonly dueMs: number | null
  readonly verdict: Verdict
  readonly also: readonly Verdict[]
  readonly isBroken: boolean
  /** Milliseconds since 1970. */
  readonly since: number
  readonly seenAt: number
  readonly doubts: number
  readonly same: number
  readonly slow: number
  readonly seen: KeptLook
  readonly better: string | null
  readonly etag: string | null
  readonly modified: string | null
}

/**
 * Keeps what looks came to, and a line where something else is said now than before.
 * @returns each with the job that asked for it, and whether something else is said now
 */
export function keepLooks(
  db: Database,
  looks: readonly LookResult[],
  transaction: Transaction,
): Promise<{ siteId: string; askedBy: string | null; verdict: Verdict; isNews: boolean }[]> {
  return rows(
    db,
    `WITH looks AS MATERIALIZED (SELECT * FROM jsonb_to_recordset($1::jsonb) AS x(id uuid, "dueMs" float8, verdict text, also text[], "isBroken" boolean, since float8,
         "seenAt" float8, doubts int, same int, slow int, seen jsonb, better text, etag text, modified text)),
       before AS MATERIALIZED (SELECT d.id, d.asked_by, d.verdict IS DISTINCT FROM l.verdict OR d.also <> l.also AS "isNews"
         FROM destinations d JOIN looks l USING (id) ORDER BY d.id FOR UPDATE OF d),
       kept AS (UPDATE destinations d SET due_at = now() + make_interval(secs => l."dueMs" / 1000.0), asked_by = NULL, verdict = l.verdict, also = l.also,
           is_broken = l."isBroken", since = to_timestamp(l.since / 1000.0), seen_at = to_timestamp(l."seenAt" / 1000.0), told_at = CASE WHEN b."isNews" THEN now() ELSE d.told_at END,
           doubts = l.doubts, same = l.same, slow = l.slow, seen = l.seen, better = l.better, etag = l.etag, modified = l.modified,
           fine = CASE WHEN d.fine->>'verdict' = l.verdict THEN d.fine END
         FROM looks l JOIN before b USING (id) WHERE d.id = l.id RETURNING d.id, d.site_id, d.verdict, b.asked_by, b."isNews"),
       ended AS (UPDATE destination_verdicts v SET until = to_timestamp(l."seenAt" / 1000.0) FROM looks l JOIN before b USING (id)
         WHERE b."isNews" AND v.destination_id = l.id AND v.until IS NULL),
       told AS (INSERT INTO destination_verdicts (destination_id, at, verdict, also) SELECT l.id, to_timestamp(l."seenAt" / 1000.0), l.verdict, l.also
         FROM looks l JOIN before b USING (id) WHERE b."isNews" ON CONFLICT DO NOTHING)
     SELECT site_id AS "siteId", asked_by AS "askedBy", verdict, "isNews" FROM kept`,
    [jsonOf(looks.map(({ siteId: _, ...look }) => look))],
    transaction,
  )
}
