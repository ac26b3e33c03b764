// npm run rebuild: derives the index of all links anew from the pages, with the same data as npm start.
import { spawnSync } from 'node:child_process'
import path from 'node:path'
import { keptSecret, startPostgres } from './postgres.mjs'
import { needBuild, needDebian, needNpm, projectFolder } from './prepare.mjs'

const dataFolder = path.resolve(process.env.MAPROPE_DATA ?? '.data')
const given = process.env.MAPROPE_DATABASE_URL
if (given === undefined) needDebian('postgresql')
needNpm()
needBuild()
const postgres = given === undefined ? await startPostgres(dataFolder) : null
const { status } = spawnSync(process.execPath, ['--enable-source-maps', 'dist/setup.mjs', '--rebuild'], {
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
// A copy that is running goes on with its cluster.
if (postgres?.wasRunning === false) postgres.stop()
process.exit(status ?? 1)
