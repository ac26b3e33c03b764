/** Rules with conditions, tags, what findings need to know of a placement, and bulk changes that can be taken back. */
export const conditionsAndBulkChanges = {
  name: '003-marks',
  up: `
-- Rules used to hold their conditions in two flat parts; now they are combined with all, any and not.
CREATE FUNCTION pg_temp.condition_of(rule jsonb) RETURNS jsonb LANGUAGE sql AS $$
  SELECT jsonb_build_object('all', coalesce(jsonb_agg(test ORDER BY n), '[]')) FROM (VALUES
    (1, CASE WHEN jsonb_array_length(rule#>'{which,kinds}') > 0 THEN jsonb_build_object('is', 'kind', 'of', rule#>'{which,kinds}') END),
    (2, CASE WHEN rule#>>'{which,partner}' = 'true' THEN '{"is": "partner"}'::jsonb WHEN rule#>>'{which,partner}' = 'false' THEN '{"not": {"is": "partner"}}'::jsonb END),
    (3, CASE WHEN jsonb_array_length(rule#>'{which,sites}') > 0 THEN jsonb_build_object('is', 'site', 'of', rule#>'{which,sites}') END),
    (4, CASE WHEN rule#>>'{which,address}' <> '' THEN jsonb_build_object('is', 'address', 'like', rule#>'{which,address}') END),
    (5, CASE WHEN rule#>'{which,origin}' IS NOT NULL THEN jsonb_build_object('is', 'origin', 'of', rule#>'{which,origin}') END),
    (6, CASE WHEN rule#>'{which,shows}' IS NOT NULL THEN jsonb_build_object('is', 'shows', 'of', rule#>'{which,shows}') END),
    (7, CASE WHEN jsonb_array_length(rule#>'{where,under}') > 0 THEN jsonb_build_object('is', 'under', 'of', rule#>'{where,under}') END)
  ) AS tests (n, test) WHERE test IS NOT NULL
$$;
UPDATE rules SET list = (SELECT coalesce(jsonb_agg((rule - 'where' - 'which') || jsonb_build_object('when', pg_temp.condition_of(rule)) ORDER BY n), '[]')
  FROM jsonb_array_elements(list) WITH ORDINALITY AS each (rule, n));

ALTER TABLE pages ADD COLUMN tags text[] NOT NULL DEFAULT '{}', ADD COLUMN words integer,
  -- The file a page came in as, where that was no HTML, and what it was made into.
  ADD COLUMN origin_kind text CHECK (origin_kind IN ('markdown')), ADD COLUMN origin_hash text REFERENCES blobs;
-- Null until a placement was derived since this migration; npm start derives them anew.
ALTER TABLE placements ADD COLUMN link_tags text, ADD COLUMN paragraph integer;

CREATE TABLE bulk_changes (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(), site_id uuid NOT NULL REFERENCES sites ON DELETE CASCADE, change jsonb NOT NULL,
  links integer NOT NULL, person_id uuid REFERENCES people ON DELETE SET NULL, created_at timestamptz NOT NULL DEFAULT now(),
  undone_at timestamptz);
CREATE INDEX bulk_changes_newest ON bulk_changes (site_id, created_at);
CREATE TABLE bulk_change_pages (
  bulk_change_id uuid NOT NULL REFERENCES bulk_changes ON DELETE CASCADE, page_id uuid NOT NULL REFERENCES pages ON DELETE CASCADE,
  before_hash text NOT NULL REFERENCES blobs, before_encoding text NOT NULL, after_hash text NOT NULL REFERENCES blobs, PRIMARY KEY (bulk_change_id, page_id));

-- Hosts that stand in front of somebody's existing site.
ALTER TABLE hosts DROP CONSTRAINT hosts_kind_check, ADD CONSTRAINT hosts_kind_check CHECK (kind IN ('site', 'short', 'door')), ADD COLUMN origin text;

-- What a crawl has fetched so far, so that it goes on where it stopped.
CREATE TABLE crawled (
  crawl uuid NOT NULL, address text NOT NULL, state text NOT NULL CHECK (state IN ('waiting', 'fetched', 'refused')), bytes bytea, media_type text, reason text,
  fetched_at timestamptz, PRIMARY KEY (crawl, address));
ALTER TABLE crawled ALTER COLUMN bytes SET STORAGE EXTERNAL;
`,
} as const
