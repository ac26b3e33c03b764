// npm run check: types, lint, format and boundaries.
import { spawnSync } from 'node:child_process'
import { needNpm, projectFolder } from './prepare.mjs'

needNpm()
const environment = { ...process.env, ASTRO_TELEMETRY_DISABLED: '1' }
const steps = [
  ['types', 'npx', ['astro', 'check', '--minimumFailingSeverity', 'error', '--minimumSeverity', 'error']],
  ['lint and format', 'npx', ['biome', 'check', '--colors=off', '--error-on-warnings', '.']],
  ['boundaries', process.execPath, ['bin/run-tests.mjs', 'tests/unit', 'boundaries']],
]
const failed = []
for (const [name, program, args] of steps) {
  console.log(`— ${name} —`)
  const { status } = spawnSync(program, args, { cwd: projectFolder, stdio: ['ignore', 'inherit', 'inherit'], env: environment })
  if (status !== 0) failed.push(name)
}
console.log(failed.length === 0 ? 'All checks passed.' : `Failed: ${failed.join(', ')}`)
process.exit(failed.length === 0 ? 0 : 1)
