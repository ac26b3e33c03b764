import { execFileSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { cpSync, existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import path from 'node:path'
import pg from 'pg'
import { isFree, ownPort } from '../ports.ts'

const project = path.resolve(import.meta.dirname, '../..')
/** More copies than this never run at once. */
const SLOTS = 16
/** First of the numbers by which slots are locked. */
const SLOT_LOCK = 7_062_500

/** Where a copy lives: addresses of the demo hold these ports, so that they are a template's own. */
export interface Slot {
  readonly port: number
  readonly standInsPort: number
  /** A database of the copy's own. */
  readonly databaseUrl: string
  /** A data folder of its own. */
  readonly folder: string
  /** The copy is over: its database goes, and another one may have the slot. */
  free(): Promise<void>
}

/**
 * Gives a copy its ports, and a database and a folder with the demo in them. The demo is seeded once a slot and build, and copied
 * from then on: that takes a tenth of the time.
 */
export async function takeSlot(): Promise<Slot> {
  const base = process.env.MAPROPE_TEST_DATABASE_URL
  if (base === undefined) throw new Error('Run the tests with: npm test')
  const held = new pg.Client({ connectionString: base })
  held.on('error', () => {})
  await held.connect()
  for (let slot = 0; slot < SLOTS; slot++) {
    const { rows } = await held.query<{ mine: boolean }>('SELECT pg_try_advisory_lock($1) AS mine', [SLOT_LOCK + slot])
    if (rows[0]?.mine !== true) continue
    const template = await templateOf(slot, base, held)
    const { port, standInsPort } = template.ports
    // Processes of a test that broke off may not have gone yet.
    if (!(await isFree(port)) || !(await isFree(standInsPort))) {
      await held.query('SELECT pg_advisory_unlock($1)', [SLOT_LOCK + slot])
      continue
    }
    const name = `copy_${slot}_${process.pid}_${Date.now()}`
    await held.query(`CREATE DATABASE ${name} TEMPLATE ${template.database}`)
    const folder = mkdtempSync(path.join(tmpdir(), 'map-rope-copy-'))
    cpSync(template.data, folder, { recursive: true })
    return {
      ...template.ports,
      folder,
      databaseUrl: inDatabase(base, name),
      async free() {
        await held.query(`DROP DATABASE IF EXISTS ${name} WITH (FORCE)`)
        await held.end()
      },
    }
  }
  throw new Error(`More than ${SLOTS} copies at once`)
}

interface Template {
  readonly database: string
  readonly data: string
  readonly ports: { readonly port: number; readonly standInsPort: number }
}

async function templateOf(slot: number, base: string, admin: pg.Client): Promise<Template> {
  const build = readFileSync(path.join(project, 'dist/.map-rope-build'), 'utf8')
  // Of this build and this cluster: another one knows nothing of its databases.
  const key = hashOf(`${build} ${base}`)
  const database = `template_${slot}_${key}`
  const own = `map-rope-template-${hashOf(base)}-${slot}-`
  const folder = path.join(tmpdir(), `${own}${key}`)
  const data = path.join(folder, 'data')
  const portsFile = path.join(folder, 'ports.json')
  const { rowCount } = await admin.query('SELECT 1 FROM pg_database WHERE datname = $1', [database])
  if (rowCount === 1 && existsSync(portsFile))
    return { database, data, ports: JSON.parse(readFileSync(portsFile, 'utf8')) as Template['ports'] }
  for (const name of readdirSync(tmpdir())) if (name.startsWith(own)) rmSync(path.join(tmpdir(), name), { recursive: true, force: true })
  const { rows: old } = await admin.query<{ datname: string }>('SELECT datname FROM pg_database WHERE datname LIKE $1', [
    `template\\_${slot}\\_%`,
  ])
  for (const { datname } of old) await admin.query(`DROP DATABASE ${datname} WITH (FORCE)`)
  mkdirSync(data, { recursive: true })
  const ports = { port: await ownPort(), standInsPort: await ownPort() }
  const half = `half_${database}`
  await admin.query(`DROP DATABASE IF EXISTS ${half} WITH (FORCE)`)
  await admin.query(`CREATE DATABASE ${half}`)
  execFileSync(process.execPath, [path.join(project, 'dist/setup.mjs')], {
    cwd: project,
    stdio: ['ignore', 'inherit', 'inherit'],
    env: { ...process.env, ...environmentOf({ ...ports, databaseUrl: inDatabase(base, half), folder: data }) },
  })
  await admin.query(`ALTER DATABASE ${half} RENAME TO ${database}`)
  writeFileSync(`${portsFile}.new`, JSON.stringify(ports))
  renameSync(`${portsFile}.new`, portsFile)
  return { database, data, ports }
}

const hashOf = (text: string): string => createHash('sha256').update(text).digest('hex').slice(0, 12)

const inDatabase = (base: string, name: string): string => base.replace(/\/[^/]*$/, `/${name}`)

/** What the processes of a copy are told. */
export const environmentOf = ({
  port,
  standInsPort,
  databaseUrl,
  folder,
}: Pick<Slot, 'port' | 'standInsPort' | 'databaseUrl' | 'folder'>): Record<string, string> => ({
  NODE_ENV: 'production',
  PORT: String(port),
  MAPROPE_DATA: folder,
  MAPROPE_DATABASE_URL: databaseUrl,
  MAPROPE_SECRET: 'a secret for tests only',
  MAPROPE_STAND_INS_PORT: String(standInsPort),
  MAPROPE_LOG: 'error',
})
