/** The host that a row leads to, read from its end, as it is indexed. */
const hostOf = (row: string): string =>
  `reverse(lower(substring(${row}.destination from '^[a-z]+://(?:[^/?#@]*@)?([^/:?#]+)'))) COLLATE "C"`
/** Below the host of `w.host`, or it. */
const leadsTo = (row: string): string =>
  `(${hostOf(row)} = reverse(w.host) OR ${hostOf(row)} >= reverse(w.host) || '.' AND ${hostOf(row)} < reverse(w.host) || '/')`
const INSIDE = `left(lower(r.destination), 120) COLLATE "C"`
const AT = `left(r.key, 120) COLLATE "C"`
const ANSWERS = `r.site_id = site AND r.removed_at IS NULL AND r.is_on AND (r.hosts = '{}' OR EXISTS (SELECT 1 FROM hosts s WHERE s.site_id = site AND s.host = ANY(r.hosts) AND s.kind <> 'short'))`
/** What begins with another text: that and the last character of all are its bounds, in the order of code points. */
const begins = (text: string, beginning: string): string => `(${text} >= ${beginning} AND ${text} < ${beginning} || chr(1114111))`
/** What is a path, be it with a slash, a query or a fragment behind it. */
const isPath = (text: string, path: string): string =>
  `(${text} IN (${path}, ${path} || '/') OR ${begins(text, `${path} || '?'`)} OR ${begins(text, `${path} || '#'`)})`
/** A row of one path that is written in one way only. */
const PLAIN = `(l.match = 'exact' AND l.fixed = l.key)`

/** Links are held against every row that leads to a partner, be it a pattern, under a condition, or by way of others and of short links. */
export const ledRows = {
  name: '021-led-rows',
  up: `
CREATE INDEX redirects_leads_inside ON redirects (site_id, ${INSIDE.replaceAll('r.', '')}) WHERE removed_at IS NULL AND destination LIKE '/%';
CREATE INDEX redirects_at ON redirects (site_id, ${AT.replaceAll('r.', '')}) WHERE removed_at IS NULL AND is_on AND match IN ('exact', 'under');
-- What the paths of a row begin with, as far as it is plain: small letters, digits and signs that nothing writes otherwise.
CREATE FUNCTION fixed_beginning(match text, source text) RETURNS text LANGUAGE sql IMMUTABLE AS $$
  SELECT left(coalesce(CASE WHEN match = 'expression' THEN CASE WHEN source LIKE '%|%' THEN '' ELSE substring(source from '^\^([A-Za-z0-9/_-]*)(?=[A-Za-z0-9/_-]|$)') END
    ELSE substring(source from '^[A-Za-z0-9/_~.-]*') END, ''), 120)
$$;
-- In reach of a partner within five hops: by its host, by a short link, or by way of a row that is. What only looks as if it were
-- is told apart by whoever follows it (core/rules/led.ts); rows that stand before those of patterns are among them, and pages.
CREATE OR REPLACE FUNCTION led_away_of(site uuid) RETURNS jsonb LANGUAGE sql STABLE AS $$
WITH RECURSIVE w AS MATERIALIZED (
    SELECT lower(h) AS host FROM partners p, unnest(p.sites) h WHERE p.site_id = site
    UNION SELECT lower(substring(p.link_template from '^[a-z]+://([^/:?#{}]+)')) FROM partners p WHERE p.site_id = site),
  direct AS MATERIALIZED (SELECT DISTINCT r.id, r.destination AS leads FROM w JOIN redirects r ON ${ANSWERS} AND r.status < 400
      AND r.destination LIKE 'http%' AND ${leadsTo('r')} WHERE w.host IS NOT NULL LIMIT 20000),
  by_short AS MATERIALIZED (SELECT r.id, l.destination AS leads FROM (SELECT h.id AS host_id, h.host FROM hosts h WHERE h.site_id = site AND h.kind = 'short') w
    JOIN redirects r ON ${ANSWERS} AND r.status < 400 AND r.destination LIKE 'http%' AND ${hostOf('r')} = reverse(w.host)
    JOIN short_link_slugs s ON s.host_id = w.host_id AND s.slug = lower(substring(r.destination from '^[a-z]+://[^?#]*/([^/?#]+)/?(?:[?#]|$)'))
    JOIN short_links l ON l.id = s.short_link_id AND l.removed_slugs IS NULL LIMIT 20000),
  led AS (
    SELECT r.id, r.match, r.key, r.source, lower(fixed_beginning(r.match, CASE WHEN r.match IN ('exact', 'under') THEN r.key ELSE r.source END)) AS fixed, first.leads, 1 AS hops
      FROM (SELECT * FROM direct UNION ALL SELECT * FROM by_short) first JOIN redirects r ON r.id = first.id
    UNION
    SELECT r.id, r.match, r.key, r.source, lower(fixed_beginning(r.match, CASE WHEN r.match IN ('exact', 'under') THEN r.key ELSE r.source END)), r.destination, l.hops + 1
      FROM led l JOIN redirects r ON ${ANSWERS} AND r.status < 400 AND r.destination LIKE '/%'
      AND (${PLAIN} AND ${isPath(INSIDE, 'l.fixed')} OR NOT ${PLAIN} AND ${begins(INSIDE, 'l.fixed')})
      WHERE l.hops < 5),
  reach AS MATERIALIZED (SELECT id, match, key, source, fixed, min(leads) AS leads FROM (SELECT * FROM led LIMIT 20000) l GROUP BY id, match, key, source, fixed),
  wide AS MATERIALIZED (SELECT DISTINCT match, fixed, fixed_beginning(match, source) AS written FROM reach WHERE match <> 'exact'),
  others AS MATERIALIZED (
    SELECT r.id FROM reach l JOIN redirects r ON ${ANSWERS} AND r.conditions = '{}' AND r.match = 'exact' AND md5(r.key) = md5(l.key) WHERE l.match = 'exact'
    UNION SELECT r.id FROM wide l JOIN redirects r ON ${ANSWERS} AND r.conditions = '{}' AND r.match IN ('exact', 'under') AND ${begins(AT, 'l.fixed')}
    UNION SELECT r.id FROM redirects r WHERE ${ANSWERS} AND r.conditions = '{}' AND r.match <> 'exact' AND EXISTS (SELECT 1 FROM wide)
    LIMIT 20000),
  kept AS (SELECT * FROM (
      SELECT r.*, l.leads, true AS is_led FROM reach l JOIN redirects r ON r.id = l.id
      UNION ALL SELECT r.*, CASE WHEN r.status < 400 THEN r.destination ELSE '' END, false FROM others o JOIN redirects r ON r.id = o.id
        WHERE r.id NOT IN (SELECT id FROM reach)) r
    ORDER BY r.is_led DESC, r.place, r.id LIMIT 5000),
  hidden AS (SELECT path FROM pages p JOIN (
      SELECT md5(key) AS sum FROM reach WHERE match = 'exact' UNION SELECT md5(key || '/') FROM reach WHERE match = 'exact') l ON md5(lower(p.path)) = l.sum
      WHERE p.site_id = site AND p.kind = 'page' AND p.live_hash IS NOT NULL
    UNION SELECT path FROM pages p JOIN (SELECT fixed FROM wide UNION SELECT written FROM wide) l ON ${begins('p.path COLLATE "C"', 'l.fixed')}
      WHERE p.site_id = site AND p.live_hash IS NOT NULL
    LIMIT 5000)
SELECT jsonb_build_object(
  'rows', coalesce((SELECT jsonb_agg(jsonb_build_array(match, source, leads, beats_pages, conditions <> '{}', to_jsonb(hosts)) ORDER BY place, id)
    FROM kept), '[]'),
  'pages', coalesce((SELECT jsonb_agg(path) FROM hidden), '[]'))
$$;
ALTER TABLE sites ALTER COLUMN led_away SET DEFAULT '{"rows": [], "pages": []}';
UPDATE sites SET led_away = led_away_of(id);`,
} as const
