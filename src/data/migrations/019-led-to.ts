const hostOf = `reverse(lower(substring(r.destination from '^[a-z]+://(?:[^/?#@]*@)?([^/:?#]+)'))) COLLATE "C"`

/** Which short links ever led to a host, and the clicks of an hour: clicks belong to where they went. */
export const ledTo = {
  name: '019-led-to',
  up: `
CREATE INDEX short_link_changes_to ON short_link_changes ((reverse(lower(substring(destination from '^[a-z]+://(?:[^/?#@]*@)?([^/:?#]+)'))) COLLATE "C"));
-- Clicks come in nearly in the order of their times: those of an hour are found for next to nothing.
CREATE INDEX clicks_at ON clicks USING brin (at) WITH (autosummarize = on);
-- Paths of the site's own from which redirects lead to partners, and where to: links to them are links to partners. Derived.
-- Of more rows than 20,000 that lead to partners some are not looked at, and 5,000 are kept: a site's set-up is read at once.
ALTER TABLE sites ADD COLUMN led_away jsonb NOT NULL DEFAULT '[]';
CREATE FUNCTION led_away_of(site uuid) RETURNS jsonb LANGUAGE sql STABLE AS $$
  SELECT coalesce(jsonb_agg(jsonb_build_array(source, destination) ORDER BY place DESC, id), '[]') FROM (SELECT * FROM (
    SELECT DISTINCT r.id, r.source, r.destination, r.place FROM (
      SELECT lower(h) AS host FROM partners p, unnest(p.sites) h WHERE p.site_id = site
      UNION SELECT lower(substring(p.link_template from '^[a-z]+://([^/:?#{}]+)')) FROM partners p WHERE p.site_id = site) w
    JOIN redirects r ON r.site_id = site AND r.removed_at IS NULL AND r.is_on AND r.match = 'exact' AND r.conditions = '{}' AND r.status < 400
      AND r.destination LIKE 'http%' AND (${hostOf} = reverse(w.host) OR ${hostOf} >= reverse(w.host) || '.' AND ${hostOf} < reverse(w.host) || '/')
      AND (r.hosts = '{}' OR EXISTS (SELECT 1 FROM hosts s WHERE s.site_id = site AND s.host = ANY(r.hosts) AND s.kind <> 'short'))
    WHERE w.host IS NOT NULL AND (r.beats_pages OR NOT EXISTS (SELECT 1 FROM pages p WHERE p.site_id = site AND p.path = r.source AND p.live_hash IS NOT NULL))
    LIMIT 20000) looked ORDER BY place, id LIMIT 5000) led
$$;
UPDATE sites SET led_away = led_away_of(id);
-- Short links that do not simply answer, and those that end.
CREATE INDEX short_links_special ON short_links (site_id) WHERE (course <> '{}' OR down_at IS NOT NULL OR full_at IS NOT NULL) AND removed_slugs IS NULL;
CREATE INDEX short_links_ending ON short_links (site_id) WHERE course ? 'endsAtMs' AND removed_slugs IS NULL;
-- A change of rules is taken back once, whatever was saved over it since.
ALTER TABLE rules ADD COLUMN undone_at timestamptz;`,
} as const
