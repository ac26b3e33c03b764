/** Whose upload it is: what lies in waiting has a quota a person and a site. */
export const ownedUploads = {
  name: '024-uploads',
  up: `
ALTER TABLE uploads ADD COLUMN site_id uuid, ADD COLUMN person_id uuid;
CREATE INDEX uploads_site ON uploads (site_id);
CREATE INDEX uploads_age ON uploads (created_at);`,
} as const
