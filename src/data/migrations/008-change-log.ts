/** The ordered log of changes, which delivery, the studio's indexes and open screens follow. */
export const changeLog = {
  name: '008-ground',
  up: `
-- One row a site. Whoever takes numbers holds it until the transaction commits, so that numbers become visible in their order.
CREATE TABLE change_counters (
  site_id uuid PRIMARY KEY REFERENCES sites ON DELETE CASCADE, number bigint NOT NULL DEFAULT 0,
  -- Newest number at which what a site is compiled from changed: hosts, partners, rules, the site itself.
  set_up_number bigint NOT NULL DEFAULT 0,
  -- Rows up to this one are gone; a reader that has not seen them starts anew.
  pruned_to bigint NOT NULL DEFAULT 0,
  -- How many short links there were at which number; from there on the log tells.
  short_links_at bigint, short_links_total integer);
INSERT INTO change_counters (site_id) SELECT id FROM sites;
CREATE TABLE changes (
  site_id uuid NOT NULL REFERENCES sites ON DELETE CASCADE, number bigint NOT NULL, capability text NOT NULL, key text NOT NULL,
  what text NOT NULL, at timestamptz NOT NULL DEFAULT now(), PRIMARY KEY (site_id, number));
CREATE INDEX changes_age ON changes (at);
DROP TABLE snapshot_state;

-- Who refers to a content, so that one that nobody refers to is found, and can go.
CREATE INDEX pages_draft_hash ON pages (draft_hash);
CREATE INDEX pages_live_hash ON pages (live_hash);
CREATE INDEX pages_origin_hash ON pages (origin_hash);
CREATE INDEX page_revisions_hash ON page_revisions (hash);
CREATE INDEX files_draft_hash ON files (draft_hash);
CREATE INDEX files_live_hash ON files (live_hash);
CREATE INDEX file_revisions_hash ON file_revisions (hash);
CREATE INDEX publication_items_from_hash ON publication_items (from_hash);
CREATE INDEX publication_items_to_hash ON publication_items (to_hash);
CREATE INDEX bulk_change_pages_before_hash ON bulk_change_pages (before_hash);
CREATE INDEX bulk_change_pages_after_hash ON bulk_change_pages (after_hash);

-- The main slug beside what is looked for with it: a list of a million is searched by one index.
CREATE EXTENSION IF NOT EXISTS pg_trgm;
ALTER TABLE short_links ADD COLUMN slug text;
UPDATE short_links l SET slug = coalesce((SELECT s.slug FROM short_link_slugs s WHERE s.short_link_id = l.id AND s.is_main LIMIT 1), l.removed_slugs[1], '');
ALTER TABLE short_links ALTER COLUMN slug SET NOT NULL;
ALTER TABLE short_links ADD COLUMN words text NOT NULL GENERATED ALWAYS AS (lower(slug || ' ' || title || ' ' || destination)) STORED;
CREATE INDEX short_links_words ON short_links USING gin (words gin_trgm_ops);
CREATE INDEX short_links_order ON short_links (site_id, created_at DESC, id DESC) WHERE removed_slugs IS NULL;
CREATE INDEX short_links_host ON short_links (host_id);
`,
} as const
