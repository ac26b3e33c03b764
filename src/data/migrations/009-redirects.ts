/** Old, moved and mistyped addresses, and what each row said before. */
export const redirects = {
  name: '009-redirects',
  up: `
CREATE TABLE redirects (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(), site_id uuid NOT NULL REFERENCES sites ON DELETE CASCADE,
  match text NOT NULL, source text NOT NULL,
  -- What a row is found by: its path as addresses are looked up, or its own id where it has to be asked.
  key text NOT NULL,
  hosts text[] NOT NULL DEFAULT '{}', conditions jsonb NOT NULL DEFAULT '{}', destination text NOT NULL DEFAULT '',
  status smallint NOT NULL, query text NOT NULL, beats_pages boolean NOT NULL DEFAULT false,
  note text NOT NULL DEFAULT '', is_on boolean NOT NULL DEFAULT true,
  -- Its place in the table. Rows are put at the end; one that is moved gets a place between two.
  place double precision NOT NULL,
  version integer NOT NULL DEFAULT 1, created_at timestamptz NOT NULL DEFAULT now(), updated_at timestamptz NOT NULL DEFAULT now(),
  removed_at timestamptz,
  words text NOT NULL GENERATED ALWAYS AS (lower(source || ' ' || destination || ' ' || note)) STORED);
-- A key may be longer than an index takes.
CREATE INDEX redirects_key ON redirects (site_id, match, md5(key)) WHERE removed_at IS NULL AND is_on;
CREATE INDEX redirects_conditional ON redirects (site_id) WHERE removed_at IS NULL AND is_on AND conditions <> '{}';
CREATE INDEX redirects_order ON redirects (site_id, place, id) WHERE removed_at IS NULL;
CREATE INDEX redirects_words ON redirects USING gin (words gin_trgm_ops);
CREATE TABLE redirect_revisions (
  redirect_id uuid NOT NULL REFERENCES redirects ON DELETE CASCADE, version integer NOT NULL, at timestamptz NOT NULL DEFAULT now(),
  person_id uuid REFERENCES people, state jsonb NOT NULL, PRIMARY KEY (redirect_id, version));
`,
} as const
