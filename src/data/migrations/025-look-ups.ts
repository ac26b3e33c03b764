/** The host that a row leads to, read from its end, as it is indexed. */
const hostOf = (row: string): string =>
  `reverse(lower(substring(${row}.destination from '^[a-z]+://(?:[^/?#@]*@)?([^/:?#]+)'))) COLLATE "C"`
const INSIDE = `left(lower(r.destination), 120) COLLATE "C"`
const AT = `left(r.key, 120) COLLATE "C"`
const PAGE_AT = `left(lower(p.path), 120) COLLATE "C"`
/**
 * Each index begins with the site in a word of its own, which only questions that are meant for it use: of a table that is nearly
 * empty, or of a site that the statistics do not know yet, every index promises the same, and what is taken then may be a look at all rows.
 */
const siteIn = (index: string): string => `CASE WHEN r.removed_at IS NULL THEN '${index} ' || r.site_id::text END`
const ofSite = (index: string): string => `${siteIn(index)} = '${index} ' || site::text`
const ANSWERS = `r.is_on AND (r.hosts = '{}' OR EXISTS (SELECT 1 FROM hosts s WHERE s.site_id = site AND s.host = ANY(r.hosts) AND s.kind <> 'short'))`
/** Rows that any step looks at. */
const MOST = 20_000
/** Rows of each of these conditions, each looked up by itself: joined by OR they would be a look at every row. */
const each = (index: string, columns: string, conditions: readonly string[]): string =>
  `(${conditions.map((condition) => `(SELECT ${columns} FROM redirects r WHERE ${ofSite(index)} AND ${condition} AND ${ANSWERS} AND r.status < 400 LIMIT ${MOST})`).join(' UNION ALL ')})`
/** Rows for more than one path; written so that no index knows it but the one that is made of it. */
const WIDE = `strpos(r.match, 'exact') = 0`
/** As the columns of an index are written. */
const bare = (text: string): string => text.replaceAll(/\b[rp]\./g, '')
/** What begins with another text: that and the last character of all are its bounds, in the order of code points. */
const begins = (text: string, beginning: string): string => `(${text} >= ${beginning} AND ${text} < ${beginning} || chr(1114111))`
const byId = (row: string): string => `(SELECT * FROM redirects r WHERE r.id = ${row}.id OFFSET 0) r`
/** A row of one path that is written in one way only. */
const PLAIN = `(l.match = 'exact' AND l.fixed = l.key)`

/** What rows are found by, and which of them lead to partners, are look-ups, however many rows there are and however little is known of them. */
export const lookUps = {
  name: '025-look-ups',
  up: `
DROP INDEX redirects_to, redirects_key, redirects_leads_inside, redirects_at;
CREATE INDEX redirects_key ON redirects ((${bare(siteIn('key'))}), match, md5(key));
CREATE INDEX redirects_at ON redirects ((${bare(siteIn('at'))}), (${bare(AT)}));
CREATE INDEX redirects_wide ON redirects ((${bare(siteIn('wide'))})) WHERE ${bare(WIDE)};
CREATE INDEX redirects_leads_out ON redirects ((${bare(siteIn('out'))}), (${bare(hostOf('r'))})) WHERE destination LIKE 'http%';
CREATE INDEX redirects_leads_inside ON redirects ((${bare(siteIn('inside'))}), (${bare(INSIDE)})) WHERE destination LIKE '/%';
CREATE INDEX pages_at ON pages ((site_id::text), (${bare(PAGE_AT)})) WHERE live_hash IS NOT NULL;
-- What the paths of a row begin with, as far as it is plain: small letters, digits and signs that nothing writes otherwise.
CREATE OR REPLACE FUNCTION fixed_beginning(match text, source text) RETURNS text LANGUAGE sql IMMUTABLE AS $$
  SELECT left(coalesce(CASE WHEN match = 'expression' THEN CASE WHEN source LIKE '%|%' THEN '' ELSE substring(source from '^\\^([A-Za-z0-9/_-]*)(?=[A-Za-z0-9/_-]|$)') END
    ELSE substring(source from '^[A-Za-z0-9/_~.-]*') END, ''), 120)
$$;
-- In reach of a partner within five hops: by its host, by a short link, or by way of a row that is. What only looks as if it were
-- is told apart by whoever follows it (core/rules/led.ts); rows that stand before those of patterns are among them, and pages.
CREATE OR REPLACE FUNCTION led_away_of(site uuid) RETURNS jsonb LANGUAGE plpgsql STABLE
  -- A few look-ups however many rows there are: what the planner takes for quicker while a table fills is a look at all of it.
  SET enable_seqscan = off SET enable_hashjoin = off SET enable_mergejoin = off SET enable_material = off SET jit = off
  -- Planned once a connection: that takes ten times as long as doing it.
  SET plan_cache_mode = force_generic_plan AS $$
BEGIN RETURN (WITH RECURSIVE w AS MATERIALIZED (
    SELECT lower(h) AS host FROM partners p, unnest(p.sites) h WHERE p.site_id = site
    UNION SELECT lower(substring(p.link_template from '^[a-z]+://([^/:?#{}]+)')) FROM partners p WHERE p.site_id = site),
  direct AS MATERIALIZED (SELECT DISTINCT r.id, r.destination AS leads FROM w CROSS JOIN LATERAL ${each('out', 'r.id, r.destination', [
    `r.destination LIKE 'http%' AND ${hostOf('r')} = reverse(w.host)`,
    `r.destination LIKE 'http%' AND ${hostOf('r')} >= reverse(w.host) || '.' AND ${hostOf('r')} < reverse(w.host) || '/'`,
  ])} r WHERE w.host IS NOT NULL LIMIT ${MOST}),
  by_short AS MATERIALIZED (SELECT r.id, l.destination AS leads FROM (SELECT h.id AS host_id, h.host FROM hosts h WHERE h.site_id = site AND h.kind = 'short') w
    CROSS JOIN LATERAL (SELECT r.id, r.destination FROM redirects r WHERE ${ofSite('out')} AND ${ANSWERS} AND r.status < 400 AND r.destination LIKE 'http%'
      AND ${hostOf('r')} = reverse(w.host) LIMIT ${MOST}) r
    CROSS JOIN LATERAL (SELECT s.short_link_id FROM short_link_slugs s WHERE s.host_id = w.host_id
      AND s.slug = lower(substring(r.destination from '^[a-z]+://[^?#]*/([^/?#]+)/?(?:[?#]|$)')) OFFSET 0) s
    CROSS JOIN LATERAL (SELECT l.destination FROM short_links l WHERE l.id = s.short_link_id AND l.removed_slugs IS NULL OFFSET 0) l LIMIT ${MOST}),
  led AS (
    SELECT r.id, r.match, r.key, r.source, lower(fixed_beginning(r.match, CASE WHEN r.match IN ('exact', 'under') THEN r.key ELSE r.source END)) AS fixed, first.leads, 1 AS hops
      FROM (SELECT * FROM direct UNION ALL SELECT * FROM by_short) first CROSS JOIN LATERAL ${byId('first')}
    UNION
    SELECT r.id, r.match, r.key, r.source, lower(fixed_beginning(r.match, CASE WHEN r.match IN ('exact', 'under') THEN r.key ELSE r.source END)), r.destination, l.hops + 1
      FROM led l CROSS JOIN LATERAL ${each('inside', 'r.id, r.match, r.key, r.source, r.destination', [
        `r.destination LIKE '/%' AND ${PLAIN} AND ${INSIDE} = l.fixed`,
        `r.destination LIKE '/%' AND ${PLAIN} AND ${INSIDE} = l.fixed || '/'`,
        `r.destination LIKE '/%' AND ${PLAIN} AND ${begins(INSIDE, "l.fixed || '?'")}`,
        `r.destination LIKE '/%' AND ${PLAIN} AND ${begins(INSIDE, "l.fixed || '#'")}`,
        `r.destination LIKE '/%' AND NOT ${PLAIN} AND ${begins(INSIDE, 'l.fixed')}`,
      ])} r WHERE l.hops < 5),
  reach AS MATERIALIZED (SELECT id, match, key, source, fixed, min(leads) AS leads FROM (SELECT * FROM led LIMIT ${MOST}) l GROUP BY id, match, key, source, fixed),
  wide AS MATERIALIZED (SELECT DISTINCT match, fixed FROM reach WHERE match <> 'exact'),
  others AS MATERIALIZED (
    SELECT r.id FROM reach l CROSS JOIN LATERAL (SELECT r.id FROM redirects r WHERE ${ofSite('at')} AND ${ANSWERS} AND r.conditions = '{}'
      AND NOT ${WIDE} AND ${AT} = left(l.key, 120) AND r.key = l.key OFFSET 0) r WHERE l.match = 'exact'
    UNION SELECT r.id FROM wide l CROSS JOIN LATERAL (SELECT r.id FROM redirects r WHERE ${ofSite('at')} AND ${ANSWERS} AND r.conditions = '{}'
      AND ${begins(AT, 'l.fixed')} LIMIT ${MOST}) r
    UNION (SELECT r.id FROM redirects r WHERE ${ofSite('wide')} AND ${ANSWERS} AND r.conditions = '{}' AND ${WIDE}
      AND EXISTS (SELECT 1 FROM wide) LIMIT ${MOST})
    LIMIT ${MOST}),
  kept AS (SELECT * FROM (
      SELECT r.*, l.leads, true AS is_led FROM reach l CROSS JOIN LATERAL ${byId('l')}
      UNION ALL SELECT r.*, CASE WHEN r.status < 400 THEN r.destination ELSE '' END, false FROM others o CROSS JOIN LATERAL ${byId('o')}
        WHERE NOT EXISTS (SELECT 1 FROM reach x WHERE x.id = o.id)) r
    ORDER BY r.is_led DESC, r.place, r.id LIMIT 5000),
  hidden AS (
    SELECT p.path FROM (SELECT key FROM reach WHERE match = 'exact' UNION SELECT key || '/' FROM reach WHERE match = 'exact') l
      CROSS JOIN LATERAL (SELECT p.path FROM pages p WHERE p.site_id::text = site::text AND p.live_hash IS NOT NULL AND p.kind NOT IN ('block', 'menu')
        AND ${PAGE_AT} = left(l.key, 120) AND lower(p.path) = l.key OFFSET 0) p
    UNION SELECT p.path FROM wide l
      CROSS JOIN LATERAL (SELECT p.path FROM pages p WHERE p.site_id::text = site::text AND p.live_hash IS NOT NULL AND ${begins(PAGE_AT, 'l.fixed')} LIMIT ${MOST}) p
    LIMIT 5000)
SELECT jsonb_build_object(
  'rows', coalesce((SELECT jsonb_agg(jsonb_build_array(match, source, leads, beats_pages, conditions <> '{}', to_jsonb(hosts)) ORDER BY place, id)
    FROM kept), '[]'),
  'pages', coalesce((SELECT jsonb_agg(path) FROM hidden), '[]')));
END $$;
UPDATE sites SET led_away = led_away_of(id);`,
} as const
