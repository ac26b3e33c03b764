/** What people are told is kept as the name of a sentence and its facts. Rows from before hold words, and keep them. */
export const sentences = {
  name: '029-sentences',
  up: `
ALTER TABLE jobs ALTER COLUMN message TYPE jsonb USING to_jsonb(message);
ALTER TABLE planned_publications ALTER COLUMN message TYPE jsonb USING to_jsonb(message);
ALTER TABLE crawled ALTER COLUMN reason TYPE jsonb USING to_jsonb(reason);
ALTER TABLE redirect_steps ALTER COLUMN what TYPE jsonb USING to_jsonb(what);`,
}
