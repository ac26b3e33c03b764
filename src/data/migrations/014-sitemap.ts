/** Rows of redirects that are shown to menus and in the sitemap; most are not. */
export const sitemap = {
  name: '014-sitemap',
  up: `
ALTER TABLE redirects ADD COLUMN is_hidden boolean NOT NULL DEFAULT true;
CREATE INDEX redirects_shown ON redirects (site_id) WHERE NOT is_hidden AND removed_at IS NULL;`,
} as const
