import { addressesService } from './addresses.ts'
import { type Context, SiteViews } from './context.ts'
import { deskService } from './desk.ts'
import { exportsService } from './exports.ts'
import { importsService } from './imports.ts'
import { jobsService } from './jobs.ts'
import { pagesService } from './pages.ts'
import { partnersService } from './partners.ts'
import { peopleService } from './people.ts'
import { placementsService } from './placements.ts'
import { publicationsService } from './publications.ts'
import { rulesService } from './rules.ts'
import { shortLinksService } from './short-links.ts'

/** Builds every service once a process. Screens and endpoints get them through `locals.services`. */
export function createServices(context: Context) {
  const views = new SiteViews(context)
  const placements = placementsService(context, views)
  const publications = publicationsService(context)
  const jobs = jobsService(context)
  return {
    views,
    people: peopleService(context),
    addresses: addressesService(views),
    pages: pagesService(context, views),
    placements,
    rules: rulesService(context, views, placements),
    partners: partnersService(context),
    shortLinks: shortLinksService(context, views),
    publications,
    jobs,
    imports: importsService(context, jobs),
    exports: exportsService(context, views),
    desk: deskService(context, views, placements, publications),
  }
}

export type Services = ReturnType<typeof createServices>
export type { Actor, Context } from './context.ts'
