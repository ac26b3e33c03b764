/** Sites, people, pages, rules, short links, clicks, publications. Landed migrations are never edited. */
export const firstTables = {
  name: '001-keel',
  up: `
CREATE TABLE sites (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(), name text NOT NULL, time_zone text NOT NULL DEFAULT 'UTC',
  version integer NOT NULL DEFAULT 1, created_at timestamptz NOT NULL DEFAULT now(), updated_at timestamptz NOT NULL DEFAULT now());

CREATE TABLE hosts (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(), site_id uuid NOT NULL REFERENCES sites ON DELETE CASCADE,
  host text NOT NULL UNIQUE CHECK (host = lower(host)), kind text NOT NULL CHECK (kind IN ('site', 'short')),
  prefix text NOT NULL DEFAULT '', is_main boolean NOT NULL DEFAULT false,
  version integer NOT NULL DEFAULT 1, created_at timestamptz NOT NULL DEFAULT now(), updated_at timestamptz NOT NULL DEFAULT now());

CREATE TABLE people (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(), site_id uuid NOT NULL REFERENCES sites ON DELETE CASCADE,
  email text NOT NULL UNIQUE CHECK (email = lower(email)), name text NOT NULL,
  role text NOT NULL CHECK (role IN ('owner', 'editor', 'contributor')), password_hash text NOT NULL,
  version integer NOT NULL DEFAULT 1, created_at timestamptz NOT NULL DEFAULT now(), updated_at timestamptz NOT NULL DEFAULT now());

CREATE TABLE sessions (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(), person_id uuid NOT NULL REFERENCES people ON DELETE CASCADE,
  token_hash text NOT NULL UNIQUE, expires_at timestamptz NOT NULL, created_at timestamptz NOT NULL DEFAULT now());

CREATE TABLE tokens (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(), person_id uuid NOT NULL REFERENCES people ON DELETE CASCADE,
  name text NOT NULL, token_hash text NOT NULL UNIQUE, scopes text[] NOT NULL, revoked_at timestamptz,
  created_at timestamptz NOT NULL DEFAULT now());

-- Content by its SHA-256: pages, their revisions and files point here, and delivery keeps copies by the same name.
CREATE TABLE blobs (hash text PRIMARY KEY, bytes bytea NOT NULL, created_at timestamptz NOT NULL DEFAULT now());

CREATE TABLE pages (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(), site_id uuid NOT NULL REFERENCES sites ON DELETE CASCADE,
  path text NOT NULL, source_name text NOT NULL, title text NOT NULL, encoding text NOT NULL,
  draft_hash text NOT NULL REFERENCES blobs, live_hash text REFERENCES blobs, live_encoding text, import_hash text,
  draft_at timestamptz NOT NULL DEFAULT now(), live_at timestamptz, edited_by uuid REFERENCES people ON DELETE SET NULL,
  version integer NOT NULL DEFAULT 1, created_at timestamptz NOT NULL DEFAULT now(), updated_at timestamptz NOT NULL DEFAULT now(),
  UNIQUE (site_id, path));
CREATE INDEX pages_order ON pages (site_id, path COLLATE "C");
CREATE INDEX pages_unpublished ON pages (site_id) WHERE live_hash IS DISTINCT FROM draft_hash;

CREATE TABLE page_revisions (
  page_id uuid NOT NULL REFERENCES pages ON DELETE CASCADE, version integer NOT NULL, hash text NOT NULL REFERENCES blobs,
  encoding text NOT NULL, title text NOT NULL, made_by text NOT NULL, person_id uuid REFERENCES people ON DELETE SET NULL,
  created_at timestamptz NOT NULL DEFAULT now(), PRIMARY KEY (page_id, version));

CREATE TABLE files (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(), site_id uuid NOT NULL REFERENCES sites ON DELETE CASCADE,
  path text NOT NULL, media_type text NOT NULL, bytes integer NOT NULL, draft_hash text NOT NULL REFERENCES blobs, live_hash text REFERENCES blobs,
  version integer NOT NULL DEFAULT 1, created_at timestamptz NOT NULL DEFAULT now(), updated_at timestamptz NOT NULL DEFAULT now(),
  UNIQUE (site_id, path));
CREATE INDEX files_unpublished ON files (site_id) WHERE live_hash IS DISTINCT FROM draft_hash;

-- Derived from the drafts of pages; can be dropped and rebuilt.
CREATE TABLE placements (
  page_id uuid NOT NULL REFERENCES pages ON DELETE CASCADE, ordinal integer NOT NULL, start_at integer NOT NULL, end_at integer NOT NULL,
  tag text NOT NULL, shown_text text NOT NULL, href text NOT NULL, rel text, target text, by_hand text, shows text NOT NULL,
  base_href text, base_target text, PRIMARY KEY (page_id, ordinal));

CREATE TABLE partners (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(), site_id uuid NOT NULL REFERENCES sites ON DELETE CASCADE,
  name text NOT NULL, sites text[] NOT NULL, version integer NOT NULL DEFAULT 1,
  created_at timestamptz NOT NULL DEFAULT now(), updated_at timestamptz NOT NULL DEFAULT now(), UNIQUE (site_id, name));

-- One row a version of the whole ordered list: the newest is in force, the others are its history.
CREATE TABLE rules (
  site_id uuid NOT NULL REFERENCES sites ON DELETE CASCADE, version integer NOT NULL, list jsonb NOT NULL,
  person_id uuid REFERENCES people ON DELETE SET NULL, created_at timestamptz NOT NULL DEFAULT now(), PRIMARY KEY (site_id, version));

CREATE TABLE short_links (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(), site_id uuid NOT NULL REFERENCES sites ON DELETE CASCADE,
  host_id uuid NOT NULL REFERENCES hosts ON DELETE CASCADE, destination text NOT NULL, title text NOT NULL DEFAULT '',
  status integer NOT NULL CHECK (status IN (301, 302, 307, 308)),
  version integer NOT NULL DEFAULT 1, created_at timestamptz NOT NULL DEFAULT now(), updated_at timestamptz NOT NULL DEFAULT now());

CREATE TABLE short_link_slugs (
  host_id uuid NOT NULL REFERENCES hosts ON DELETE CASCADE, slug text NOT NULL CHECK (slug = lower(slug)),
  short_link_id uuid NOT NULL REFERENCES short_links ON DELETE CASCADE, is_main boolean NOT NULL DEFAULT true, PRIMARY KEY (host_id, slug));
CREATE INDEX short_link_slugs_link ON short_link_slugs (short_link_id);

CREATE TABLE short_link_changes (
  short_link_id uuid NOT NULL REFERENCES short_links ON DELETE CASCADE, version integer NOT NULL, destination text NOT NULL,
  title text NOT NULL, status integer NOT NULL, person_id uuid REFERENCES people ON DELETE SET NULL,
  created_at timestamptz NOT NULL DEFAULT now(), PRIMARY KEY (short_link_id, version));

-- No foreign keys: a click that was answered is counted, whatever has been deleted since.
CREATE TABLE clicks (
  at timestamptz NOT NULL, short_link_id uuid NOT NULL, visit text NOT NULL, visitor text NOT NULL, device text NOT NULL,
  language text, referrer text) PARTITION BY RANGE (at);
CREATE TABLE click_rollups (
  short_link_id uuid NOT NULL, day date NOT NULL, visit text NOT NULL, clicks bigint NOT NULL, PRIMARY KEY (short_link_id, day, visit));
-- How far each delivery node's log has been loaded; written in the transaction that loads it.
CREATE TABLE click_loads (node text NOT NULL, segment text NOT NULL, loaded_bytes bigint NOT NULL, PRIMARY KEY (node, segment));

CREATE TABLE jobs (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(), site_id uuid NOT NULL REFERENCES sites ON DELETE CASCADE, kind text NOT NULL,
  state text NOT NULL CHECK (state IN ('waiting', 'running', 'done', 'failed', 'cancelled')), done integer NOT NULL DEFAULT 0,
  total integer NOT NULL DEFAULT 0, input jsonb NOT NULL, report jsonb, message text, is_cancel_asked boolean NOT NULL DEFAULT false,
  person_id uuid REFERENCES people ON DELETE SET NULL, created_at timestamptz NOT NULL DEFAULT now(), updated_at timestamptz NOT NULL DEFAULT now());

CREATE TABLE uploads (
  id uuid NOT NULL, part integer NOT NULL, bytes bytea NOT NULL, created_at timestamptz NOT NULL DEFAULT now(), PRIMARY KEY (id, part));

CREATE TABLE publications (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(), site_id uuid NOT NULL REFERENCES sites ON DELETE CASCADE, number integer NOT NULL,
  person_id uuid REFERENCES people ON DELETE SET NULL, created_at timestamptz NOT NULL DEFAULT now(), UNIQUE (site_id, number));
CREATE TABLE publication_items (
  publication_id uuid NOT NULL REFERENCES publications ON DELETE CASCADE, kind text NOT NULL CHECK (kind IN ('page', 'file')),
  path text NOT NULL, from_hash text, to_hash text NOT NULL, PRIMARY KEY (publication_id, kind, path));

CREATE TABLE audit (
  id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY, site_id uuid NOT NULL, person_id uuid, token_id uuid, action text NOT NULL,
  subject text, detail jsonb NOT NULL DEFAULT '{}', at timestamptz NOT NULL DEFAULT now());
CREATE INDEX audit_site ON audit (site_id, id);

-- What delivery compiles from; every change that visitors could see counts it up and is announced.
CREATE TABLE snapshot_state (only_row boolean PRIMARY KEY DEFAULT true CHECK (only_row), version bigint NOT NULL);
INSERT INTO snapshot_state (version) VALUES (1);
ALTER TABLE blobs ALTER COLUMN bytes SET STORAGE EXTERNAL;
ALTER TABLE uploads ALTER COLUMN bytes SET STORAGE EXTERNAL;
`,
} as const
