/** Run before the server by the start command and the tests: brings the tables up to date and, in an empty database, sets the demo up. */
import { writeFileSync } from 'node:fs'
import path from 'node:path'
import pino from 'pino'
import { seedDemo } from '../../demo/seed.ts'
import { closeDatabase, migrate, openDatabase, rows } from '../data/database.ts'
import { readSettings } from '../environment.ts'
import { createServices } from '../services/index.ts'

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
// What is derived from pages is derived anew where a migration asks for more of it; also by hand: npm run rebuild.
const stale = await rows<{ siteId: string }>(
  db,
  `SELECT DISTINCT p.site_id AS "siteId" FROM pages p LEFT JOIN placements l ON l.page_id = p.id WHERE p.words IS NULL OR (l.page_id IS NOT NULL AND l.paragraph IS NULL) OR $1`,
  [process.argv.includes('--rebuild')],
)
for (const { siteId } of stale) {
  const services = createServices({ db, settings, log, enqueue: async () => {} })
  const pages = await services.placements.rebuild(siteId)
  if (process.argv.includes('--rebuild')) console.log(`The links of ${pages} pages, blocks and menus were read anew.`)
}
await closeDatabase(db)
