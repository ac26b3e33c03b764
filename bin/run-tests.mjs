// Runs the unit or integration tests with Node's own runner. Node 20's --test has no globs, so the files are named.
import { spawn } from 'node:child_process'
import { readdirSync } from 'node:fs'
import path from 'node:path'

const [folder = 'tests/unit', ...rest] = process.argv.slice(2)
const files = readdirSync(folder, { recursive: true })
  .map(String)
  .filter((file) => file.endsWith('.test.ts') && (rest.length === 0 || rest.some((word) => file.includes(word))))
  .map((file) => path.join(folder, file))
  .sort()
if (files.length === 0) {
  console.error(`No tests found in ${folder}`)
  process.exit(1)
}
const concurrency = folder.includes('unit') ? [] : ['--test-concurrency=1']
const runner = spawn(process.execPath, ['--import', 'tsx', '--test', ...concurrency, ...files], { stdio: 'inherit' })
runner.on('exit', (code) => process.exit(code ?? 1))
