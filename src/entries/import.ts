/** A thread in which imports and lists are carried out, one after the other; what it needs of the process comes with each order. */
import type { WorkKind } from '../contract/jobs.ts'
import { openDatabase } from '../data/database.ts'
import { openLog } from '../data/log.ts'
import type { ImportOrder } from '../jobs/import-threads.ts'
import { type NewPage, runImport } from '../jobs/imports.ts'
import { runRedirects } from '../jobs/redirect-lists.ts'
import { runRehearsal, runReplay } from '../jobs/redirect-trials.ts'
import { runShortLinks } from '../jobs/short-link-lists.ts'
import { runRedirectUndo, runStepUndo } from '../jobs/steps.ts'
import { createServices, type OwnServices } from '../services/index.ts'

let opened: { readonly db: ReturnType<typeof openDatabase>; readonly services: OwnServices } | null = null

/** @returns the pages that menus are to take in */
export default async function carryOut({ job, kind, settings }: ImportOrder): Promise<readonly NewPage[]> {
  const log = openLog(settings.logLevel)
  if (opened === null) {
    const db = openDatabase(settings.databaseUrl, { fillsTables: true })
    opened = { db, services: createServices({ db, settings, log, enqueue: async () => {} }) }
  }
  const { db, services } = opened
  const made: NewPage[] = []
  const runners: Readonly<Record<WorkKind, () => Promise<void>>> = {
    import: () =>
      runImport(db, services.views, job, log, async (_site, _person, pages) => {
        made.push(...pages)
      }),
    'imports-undo': () => runStepUndo(db, services.steps, 'imports-undo', job, log),
    'short-links': () => runShortLinks(db, services.shortLinkLists, job, log),
    'short-links-undo': () => runStepUndo(db, services.steps, 'short-links-undo', job, log),
    redirects: () => runRedirects(db, services.redirectLists, job, log),
    'redirects-undo': () => runRedirectUndo(db, services.redirectSteps, job, log),
    replay: () => runReplay(db, services.redirectTrials, job, log),
    rehearsal: () => runRehearsal(db, services.redirectTrials, job, log),
  }
  await runners[kind]()
  return made
}
