// npm run bench [NAME…] [--json]: measures against the peers that ARCHITECTURE names, in the same run, as ratios of medians.
import { spawnSync } from 'node:child_process'
import path from 'node:path'
import { startPostgres } from './postgres.mjs'
import { needBuild, needDebian, needNpm, projectFolder } from './prepare.mjs'

needDebian('postgresql', 'wrk', 'chromium')
const wanted = process.argv.slice(2).filter((word) => !word.startsWith('--'))
if (wanted.length === 0 || wanted.includes('bring-in')) needDebian('apache2-doc', 'postgresql-doc-15')
needNpm()
needBuild()
const { bundleBench } = await import('./bundle.mjs') // esbuild is there once npm's packages are
await bundleBench()
const postgres = await startPostgres(path.join(projectFolder, '.data-bench'))
const { status } = spawnSync(process.execPath, ['dist/bench.mjs', ...process.argv.slice(2)], {
  cwd: projectFolder,
  stdio: ['ignore', 'inherit', 'inherit'],
  env: { ...process.env, NODE_ENV: 'production', MAPROPE_BENCH_DATABASE_URL: postgres.url },
})
postgres.stop()
process.exit(status ?? 1)
