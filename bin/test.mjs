// npm test [KIND…] [WORD…]: of the kinds named, the files whose names hold a word. Installs what is missing, builds, and runs the unit, integration and browser tests on an own cluster and own ports.
import { spawnSync } from 'node:child_process'
import path from 'node:path'
import { startPostgres } from './postgres.mjs'
import { needBuild, needDebian, needNpm, projectFolder } from './prepare.mjs'

needDebian('postgresql', 'chromium')
needNpm()
needBuild()
const wanted = process.argv.slice(2)
const KINDS = ['unit', 'integration', 'browser']
const words = wanted.filter((word) => !KINDS.includes(word))
const kinds = KINDS.filter((kind) => words.length === wanted.length || wanted.includes(kind))
const postgres = kinds.some((kind) => kind !== 'unit')
  ? await startPostgres(path.resolve(process.env.MAPROPE_DATA ?? path.join(projectFolder, '.data-test')), { forTests: true })
  : null
const failed = []
try {
  for (const kind of kinds) {
    console.log(`\n— ${kind} tests —`)
    const { status } = spawnSync(process.execPath, ['bin/run-tests.mjs', `tests/${kind}`, ...words], {
      cwd: projectFolder,
      stdio: ['ignore', 'inherit', 'inherit'],
      env: { ...process.env, NODE_ENV: 'test', ...(postgres === null ? {} : { MAPROPE_TEST_DATABASE_URL: postgres.url }) },
    })
    if (status !== 0) failed.push(kind)
  }
} finally {
  postgres?.stop()
}
console.log(failed.length === 0 ? '\nAll tests passed.' : `\nFailed: ${failed.join(', ')} tests.`)
process.exit(failed.length === 0 ? 0 : 1)
