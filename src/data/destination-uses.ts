import { type Database, jsonOf, rows, type Transaction } from './database.ts'
import { remove, select } from './plain.ts'
import {
  destinationsFollowed,
  partnerBanners,
  type RedirectRow,
  redirects,
  type ShortLinkRow,
  shortLinks,
  type UseKind,
} from './tables/index.ts'

/** A page, short link, row or partner, and what it leads to now. */
export interface UserOf {
  readonly kind: UseKind
  readonly id: string
  readonly uses: readonly {
    /** As addresses are compared, without a section. */
    readonly address: string
    /** Host and port. */
    readonly host: string
    readonly links: number
    readonly sections: readonly string[]
  }[]
}

/**
 * Takes over what some of a site's things lead to: what they no longer lead to is let go, and costs nobody else anything. New addresses
 * are due at once.
 * @param ownHosts - nobody is asked there: they need no pace
 */
export async function putUses(
  db: Database,
  siteId: string,
  users: readonly UserOf[],
  ownHosts: readonly string[],
  transaction: Transaction,
): Promise<void> {
  const now = users.flatMap(({ kind, id, uses }) => uses.map((each) => ({ kind, id, ...each })))
  await rows(
    db,
    `WITH told AS (SELECT DISTINCT ON (md5(address)) address, host FROM jsonb_to_recordset($2::jsonb) AS x(address text, host text))
     INSERT INTO destinations (site_id, address, digest, host, due_at) SELECT $1, address, md5(address)::uuid, host, now() FROM told
     ORDER BY md5(address) ON CONFLICT (site_id, digest) DO NOTHING`,
    [siteId, jsonOf(now.map(({ address, host }) => ({ address, host })))],
    transaction,
  )
  await rows(
    db,
    `WITH users AS MATERIALIZED (SELECT * FROM unnest($2::text[], $3::uuid[]) AS u(kind, id)),
       used AS MATERIALIZED (SELECT x.kind, x.id, d.id AS destination, x.links, x.sections
         FROM jsonb_to_recordset($4::jsonb) AS x(kind text, id uuid, address text, links int, sections text[])
         JOIN destinations d ON d.site_id = $1 AND d.digest = md5(x.address)::uuid),
       before AS MATERIALIZED (SELECT o.of_kind AS kind, o.of_id AS id, o.destination_id AS destination, o.links FROM users u JOIN destination_uses o ON o.of_id = u.id AND o.of_kind = u.kind),
       gone AS (DELETE FROM destination_uses o USING before b WHERE o.of_id = b.id AND o.of_kind = b.kind AND o.destination_id = b.destination
         AND NOT EXISTS (SELECT 1 FROM used n WHERE n.id = b.id AND n.kind = b.kind AND n.destination = b.destination)),
       put AS (INSERT INTO destination_uses (of_kind, of_id, destination_id, links, sections) SELECT kind, id, destination, links, sections FROM used
         ON CONFLICT (of_id, of_kind, destination_id) DO UPDATE SET links = excluded.links, sections = excluded.sections
         WHERE (destination_uses.links, destination_uses.sections) IS DISTINCT FROM (excluded.links, excluded.sections)),
       more AS (SELECT destination, sum(links)::int AS links FROM (
         SELECT destination, links FROM used UNION ALL SELECT destination, -links FROM before) AS each GROUP BY destination HAVING sum(links) <> 0),
       counted AS (UPDATE destinations d SET uses = d.uses + m.links FROM (SELECT * FROM more ORDER BY destination) m WHERE d.id = m.destination)
     INSERT INTO asked_hosts (host, due_at, pace_ms) SELECT DISTINCT d.host, now(), CASE WHEN d.host = ANY($5::text[]) THEN 0 ELSE 2000 END
     FROM used n JOIN destinations d ON d.id = n.destination WHERE d.due_at IS NOT NULL AND d.seen_at IS NULL ORDER BY 1
     ON CONFLICT (host) DO UPDATE SET due_at = now(), pace_ms = CASE WHEN excluded.pace_ms = 0 THEN 0 ELSE asked_hosts.pace_ms END WHERE asked_hosts.due_at > now()`,
    [siteId, users.map(({ kind }) => kind), users.map(({ id }) => id), jsonOf(now), ownHosts],
    transaction,
  )
}

/** Lets go of destinations that nothing leads to any more; one that somebody has just asked for stays for a while. */
export async function dropUnusedDestinations(db: Database): Promise<void> {
  await rows(
    db,
    `DELETE FROM destinations WHERE id IN (SELECT id FROM destinations WHERE uses = 0 AND created_at < now() - interval '1 day'
       AND site_id IN (SELECT site_id FROM destinations_followed) LIMIT 10000)`,
  )
  await rows(
    db,
    `DELETE FROM destination_verdicts WHERE (destination_id, at) IN (
       SELECT destination_id, at FROM destination_verdicts WHERE until < now() - interval '60 days' LIMIT 10000)`,
  )
  await rows(
    db,
    `DELETE FROM asked_hosts h WHERE h.due_at = 'infinity' AND h.free_at < now() - interval '1 day' AND NOT EXISTS (SELECT 1 FROM destinations d WHERE d.host = h.host)`,
  )
}

/** How far a site's log is followed; null where it was never begun. */
export async function usesFollowedTo(db: Database, siteId: string): Promise<number | null> {
  const [found] = await select(db, destinationsFollowed, ['number'], { siteId })
  return found === undefined ? null : Number(found.number)
}

export async function noteUsesFollowed(db: Database, siteId: string, number: number, transaction?: Transaction): Promise<void> {
  await rows(
    db,
    'INSERT INTO destinations_followed (site_id, number) VALUES ($1, $2) ON CONFLICT (site_id) DO UPDATE SET number = excluded.number',
    [siteId, number],
    transaction,
  )
}

/** Things of a kind that a site has, after an id, in the order of their ids. */
export async function idsOfKind(
  db: Database,
  siteId: string,
  kind: UseKind,
  after: string | null,
  limit: number,
): Promise<readonly string[]> {
  const from = {
    page: 'pages WHERE removed_at IS NULL AND',
    'short-link': 'short_links WHERE removed_slugs IS NULL AND',
    redirect: 'redirects WHERE removed_at IS NULL AND',
    partner: 'partners WHERE',
  }[kind]
  const found = await rows<{ id: string }>(
    db,
    `SELECT id FROM ${from} site_id = $1 AND ($2::uuid IS NULL OR id > $2::uuid) ORDER BY id LIMIT $3`,
    [siteId, after, limit],
  )
  return found.map(({ id }) => id)
}

/** Short links that are there. */
export const shortLinksLeading = (db: Database, ids: readonly string[]): Promise<Pick<ShortLinkRow, 'id' | 'destination' | 'course'>[]> =>
  select(db, shortLinks, ['id', 'destination', 'course'], { id: ids, removedSlugs: null })

/** Rows of redirects that are on. */
export const redirectsLeading = (db: Database, ids: readonly string[]): Promise<Pick<RedirectRow, 'id' | 'to' | 'match'>[]> =>
  select(db, redirects, ['id', 'to', 'match'], { id: ids, removedAt: null, isOn: true })

/** What partners' banners lead to. */
export const bannersLeading = (db: Database, ids: readonly string[]): Promise<{ partnerId: string; href: string }[]> =>
  select(db, partnerBanners, ['partnerId', 'href'], { partnerId: ids })

/** Begins the uses of a site anew: nothing leads anywhere, as far as anybody knows. */
export async function forgetUses(db: Database, siteId: string, transaction: Transaction): Promise<void> {
  await remove(db, destinationsFollowed, { siteId }, transaction)
  await rows(
    db,
    `WITH gone AS (DELETE FROM destination_uses o USING destinations d WHERE d.site_id = $1 AND o.destination_id = d.id)
     UPDATE destinations SET uses = 0 WHERE site_id = $1 AND uses <> 0`,
    [siteId],
    transaction,
  )
}

/** Has destinations looked at anew, at once: what answers there may be something else now. @param addresses - as they are compared */
export async function dueAtOnce(db: Database, siteId: string, addresses: readonly string[], transaction?: Transaction): Promise<void> {
  await rows(
    db,
    `WITH due AS (UPDATE destinations d SET due_at = now() FROM (SELECT DISTINCT md5(a)::uuid AS digest FROM unnest($2::text[]) AS a) x
       WHERE d.site_id = $1 AND d.digest = x.digest AND d.due_at > now() RETURNING d.host)
     UPDATE asked_hosts h SET due_at = now() FROM (SELECT DISTINCT host FROM due ORDER BY 1) d WHERE h.host = d.host AND h.due_at > now()`,
    [siteId, addresses],
    transaction,
  )
}

/** The same of all that is broken on some hosts. */
export async function brokenDueAtOnce(db: Database, siteId: string, hosts: readonly string[], transaction?: Transaction): Promise<void> {
  await rows(
    db,
    `WITH due AS (UPDATE destinations SET due_at = now() WHERE site_id = $1 AND host = ANY($2::text[]) AND due_at > now() AND is_broken RETURNING host)
     UPDATE asked_hosts h SET due_at = now() FROM (SELECT DISTINCT host FROM due ORDER BY 1) d WHERE h.host = d.host AND h.due_at > now()`,
    [siteId, hosts],
    transaction,
  )
}

/** Other addresses may be visited now: those that were not to be are looked up again. */
export async function neverDueAgain(db: Database, siteId: string, transaction?: Transaction): Promise<void> {
  await rows(
    db,
    `WITH due AS (UPDATE destinations SET due_at = now() WHERE site_id = $1 AND due_at IS NULL RETURNING host)
     UPDATE asked_hosts h SET due_at = now() FROM (SELECT DISTINCT host FROM due ORDER BY 1) d WHERE h.host = d.host AND h.due_at > now()`,
    [siteId],
    transaction,
  )
}
