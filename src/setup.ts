/** Run before the server by the start command and the tests: brings the tables up to date and, in an empty database, sets the demo up. */
import { writeFileSync } from 'node:fs'
import path from 'node:path'
import pino from 'pino'
import { seedDemo } from '../demo/seed.ts'
import { closeDatabase, migrate, openDatabase, rows } from './data/database.ts'
import { readSettings } from './environment.ts'
import { createServices } from './services/index.ts'

const settings = readSettings(process.env)
const log = pino({ level: 'warn' })
const db = openDatabase(settings.databaseUrl)
await migrate(db)
const [site] = await rows(db, 'SELECT id FROM sites LIMIT 1')
if (site === undefined) {
  const context = { db, settings, log, enqueue: async () => {} }
  const { token } = await seedDemo(context, createServices(context))
  writeFileSync(path.join(settings.dataFolder, 'demo-token'), `${token}\n`, { mode: 0o600 })
}
await closeDatabase(db)
