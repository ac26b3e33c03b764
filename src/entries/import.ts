/** A thread in which imports and lists are carried out, one after the other; what it needs of the process comes with each order. */
import { openDatabase } from '../data/database.ts'
import { openLog } from '../data/log.ts'
import type { ImportOrder } from '../jobs/import-threads.ts'
import { type NewPage, runImport } from '../jobs/imports.ts'
import { runRehearsal, runReplay } from '../jobs/redirect-trials.ts'
import { runRedirects } from '../jobs/redirects.ts'
import { runShortLinks } from '../jobs/short-links.ts'
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
  if (kind === 'short-links') await runShortLinks(db, services.shortLinkLists, job, log)
  else if (kind === 'redirects') await runRedirects(db, services.redirectLists, job, log)
  else if (kind === 'replay') await runReplay(db, services.redirectTrials, job, log)
  else if (kind === 'rehearsal') await runRehearsal(db, services.redirectTrials, job, log)
  else if (kind === 'short-links-undo' || kind === 'imports-undo') await runStepUndo(db, services.steps, job, log)
  else if (kind === 'redirects-undo') await runRedirectUndo(db, services.redirectSteps, job, log)
  else
    await runImport(db, services.views, job, log, async (_site, _person, pages) => {
      made.push(...pages)
    })
  return made
}
