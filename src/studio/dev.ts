import { randomUUID } from 'node:crypto'
import path from 'node:path'
import { openDatabase } from '../data/database.ts'
import { openLog } from '../data/log.ts'
import { openJobQueue } from '../jobs/index.ts'
import { createServices } from '../services/index.ts'
import { readSettings } from '../settings/index.ts'
import { openAssets } from './assets.ts'
import type { StudioLocals } from './index.ts'
import { AnsweredOnce } from './once.ts'

let ready: Promise<Omit<StudioLocals, 'requestId'>> | null = null

/** Development only: under Astro's own server nobody hands the services over, so they are made here, once. */
export async function devLocals(): Promise<StudioLocals> {
  ready ??= open()
  return { ...(await ready), requestId: randomUUID() }
}

async function open(): Promise<Omit<StudioLocals, 'requestId'>> {
  const settings = readSettings(process.env)
  const log = openLog(settings.logLevel)
  const db = openDatabase(settings.databaseUrl)
  const queue = await openJobQueue(db, false, log, settings)
  const { frameScript } = openAssets(path.resolve('dist/client'))
  return { frameScript, once: new AnsweredOnce(), services: createServices({ db, settings, log, enqueue: queue.enqueue }), log }
}
