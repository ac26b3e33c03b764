/** Short links, complete: who is sent where and when, slugs on several hosts, tags and notes; clicks by the hour and by where they came from. */
export const shortLinks = {
  name: '013-short-links',
  up: `
CREATE FUNCTION tag_words(tags text[]) RETURNS text LANGUAGE sql IMMUTABLE PARALLEL SAFE AS $$ SELECT array_to_string(tags, ' ') $$;
ALTER TABLE short_links
  ADD COLUMN course jsonb NOT NULL DEFAULT '{}',
  ADD COLUMN note text NOT NULL DEFAULT '',
  ADD COLUMN tags text[] NOT NULL DEFAULT '{}',
  -- Since when its destination does not answer, since when it has had all its clicks, and when its destination was last asked.
  ADD COLUMN down_at timestamptz,
  ADD COLUMN full_at timestamptz,
  ADD COLUMN looked_at timestamptz,
  -- Slugs on further hosts that one had which was taken away.
  ADD COLUMN removed_elsewhere jsonb NOT NULL DEFAULT '[]',
  DROP COLUMN words;
ALTER TABLE short_links ADD COLUMN words text NOT NULL
  GENERATED ALWAYS AS (lower(slug || ' ' || title || ' ' || destination || ' ' || note || ' ' || tag_words(tags))) STORED;
CREATE INDEX short_links_words ON short_links USING gin (words gin_trgm_ops);
CREATE INDEX short_links_tags ON short_links USING gin (tags) WHERE tags <> '{}';
CREATE INDEX short_links_tagged ON short_links (site_id, created_at DESC) WHERE tags <> '{}' AND removed_slugs IS NULL;
CREATE INDEX partner_subs_destination ON partner_subs (site_id, md5(destination));
CREATE INDEX short_links_watched ON short_links (looked_at NULLS FIRST) WHERE course ? 'fallback' AND removed_slugs IS NULL;
CREATE INDEX short_links_limited ON short_links (id) WHERE course ? 'clickLimit' AND full_at IS NULL;
ALTER TABLE short_link_changes
  ADD COLUMN course jsonb NOT NULL DEFAULT '{}', ADD COLUMN note text NOT NULL DEFAULT '', ADD COLUMN tags text[] NOT NULL DEFAULT '{}';
-- A prefix that was another once still answers.
ALTER TABLE hosts ADD COLUMN old_prefixes text[] NOT NULL DEFAULT '{}';
-- Changes of many at once, as they were before.
CREATE TABLE short_link_steps (
  id uuid PRIMARY KEY, site_id uuid NOT NULL REFERENCES sites ON DELETE CASCADE, person_id uuid REFERENCES people ON DELETE SET NULL,
  what text NOT NULL, links jsonb NOT NULL, at timestamptz NOT NULL DEFAULT now(), undone_at timestamptz);
-- What a site usually writes into UTM parameters.
CREATE TABLE utm_values (
  site_id uuid NOT NULL REFERENCES sites ON DELETE CASCADE, name text NOT NULL, value text NOT NULL, uses integer NOT NULL DEFAULT 1,
  last_at timestamptz NOT NULL DEFAULT now(), PRIMARY KEY (site_id, name, value));
-- Of a split, which destination was answered with.
ALTER TABLE clicks ADD COLUMN variant smallint;
CREATE TABLE click_hours (
  short_link_id uuid NOT NULL, hour timestamptz NOT NULL, visit text NOT NULL, variant smallint NOT NULL DEFAULT -1, clicks bigint NOT NULL,
  PRIMARY KEY (short_link_id, hour, visit, variant));
-- Where people came from, by what, and in which language: kind is "referrer", "device" or "language".
CREATE TABLE click_sources (
  short_link_id uuid NOT NULL, day date NOT NULL, kind text NOT NULL, value text NOT NULL, clicks bigint NOT NULL,
  PRIMARY KEY (short_link_id, day, kind, value));
INSERT INTO click_hours (short_link_id, hour, visit, clicks)
  SELECT short_link_id, date_trunc('hour', at), visit, count(*) FROM clicks GROUP BY 1, 2, 3;
INSERT INTO click_sources (short_link_id, day, kind, value, clicks)
  SELECT short_link_id, (at AT TIME ZONE 'UTC')::date, kind, value, count(*) FROM clicks
  CROSS JOIN LATERAL (VALUES ('referrer', coalesce(referrer, '')), ('device', device), ('language', coalesce(language, ''))) AS s (kind, value)
  WHERE visit = 'person' GROUP BY 1, 2, 3, 4;
CREATE INDEX publication_items_path ON publication_items (path);`,
} as const
