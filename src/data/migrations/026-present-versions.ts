/**
 * What a row of redirects says now stands in the row alone, with whoever made it so and in which step; its revisions are what it said
 * before. A row that nobody changed has none, and a list of a million costs a million rows instead of two.
 */
export const presentVersions = {
  name: '026-present-versions',
  up: `
ALTER TABLE redirects ADD COLUMN person_id uuid REFERENCES people, ADD COLUMN step_id uuid REFERENCES redirect_steps ON DELETE SET NULL;
UPDATE redirects r SET person_id = v.person_id, step_id = v.step_id, updated_at = v.at FROM redirect_revisions v WHERE v.redirect_id = r.id AND v.version = r.version;
DELETE FROM redirect_revisions v USING redirects r WHERE v.redirect_id = r.id AND v.version = r.version;
DROP INDEX redirect_revisions_step;
CREATE INDEX redirect_revisions_step ON redirect_revisions (step_id, redirect_id) WHERE step_id IS NOT NULL;
CREATE INDEX redirects_step ON redirects (step_id, id) WHERE step_id IS NOT NULL;
-- What a row says, as its revisions keep it.
CREATE FUNCTION redirect_state(r redirects) RETURNS jsonb LANGUAGE sql STABLE AS $$
  SELECT jsonb_build_object('match', r.match, 'key', r.key, 'from', r.source, 'hosts', r.hosts, 'when', r.conditions, 'to', r.destination, 'status', r.status,
    'query', r.query, 'beatsPages', r.beats_pages, 'note', r.note, 'isOn', r.is_on, 'isHidden', r.is_hidden, 'place', r.place, 'isRemoved', r.removed_at IS NOT NULL)
$$;
-- All versions of all rows; in a step it is the step that says who.
CREATE VIEW redirect_versions AS
  SELECT redirect_id, version, at, person_id, step_id, state FROM redirect_revisions
  UNION ALL SELECT r.id, r.version, r.updated_at, r.person_id, r.step_id, redirect_state(r) FROM redirects r;`,
} as const
