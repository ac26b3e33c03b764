/** The thread that looks at destinations: reading what sites answer must not take time from answering. */
import { readlinkSync } from 'node:fs'
import { setPriority } from 'node:os'
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
/** Whoever is answered comes first: this thread has what they leave (Linux, setpriority(2); elsewhere it is like any other). */
const NICE = 10
try {
  setPriority(Number(readlinkSync('/proc/thread-self').split('/').pop()), NICE)
} catch {
  log.info('looks at destinations have the same priority as all else here')
}
const checker = new Checker(db, services, log)
parentPort?.on('message', () => void checker.stop())
await checker.run().catch((error: unknown) => log.warn({ err: error }, 'the last looks at destinations were not kept; they are made again'))
await closeDatabase(db)
process.exit(0) // this thread alone: sites that have not answered yet are not waited for
