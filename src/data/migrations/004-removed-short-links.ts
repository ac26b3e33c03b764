/** Short links that were taken away and can come back, and how readers get files where no link says. */
export const removedShortLinks = {
  name: '004-newcomer',
  up: `
-- A short link that was taken away keeps its clicks and its history; its slugs are free, and taken again when it comes back.
ALTER TABLE short_links ADD COLUMN removed_slugs text[];
-- Whether a new link to a file lets readers download it.
-- Findings that a person marked as fine, with the reason. The key holds what they looked at, so that it comes back when that changes.
CREATE TABLE fine_findings (
  site_id uuid NOT NULL REFERENCES sites ON DELETE CASCADE, page_id uuid NOT NULL REFERENCES pages ON DELETE CASCADE, key_hash text NOT NULL,
  key text NOT NULL, finding text NOT NULL, reason text NOT NULL, person_id uuid REFERENCES people ON DELETE SET NULL,
  created_at timestamptz NOT NULL DEFAULT now(), PRIMARY KEY (site_id, key_hash));
ALTER TABLE sites ADD COLUMN downloads_files boolean NOT NULL DEFAULT false;
`,
} as const
