/** Many rows of redirects in one step that can be taken back, addresses that nobody answered, and what they are answered with. */
export const missed = {
  name: '010-missed',
  up: `
ALTER TABLE sites ADD COLUMN ignores_case boolean NOT NULL DEFAULT true, ADD COLUMN ignores_slash boolean NOT NULL DEFAULT true;
-- Where a missing page leads; '' for the page that says so.
ALTER TABLE hosts ADD COLUMN missing_to text NOT NULL DEFAULT '';
-- Rows are looked up by what they are found by also where they are off.
DROP INDEX redirects_key;
CREATE INDEX redirects_key ON redirects (site_id, match, md5(key)) WHERE removed_at IS NULL;
CREATE TABLE redirect_steps (
  id uuid PRIMARY KEY, site_id uuid NOT NULL REFERENCES sites ON DELETE CASCADE, person_id uuid REFERENCES people,
  what text NOT NULL, at timestamptz NOT NULL DEFAULT now(), undone_at timestamptz);
CREATE INDEX redirect_steps_site ON redirect_steps (site_id, at DESC);
ALTER TABLE redirect_revisions ADD COLUMN step_id uuid REFERENCES redirect_steps ON DELETE SET NULL;
CREATE INDEX redirect_revisions_step ON redirect_revisions (step_id) WHERE step_id IS NOT NULL;
CREATE TABLE missed (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(), site_id uuid NOT NULL REFERENCES sites ON DELETE CASCADE,
  host text NOT NULL, path text NOT NULL, people bigint NOT NULL DEFAULT 0, others bigint NOT NULL DEFAULT 0,
  first_at timestamptz NOT NULL, last_at timestamptz NOT NULL, ignored_at timestamptz);
CREATE UNIQUE INDEX missed_path ON missed (site_id, host, md5(path));
CREATE INDEX missed_people ON missed (site_id, people DESC);
CREATE INDEX missed_last ON missed (site_id, last_at);
CREATE TABLE missed_days (
  missed_id uuid NOT NULL REFERENCES missed ON DELETE CASCADE, day date NOT NULL, people bigint NOT NULL DEFAULT 0, others bigint NOT NULL DEFAULT 0,
  PRIMARY KEY (missed_id, day));
CREATE TABLE missed_referrers (
  missed_id uuid NOT NULL REFERENCES missed ON DELETE CASCADE, referrer text NOT NULL, visits bigint NOT NULL DEFAULT 0, PRIMARY KEY (missed_id, referrer));
-- What scanners, probes and icons asked for in vain: counted, never named.
CREATE TABLE missed_noise (
  site_id uuid NOT NULL REFERENCES sites ON DELETE CASCADE, day date NOT NULL, kind text NOT NULL, visits bigint NOT NULL DEFAULT 0,
  PRIMARY KEY (site_id, day, kind));
`,
} as const
