import { firstTables } from './001-first-tables.ts'
import { writingAndParts } from './002-writing-and-parts.ts'
import { conditionsAndBulkChanges } from './003-conditions-and-bulk-changes.ts'
import { removedShortLinks } from './004-removed-short-links.ts'
import { jobsBegun } from './005-jobs-begun.ts'
import { setUpAndPeople } from './006-set-up-and-people.ts'
import { notesBesideContent } from './007-notes-beside-content.ts'
import { changeLog } from './008-change-log.ts'
import { redirects } from './009-redirects.ts'
import { missed } from './010-missed.ts'
import { widePatterns } from './011-wide-patterns.ts'
import { partners } from './012-partners.ts'
import { shortLinks } from './013-short-links.ts'
import { sitemap } from './014-sitemap.ts'
import { counting } from './015-counting.ts'
import { paid } from './016-paid.ts'
import { steps } from './017-steps.ts'
import { foldedPaths } from './018-folded-paths.ts'
import { ledTo } from './019-led-to.ts'
import { setAside } from './020-set-aside.ts'
import { ledRows } from './021-led-rows.ts'
import { neededTexts } from './022-needed-text.ts'
import { insideAllowed } from './023-inside-allowed.ts'
import { ownedUploads } from './024-uploads.ts'
import { lookUps } from './025-look-ups.ts'
import { presentVersions } from './026-present-versions.ts'
import { importsInParts } from './027-imports-in-parts.ts'
import { memberships } from './028-memberships.ts'
import { sentences } from './029-sentences.ts'
import { destinations } from './030-destinations.ts'

/**
 * In the order they run; a landed one is never edited, only followed. The name that each has in its file is the one by which databases
 * know that it was run, also where its file says better by now what it does.
 */
export const MIGRATIONS = [
  firstTables,
  writingAndParts,
  conditionsAndBulkChanges,
  removedShortLinks,
  jobsBegun,
  setUpAndPeople,
  notesBesideContent,
  changeLog,
  redirects,
  missed,
  widePatterns,
  partners,
  shortLinks,
  sitemap,
  counting,
  paid,
  steps,
  foldedPaths,
  ledTo,
  setAside,
  ledRows,
  neededTexts,
  insideAllowed,
  ownedUploads,
  lookUps,
  presentVersions,
  importsInParts,
  memberships,
  sentences,
  destinations,
] as const
