// Runs one copy of Map Rope: its cluster, the set-up, the server and the stand-ins, until told to stop.
import { fork, spawnSync } from 'node:child_process'
import { createHash } from 'node:crypto'
import { chmodSync, existsSync, mkdirSync, readdirSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import path from 'node:path'
import { clustersElsewhere } from './cluster-place.mjs'
import { keptSecret, startPostgres } from './postgres.mjs'
import { projectFolder } from './prepare.mjs'
import { supervise } from './supervise.mjs'

/**
 * Starts everything. Answers once it is ready; `stop` ends what was started, by process id. With `isDemo` an empty database
 * gets the demo, and the stand-ins run; without, an owner sets the site up.
 */
export async function launch({ port, dataFolder, isDemo = true, forTests = false, environment = {} }) {
  process.umask(0o077) // what is kept is this user's alone
  mkdirSync(dataFolder, { recursive: true, mode: 0o700 })
  closeToOthers(dataFolder)
  const lock = takeLock(dataFolder)
  const kept = []
  let postgres = null
  const stop = async () => {
    await Promise.all(kept.map((each) => each.stop()))
    postgres?.stop()
    rmSync(lock, { force: true })
  }
  try {
    const given = process.env.MAPROPE_DATABASE_URL
    if (given === undefined || forTests) postgres = await startPostgres(dataFolder, { forTests, isKept: true })
    if (postgres !== null && postgres.elsewhere !== null && !forTests) tellElsewhere(dataFolder, postgres.elsewhere)
    const settings = {
      ...process.env,
      NODE_ENV: 'production',
      ASTRO_TELEMETRY_DISABLED: '1',
      PORT: String(port),
      MAPROPE_DATA: dataFolder,
      MAPROPE_DATABASE_URL: postgres?.url ?? given,
      MAPROPE_SECRET: process.env.MAPROPE_SECRET ?? keptSecret(dataFolder, 'secret'),
      ...(postgres === null || postgres.elsewhere === null ? {} : { MAPROPE_CLUSTER_AT: postgres.elsewhere }),
      MAPROPE_STAND_INS_PORT: process.env.MAPROPE_STAND_INS_PORT ?? String(port + 1),
      ...environment,
    }
    const role = settings.MAPROPE_ROLE ?? 'studio,delivery,jobs'
    const isSplit = settings.MAPROPE_ROLE === undefined && settings.MAPROPE_ASTRO_DEV === undefined
    if (role.includes('studio')) {
      const setup = spawnSync(process.execPath, ['--enable-source-maps', 'dist/setup.mjs', ...(isDemo ? [] : ['--serve'])], {
        cwd: projectFolder,
        env: settings,
        stdio: ['ignore', 'inherit', 'inherit'],
      })
      if (setup.status !== 0) throw new Error('The set-up of the database failed; its message is above.')
    }
    /** Starts one of the built programs; answers it once it is ready. */
    const program = async (file, more = {}) => {
      const child = fork(path.join(projectFolder, file), [], {
        cwd: projectFolder,
        env: { ...settings, ...more },
        execArgv: ['--enable-source-maps'],
        stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
      })
      await new Promise((resolve, reject) => {
        child.once('message', resolve)
        child.once('exit', (code) => reject(new Error(`${file} ended before it was ready (${code}).`)))
      })
      return child
    }
    // Visitors never wait for an editor: delivery owns the port, and reaches the studio through a socket of their own.
    const at = { MAPROPE_STUDIO_AT: isSplit ? socketIn(dataFolder) : settings.MAPROPE_STUDIO_AT }
    const parts = isSplit
      ? [
          ['studio', { ...at, MAPROPE_ROLE: 'studio,jobs' }],
          ['delivery', { ...at, MAPROPE_ROLE: 'delivery' }],
        ]
      : [['server', {}]]
    const servers = await Promise.all(parts.map(([name, more]) => supervise(() => program('dist/server.mjs', more), { name })))
    kept.push(...servers)
    if (isDemo && role.includes('studio')) kept.push(await supervise(() => program('dist/stand-ins.mjs'), { name: 'stand-ins' }))
    return { settings, stop, restartServer: () => Promise.all(servers.map((server) => server.restart())) }
  } catch (error) {
    await stop()
    throw error
  }
}

/**
 * The data folder is its owner's alone, and so is all that an older version left in it open. Where root runs this, the group of
 * the user postgres passes through to the cluster within, and does no more.
 */
function closeToOthers(dataFolder) {
  const cluster = path.join(dataFolder, 'pg')
  const mode = statSync(dataFolder).mode & 0o777
  if (mode === 0o700 || (process.getuid() === 0 && mode === 0o710)) return
  for (const entry of readdirSync(dataFolder, { withFileTypes: true, recursive: true })) {
    const file = path.join(entry.parentPath, entry.name)
    if (file === cluster || file.startsWith(cluster + path.sep)) continue
    if (entry.isFile()) chmodSync(file, 0o600)
    else if (entry.isDirectory()) chmodSync(file, 0o700)
  }
  chmodSync(dataFolder, 0o700)
}

function tellElsewhere(dataFolder, cluster) {
  console.log(`The database lies outside the data folder, in ${cluster}, since the user postgres may not enter ${dataFolder}.
A copy of the data folder does not hold it.`)
  const orphans = clustersElsewhere().filter(({ isOrphan }) => isOrphan)
  for (const { folder, of } of orphans)
    console.log(`${folder} holds the database of ${of}, which is gone. npm run clusters -- --remove removes it.`)
}

/** Longest path of a Unix socket (unix(7): 108 bytes, with the zero that ends it). */
const SOCKET_PATH_MAX_BYTES = 107

/** Where the studio's socket lies: in the data folder, or, where that path is too long for a socket, in a closed folder of its own. */
function socketIn(dataFolder) {
  const near = path.join(dataFolder, 'studio.sock')
  if (Buffer.byteLength(near) <= SOCKET_PATH_MAX_BYTES) return near
  const folder = path.join(tmpdir(), `map-rope-${createHash('sha256').update(dataFolder).digest('hex').slice(0, 16)}`)
  mkdirSync(folder, { recursive: true, mode: 0o700 })
  const { uid, mode } = statSync(folder)
  if (uid !== process.getuid() || (mode & 0o077) !== 0) throw new Error(`${folder} is not this user’s alone; remove it, then start again.`)
  return path.join(folder, 'studio.sock')
}

/** One copy a data folder: two would write the same files. A lock whose process is gone is taken over. */
function takeLock(dataFolder) {
  const file = path.join(dataFolder, 'running')
  if (existsSync(file)) {
    const pid = Number(readFileSync(file, 'utf8'))
    if (pid !== process.pid && existsSync(`/proc/${pid}`) && readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes('node')) {
      throw new Error(
        `Map Rope is running already with this data (process ${pid}). For a second copy choose another folder and port:\n\n    MAPROPE_DATA=.data-2 PORT=4400 npm start\n`,
      )
    }
  }
  writeFileSync(file, String(process.pid))
  return file
}
