/** Which addresses inside one's own network may be asked from here: hosts, addresses and ranges, in place of all or none. */
export const insideAllowed = {
  name: '023-inside-allowed',
  up: `
ALTER TABLE sites ADD COLUMN inside_allowed text[] NOT NULL DEFAULT '{}';
UPDATE sites SET inside_allowed = '{0.0.0.0/0,::/0}' WHERE may_visit_private;
ALTER TABLE sites DROP COLUMN may_visit_private;`,
} as const
