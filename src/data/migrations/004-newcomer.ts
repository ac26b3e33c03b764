/** Short links that were taken away and can come back, and how readers get files where no link says. */
export const newcomer = {
  name: '004-newcomer',
  up: `
-- A short link that was taken away keeps its clicks and its history; its slugs are free, and taken again when it comes back.
ALTER TABLE short_links ADD COLUMN removed_slugs text[];
-- Whether a new link to a file lets readers download it.
ALTER TABLE sites ADD COLUMN downloads_files boolean NOT NULL DEFAULT false;
`,
} as const
