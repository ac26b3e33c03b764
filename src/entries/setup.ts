/**
 * Run before the server by the start commands and the tests: brings the tables up to date, and fills an empty database with
 * the demo. With --serve, for real use, it does not: it leaves the address with which an owner sets the site up.
 */
import { randomBytes } from 'node:crypto'
import { rmSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { seedDemo } from '../../demo/seed.ts'
import { originOf } from '../core/rules/index.ts'
import { closeDatabase, migrate, openDatabase } from '../data/database.ts'
import { openLog } from '../data/log.ts'
import { sitesToRebuild } from '../data/placements.ts'
import { inUseAs, putSetUpCode } from '../data/sites.ts'
import { createServices } from '../services/index.ts'
import { rekeyLogIns } from '../services/partners/index.ts'
import { digest } from '../services/secrets.ts'
import { readSettings } from '../settings/index.ts'

const settings = readSettings(process.env)
const log = openLog('warn')
const db = openDatabase(settings.databaseUrl)
await migrate(db)
if (process.argv.includes('--rekey')) {
  const { sealed, left } = await rekeyLogIns(db, process.env.MAPROPE_SECRET_BEFORE ?? '', settings.secret)
  console.log(
    `${sealed} log-ins are kept with the new secret.${left > 0 ? ` ${left} could not be opened with the one before, and are left.` : ''}`,
  )
  await closeDatabase(db)
  process.exit(left > 0 ? 1 : 0)
}
const isForRealUse = process.argv.includes('--serve')
const isRebuild = process.argv.includes('--rebuild')
const use = await inUseAs(db)
if (!isRebuild && isForRealUse && use === 'demo')
  refuse(
    'This data holds the demo, whose password everybody knows. Choose another folder:\n\n    MAPROPE_DATA=/srv/map-rope npm run serve\n',
  )
if (!isRebuild && !isForRealUse && (use === 'real' || use === 'waiting'))
  refuse('This data is in real use. Start it with:\n\n    npm run serve\n\nThe demo takes another folder: MAPROPE_DATA=.demo npm start\n')
const addressFile = path.join(settings.dataFolder, 'set-up-address')
rmSync(addressFile, { force: true })
if (isForRealUse && use !== 'real') {
  const code = randomBytes(18).toString('base64url')
  await putSetUpCode(db, digest(code))
  writeFileSync(addressFile, `${studioOrigin()}/set-up?code=${code}\n`, { mode: 0o600 })
}
if (!isForRealUse && !isRebuild && use === 'empty') {
  const context = { db, settings, log, enqueue: async () => {} }
  const { token } = await seedDemo(context, createServices(context))
  writeFileSync(path.join(settings.dataFolder, 'demo-token'), `${token}\n`, { mode: 0o600 })
}
// What is derived from pages is derived anew where a migration asks for more of it; also by hand: npm run rebuild.
for (const siteId of await sitesToRebuild(db, isRebuild)) {
  const services = createServices({ db, settings, log, enqueue: async () => {} })
  const pages = await services.placements.rebuild(siteId)
  if (isRebuild) console.log(`The links of ${pages} pages, blocks and menus were read anew.`)
}
await closeDatabase(db)

function refuse(words: string): never {
  console.error(words)
  process.exit(1)
}

/** Where the studio is reached: on the host it was given, or on this machine. */
function studioOrigin(): string {
  const own = settings.studioHosts.find((host) => host.includes('.') && !/^(?:127\.0\.0\.1|\[::1\])$/.test(host))
  return originOf(own ?? 'localhost', settings.port)
}
