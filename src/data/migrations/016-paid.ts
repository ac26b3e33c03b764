/** Links to partners are paid where nothing else speaks: what a site says of that, version by version, and a partner for itself. */
export const paid = {
  name: '016-paid',
  up: `
ALTER TABLE rules ADD COLUMN partners_are_paid boolean NOT NULL DEFAULT true;
-- Null: as the site says.
ALTER TABLE partners ADD COLUMN is_paid boolean;`,
} as const
