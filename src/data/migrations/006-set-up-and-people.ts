/** Sites that are set up by their owner, people who come and go, and hosts that can come back. */
export const setUpAndPeople = {
  name: '006-real-use',
  up: `
ALTER TABLE sites ADD COLUMN language text NOT NULL DEFAULT 'en',
  -- The demo's password is known to everybody, so its data is never taken for real use.
  ADD COLUMN is_demo boolean NOT NULL DEFAULT false;
UPDATE sites SET is_demo = EXISTS (SELECT 1 FROM people WHERE site_id = sites.id AND email = 'mara@slow-ferry.example');

-- Null until somebody who was added chose one. Who has ended keeps a name for the history.
ALTER TABLE people ALTER COLUMN password_hash DROP NOT NULL, ADD COLUMN ended_at timestamptz;
-- The one address with which a person chooses a password and comes in.
CREATE TABLE entry_links (
  person_id uuid PRIMARY KEY REFERENCES people ON DELETE CASCADE, token_hash text NOT NULL UNIQUE, expires_at timestamptz NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now());
-- The code with which an empty installation is set up, while nobody owns it.
CREATE TABLE set_up_code (only_row boolean PRIMARY KEY DEFAULT true CHECK (only_row), code_hash text NOT NULL, created_at timestamptz NOT NULL DEFAULT now());

-- A host that was taken away keeps its short links, and can come back as long as nobody else took its name.
ALTER TABLE hosts DROP CONSTRAINT hosts_host_key, ADD COLUMN removed_at timestamptz;
CREATE UNIQUE INDEX hosts_answering ON hosts (host) WHERE removed_at IS NULL;
`,
} as const
