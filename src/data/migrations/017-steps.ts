/** By which step a version came about, of pages that were brought in and of short links from a list: so that it can be taken back. */
export const steps = {
  name: '017-steps',
  up: `
ALTER TABLE page_revisions ADD COLUMN step_id uuid;
CREATE INDEX page_revisions_step ON page_revisions (step_id, page_id) WHERE step_id IS NOT NULL;
ALTER TABLE short_link_changes ADD COLUMN step_id uuid;
CREATE INDEX short_link_changes_step ON short_link_changes (step_id, short_link_id) WHERE step_id IS NOT NULL;
CREATE INDEX short_link_steps_site ON short_link_steps (site_id, at DESC);
CREATE INDEX partner_moves_site ON partner_moves (site_id, at DESC);
ALTER TABLE partner_moves ADD COLUMN person_id uuid REFERENCES people ON DELETE SET NULL;
ALTER TABLE phrases ADD COLUMN person_id uuid REFERENCES people ON DELETE SET NULL;
ALTER TABLE jobs ADD COLUMN undone_at timestamptz;
CREATE INDEX jobs_imports ON jobs (site_id, created_at DESC) WHERE kind = 'import' AND state = 'done';`,
} as const
