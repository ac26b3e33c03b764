/** How often a job was begun: one that ends its process is not begun for ever. */
export const jobsBegun = {
  name: '005-weather',
  up: `
ALTER TABLE jobs ADD COLUMN begun integer NOT NULL DEFAULT 0;
`,
} as const
