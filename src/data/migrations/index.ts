import { keel } from './001-keel.ts'
import { pagesDesk } from './002-pages-desk.ts'
import { marks } from './003-marks.ts'
import { newcomer } from './004-newcomer.ts'
import { weather } from './005-weather.ts'
import { realUse } from './006-real-use.ts'
import { notes } from './007-notes.ts'
import { ground } from './008-ground.ts'
import { redirects } from './009-redirects.ts'
import { missed } from './010-missed.ts'
import { wide } from './011-wide.ts'
import { partners } from './012-partners.ts'
import { shortLinks } from './013-short-links.ts'
import { sitemap } from './014-sitemap.ts'
import { counting } from './015-counting.ts'
import { paid } from './016-paid.ts'
import { steps } from './017-steps.ts'
import { spelling } from './018-spelling.ts'
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

/** In the order they run; a landed one is never edited, only followed. */
export const MIGRATIONS = [
  keel,
  pagesDesk,
  marks,
  newcomer,
  weather,
  realUse,
  notes,
  ground,
  redirects,
  missed,
  wide,
  partners,
  shortLinks,
  sitemap,
  counting,
  paid,
  steps,
  spelling,
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
] as const
