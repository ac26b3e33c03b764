/** Which short links ever led to a host, and the clicks of an hour: clicks belong to where they went. */
export const ledTo = {
  name: '019-led-to',
  up: `
CREATE INDEX short_link_changes_to ON short_link_changes ((reverse(lower(substring(destination from '^[a-z]+://(?:[^/?#@]*@)?([^/:?#]+)'))) COLLATE "C"));
-- Clicks come in nearly in the order of their times: those of an hour are found for next to nothing.
CREATE INDEX clicks_at ON clicks USING brin (at) WITH (autosummarize = on);`,
} as const
