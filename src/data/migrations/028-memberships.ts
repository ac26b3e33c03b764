/** People belong to sites by memberships: one person, one mail address, several sites, a role at each. Sessions and tokens act at one of them. */
export const memberships = {
  name: '028-memberships',
  up: `
CREATE TABLE memberships (
  person_id uuid NOT NULL REFERENCES people ON DELETE CASCADE, site_id uuid NOT NULL REFERENCES sites ON DELETE CASCADE,
  role text NOT NULL CHECK (role IN ('owner', 'editor', 'contributor')), ended_at timestamptz, used_at timestamptz, version integer NOT NULL DEFAULT 1,
  created_at timestamptz NOT NULL DEFAULT now(), updated_at timestamptz NOT NULL DEFAULT now(), PRIMARY KEY (person_id, site_id));
CREATE INDEX memberships_site ON memberships (site_id, person_id);
INSERT INTO memberships (person_id, site_id, role, ended_at, version, created_at, updated_at)
  SELECT id, site_id, role, ended_at, version, created_at, updated_at FROM people;
ALTER TABLE sessions ADD COLUMN site_id uuid;
UPDATE sessions s SET site_id = p.site_id FROM people p WHERE p.id = s.person_id;
ALTER TABLE sessions ALTER COLUMN site_id SET NOT NULL, ADD FOREIGN KEY (person_id, site_id) REFERENCES memberships ON DELETE CASCADE;
ALTER TABLE tokens ADD COLUMN site_id uuid;
UPDATE tokens t SET site_id = p.site_id FROM people p WHERE p.id = t.person_id;
ALTER TABLE tokens ALTER COLUMN site_id SET NOT NULL, ADD FOREIGN KEY (person_id, site_id) REFERENCES memberships ON DELETE CASCADE;
ALTER TABLE people DROP COLUMN site_id, DROP COLUMN role, DROP COLUMN ended_at, DROP COLUMN version;`,
}
