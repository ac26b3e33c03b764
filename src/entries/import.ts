/** A thread in which imports are carried out, one after the other; what it needs of the process comes with each order. */
import pino from 'pino'
import { type Database, openDatabase } from '../data/database.ts'
import type { ImportOrder } from '../jobs/import-threads.ts'
import { type NewPage, runImport } from '../jobs/imports.ts'
import { SiteViews } from '../services/context.ts'

let db: Database | null = null

/** @returns the pages that menus are to take in */
export default async function carryOut({ job, settings }: ImportOrder): Promise<readonly NewPage[]> {
  db ??= openDatabase(settings.databaseUrl)
  const log = pino({ level: settings.logLevel })
  const made: NewPage[] = []
  await runImport(db, new SiteViews({ db, settings, log, enqueue: async () => {} }), job, log, async (_site, _person, pages) => {
    made.push(...pages)
  })
  return made
}
