/** By what text a pattern is found (core/routing). Of those that were there before only those are known that have none. */
export const neededTexts = {
  name: '022-needed-text',
  up: `
ALTER TABLE redirects ADD COLUMN needs text;
UPDATE redirects SET needs = '' WHERE is_wide;
ALTER TABLE redirects DROP COLUMN is_wide;`,
} as const
