// npm run bench [NAME…] [--json]: measures against the peers that ARCHITECTURE names, in the same run, as ratios of medians.
import path from 'node:path'
import { startPostgres } from './postgres.mjs'
import { needBuild, needDebian, needNpm, projectFolder, run } from './prepare.mjs'

needDebian('postgresql', 'wrk')
needNpm()
needBuild()
const postgres = await startPostgres(path.join(projectFolder, '.data-bench'))
try {
  run(process.execPath, ['--import', 'tsx', 'bench/run.ts', ...process.argv.slice(2)], { NODE_ENV: 'production', MAPROPE_BENCH_DATABASE_URL: postgres.url })
} finally {
  postgres.stop()
}
