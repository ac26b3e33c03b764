/** Short links that were taken away and can come back. */
export const newcomer = {
  name: '004-newcomer',
  up: `
-- A short link that was taken away keeps its clicks and its history; its slugs are free, and taken again when it comes back.
ALTER TABLE short_links ADD COLUMN removed_slugs text[];
`,
} as const
