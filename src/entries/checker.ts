/** The thread that looks at destinations: reading what sites answer must not take time from answering. */
import { parentPort, workerData } from 'node:worker_threads'
import { closeDatabase, openDatabase } from '../data/database.ts'
import { openLog } from '../data/log.ts'
import { Checker } from '../jobs/checks.ts'
import { createServices } from '../services/index.ts'
import type { Settings } from '../settings/index.ts'

const { settings } = workerData as { settings: Settings }
const log = openLog(settings.logLevel)
const db = openDatabase(settings.databaseUrl)
const services = createServices({
  db,
  settings,
  log,
  enqueue: async () => {
    throw new Error('no work is sent from here')
  },
})
const checker = new Checker(db, services, log)
parentPort?.on('message', () => void checker.stop())
await checker.run()
await closeDatabase(db)
parentPort?.close()
