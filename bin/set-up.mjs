// Runs the set-up program once, on the same data as npm start: a copy that is running goes on with its cluster.
import { spawnSync } from 'node:child_process'
import path from 'node:path'
import { keptSecret, startPostgres } from './postgres.mjs'
import { needBuild, needDebian, needNpm, projectFolder } from './prepare.mjs'

/** @param {string} flag - what it is to do @returns {Promise<number>} its exit code */
export async function setUp(flag) {
  const dataFolder = path.resolve(process.env.MAPROPE_DATA ?? '.data')
  const given = process.env.MAPROPE_DATABASE_URL
  if (given === undefined) needDebian('postgresql')
  needNpm()
  needBuild()
  const postgres = given === undefined ? await startPostgres(dataFolder) : null
  const { status } = spawnSync(process.execPath, ['--enable-source-maps', 'dist/setup.mjs', flag], {
    cwd: projectFolder,
    stdio: ['ignore', 'inherit', 'inherit'],
    env: {
      ...process.env,
      NODE_ENV: 'production',
      MAPROPE_DATA: dataFolder,
      MAPROPE_DATABASE_URL: postgres?.url ?? given,
      MAPROPE_SECRET: process.env.MAPROPE_SECRET ?? keptSecret(dataFolder, 'secret'),
    },
  })
  if (postgres?.wasRunning === false) postgres.stop()
  return status ?? 1
}
