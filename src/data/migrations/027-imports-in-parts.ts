/** An import stands as it comes, part by part: by which step a file's version came about says how it is taken back, as a page's does. */
export const importsInParts = {
  name: '027-imports-in-parts',
  up: `
ALTER TABLE file_revisions ADD COLUMN step_id uuid;
CREATE INDEX file_revisions_step ON file_revisions (step_id, file_id) WHERE step_id IS NOT NULL;`,
} as const
