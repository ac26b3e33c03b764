// npm run rekey: seals every partner's log-in with another secret. The old one is given, the new one is what the copy has now.
//   MAPROPE_SECRET_BEFORE='the old secret' MAPROPE_SECRET='the new secret' npm run rekey
import { spawnSync } from 'node:child_process'
import path from 'node:path'
import { keptSecret, startPostgres } from './postgres.mjs'
import { needBuild, needDebian, needNpm, projectFolder } from './prepare.mjs'

if (process.env.MAPROPE_SECRET_BEFORE === undefined) {
  console.error('Give the secret that the log-ins were kept with: MAPROPE_SECRET_BEFORE=… npm run rekey')
  process.exit(1)
}
const dataFolder = path.resolve(process.env.MAPROPE_DATA ?? '.data')
const given = process.env.MAPROPE_DATABASE_URL
if (given === undefined) needDebian('postgresql')
needNpm()
needBuild()
const postgres = given === undefined ? await startPostgres(dataFolder) : null
const { status } = spawnSync(process.execPath, ['--enable-source-maps', 'dist/setup.mjs', '--rekey'], {
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
