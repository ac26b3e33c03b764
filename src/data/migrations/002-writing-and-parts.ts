/** Writing, shared parts, files, waiting links, presence, planned and checked publications. */
export const writingAndParts = {
  name: '002-pages-desk',
  up: `
-- Blocks and menus are kept like pages, with drafts, revisions and publications of their own; their path is "block:name" or "menu:name".
ALTER TABLE pages ADD COLUMN kind text NOT NULL DEFAULT 'page' CHECK (kind IN ('page', 'block', 'menu')),
  ADD COLUMN written_for uuid, ADD COLUMN removed_at timestamptz;
CREATE INDEX pages_changed ON pages (site_id, updated_at);

ALTER TABLE partners ADD COLUMN link_template text NOT NULL DEFAULT '', ADD COLUMN account text NOT NULL DEFAULT '';
ALTER TABLE sites ADD COLUMN may_visit_private boolean NOT NULL DEFAULT false;

ALTER TABLE files ADD COLUMN removed_at timestamptz;
CREATE TABLE file_revisions (
  file_id uuid NOT NULL REFERENCES files ON DELETE CASCADE, version integer NOT NULL, hash text NOT NULL REFERENCES blobs,
  media_type text NOT NULL, bytes integer NOT NULL, person_id uuid REFERENCES people ON DELETE SET NULL,
  created_at timestamptz NOT NULL DEFAULT now(), PRIMARY KEY (file_id, version));

-- Derived from the drafts of pages, as placements are: the files of the site that a page, block or menu names.
CREATE TABLE file_uses (page_id uuid NOT NULL REFERENCES pages ON DELETE CASCADE, path text NOT NULL, PRIMARY KEY (page_id, path));
CREATE INDEX file_uses_path ON file_uses (path);

-- What contributors linked and nobody has looked at yet, by page and destination.
CREATE TABLE waiting_links (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(), site_id uuid NOT NULL REFERENCES sites ON DELETE CASCADE,
  page_id uuid NOT NULL REFERENCES pages ON DELETE CASCADE, address text NOT NULL, words text NOT NULL, sentence text NOT NULL,
  flags text[] NOT NULL DEFAULT '{}', person_id uuid REFERENCES people ON DELETE SET NULL,
  state text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'accepted', 'refused')),
  decided_by uuid REFERENCES people ON DELETE SET NULL, decided_at timestamptz,
  created_at timestamptz NOT NULL DEFAULT now(), UNIQUE (page_id, address));
CREATE INDEX waiting_links_open ON waiting_links (site_id) WHERE state <> 'accepted';

-- Who has a page open. Nothing is lost when it is.
CREATE UNLOGGED TABLE presence (
  page_id uuid NOT NULL, tab uuid NOT NULL, person_id uuid NOT NULL, seen_at timestamptz NOT NULL DEFAULT now(), PRIMARY KEY (page_id, tab));

ALTER TABLE publications ADD COLUMN restored_number integer, ADD COLUMN checked jsonb, ADD COLUMN checked_at timestamptz;
ALTER TABLE publication_items DROP CONSTRAINT publication_items_kind_check,
  ADD CONSTRAINT publication_items_kind_check CHECK (kind IN ('page', 'block', 'menu', 'file')),
  ALTER COLUMN to_hash DROP NOT NULL, ADD COLUMN title text, ADD COLUMN encoding text, ADD COLUMN from_encoding text;
CREATE TABLE planned_publications (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(), site_id uuid NOT NULL REFERENCES sites ON DELETE CASCADE, due_at timestamptz NOT NULL,
  pages uuid[], person_id uuid REFERENCES people ON DELETE SET NULL,
  state text NOT NULL DEFAULT 'planned' CHECK (state IN ('planned', 'done', 'failed', 'cancelled')), message text,
  created_at timestamptz NOT NULL DEFAULT now());
CREATE INDEX planned_publications_due ON planned_publications (due_at) WHERE state = 'planned';
`,
} as const
