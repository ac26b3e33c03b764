// Runs one copy of Map Rope: its cluster, the set-up, the server and the stand-ins, until told to stop.
import { fork, spawnSync } from 'node:child_process'
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import { keptSecret, startPostgres } from './postgres.mjs'
import { projectFolder } from './prepare.mjs'
import { supervise } from './supervise.mjs'

/** Starts everything. Answers once it is ready; `stop` ends what was started, by process id. */
export async function launch({ port, dataFolder, forTests = false, environment = {} }) {
  mkdirSync(dataFolder, { recursive: true })
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
    if (given === undefined || forTests) postgres = await startPostgres(dataFolder, { forTests })
    const settings = {
      ...process.env,
      NODE_ENV: 'production',
      ASTRO_TELEMETRY_DISABLED: '1',
      PORT: String(port),
      MAPROPE_DATA: dataFolder,
      MAPROPE_DATABASE_URL: postgres?.url ?? given,
      MAPROPE_SECRET: process.env.MAPROPE_SECRET ?? keptSecret(dataFolder, 'secret'),
      MAPROPE_STAND_INS_PORT: process.env.MAPROPE_STAND_INS_PORT ?? String(port + 1),
      ...environment,
    }
    const role = settings.MAPROPE_ROLE ?? 'studio,delivery,jobs'
    if (role.includes('studio')) {
      const setup = spawnSync(process.execPath, ['--enable-source-maps', 'dist/setup.mjs'], {
        cwd: projectFolder,
        env: settings,
        stdio: ['ignore', 'inherit', 'inherit'],
      })
      if (setup.status !== 0) throw new Error('The set-up of the database failed; its message is above.')
    }
    /** Starts one of the built programs; answers it once it is ready. */
    const program = async (file) => {
      const child = fork(path.join(projectFolder, file), [], {
        cwd: projectFolder,
        env: settings,
        execArgv: ['--enable-source-maps'],
        stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
      })
      await new Promise((resolve, reject) => {
        child.once('message', resolve)
        child.once('exit', (code) => reject(new Error(`${file} ended before it was ready (${code}).`)))
      })
      return child
    }
    const server = await supervise(() => program('dist/server.mjs'), { name: 'server' })
    kept.push(server)
    if (role.includes('studio')) kept.push(await supervise(() => program('dist/stand-ins.mjs'), { name: 'stand-ins' }))
    return { settings, stop, restartServer: () => server.restart() }
  } catch (error) {
    await stop()
    throw error
  }
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
