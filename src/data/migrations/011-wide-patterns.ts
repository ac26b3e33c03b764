/** Patterns that every request has to be asked of are told apart, since there may be few of them. */
export const widePatterns = {
  name: '011-wide',
  up: `
-- Of rows that were there before, by their text alone.
ALTER TABLE redirects ADD COLUMN is_wide boolean NOT NULL DEFAULT false;
UPDATE redirects SET is_wide = true WHERE match IN ('pattern', 'expression') AND source !~ '[A-Za-z0-9/_-]{4}';
`,
} as const
