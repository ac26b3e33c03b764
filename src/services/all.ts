import { addressesService, visitsService } from './addresses/index.ts'
import { blocksService } from './blocks.ts'
import { bulkChangesService } from './bulk-changes/index.ts'
import { changesService } from './changes.ts'
import { checksService } from './checks/index.ts'
import { type Context, SiteViews } from './context.ts'
import { countingService } from './counting.ts'
import { deskService } from './desk.ts'
import { destinationsService } from './destinations.ts'
import { disclosureService } from './disclosure.ts'
import { earningsService } from './earnings.ts'
import { exportsService } from './exports.ts'
import { filesService } from './files.ts'
import { frontDoorsService } from './front-doors.ts'
import { hostsService } from './hosts.ts'
import { importsService } from './imports.ts'
import { jobsService } from './jobs/index.ts'
import { menusService } from './menus.ts'
import { missedService } from './missed.ts'
import { draftFilesService, pageMovesService, pagesService } from './pages/index.ts'
import { partnerComparisonService, partnerLinksService, partnerMovesService, partnersService } from './partners/index.ts'
import { peopleService, tokensService } from './people/index.ts'
import { phraseChoiceService, phrasesService } from './phrases/index.ts'
import { placementsService } from './placements/index.ts'
import { publicationsService } from './publications.ts'
import {
  RedirectKnowledge,
  redirectBench,
  redirectListsService,
  redirectReviewService,
  redirectStepsService,
  redirectsService,
  redirectTrialsService,
} from './redirects/index.ts'
import { Repoint } from './repoint.ts'
import { rulesService } from './rules.ts'
import {
  shortLinkCodesService,
  shortLinkListsService,
  shortLinkResultsService,
  shortLinkSlugsService,
  shortLinkStepsService,
  shortLinksService,
} from './short-links/index.ts'
import { sitesService } from './sites.ts'
import { stepsService } from './steps.ts'
import { waitingService } from './waiting.ts'

/** Builds every service once a process. Screens and endpoints get them through `locals.services`, see ServiceThreads. */
export function createServices(context: Context) {
  const views = new SiteViews(context)
  const placements = placementsService(context, views)
  const publications = publicationsService(context, views, placements)
  const waiting = waitingService(context, views)
  const pages = pagesService(context, views, waiting)
  const jobs = jobsService(context)
  const bench = redirectBench(context, views)
  const visits = visitsService(context, views, bench)
  const redirectSteps = redirectStepsService(context, views, jobs)
  const knowledge = new RedirectKnowledge(context.db, context.settings.port)
  const redirectReview = redirectReviewService(views, knowledge, redirectSteps)
  const missed = missedService(context, views, knowledge)
  const shortLinks = shortLinksService(context, views)
  const files = filesService(context, views)
  const bulkChanges = bulkChangesService(context, views, placements, visits)
  const repoint = new Repoint(context, views, { bulkChanges, redirectSteps })
  const partnerMoves = partnerMovesService(context, views, { placements, repoint })
  const shortLinkSteps = shortLinkStepsService(context, views, shortLinks)
  const rules = rulesService(context, views, placements)
  const earnings = earningsService(context, views, placements)
  return {
    views,
    changes: changesService(context),
    sites: sitesService(context),
    counting: countingService(context),
    hosts: hostsService(context),
    people: peopleService(context),
    tokens: tokensService(context),
    addresses: addressesService(context, views),
    pages,
    pageMoves: pageMovesService(context, views, pages),
    blocks: blocksService(context, views, pages),
    menus: menusService(context, views, pages),
    files,
    draftFiles: draftFilesService(context),
    destinations: destinationsService(context, views),
    visits,
    checks: checksService(context, views, { visits, placements, repoint }),
    waiting,
    placements,
    bulkChanges,
    rules,
    partners: partnersService(context),
    partnerComparison: partnerComparisonService(context, views, placements),
    partnerLinks: partnerLinksService(context, views, files),
    partnerMoves,
    phrases: phrasesService(context, views, visits),
    phraseChoice: phraseChoiceService(context, views, placements, pages),
    disclosure: disclosureService(context, views, placements),
    earnings,
    shortLinks,
    shortLinkSlugs: shortLinkSlugsService(context, views, shortLinks),
    shortLinkCodes: shortLinkCodesService(shortLinks),
    shortLinkSteps,
    steps: stepsService(context, { bulkChanges, shortLinkSteps, redirectSteps, partnerMoves, rules, earnings, jobs }),
    shortLinkResults: shortLinkResultsService(context, shortLinks),
    shortLinkLists: shortLinkListsService(context, views, jobs),
    redirects: redirectsService(context, views),
    redirectLists: redirectListsService(context, views, jobs),
    redirectSteps,
    redirectTrials: redirectTrialsService(context, views, jobs),
    missed,
    redirectReview,
    publications,
    jobs,
    imports: importsService(context, jobs),
    frontDoors: frontDoorsService(context),
    exports: exportsService(context, views),
    desk: deskService(context, views, placements, publications, redirectReview, missed),
  }
}

/** Services that do all their work where they are called. */
export type OwnServices = ReturnType<typeof createServices>
