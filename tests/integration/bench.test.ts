import assert from 'node:assert/strict'
import { spawn } from 'node:child_process'
import { once } from 'node:events'
import path from 'node:path'
import { before, test } from 'node:test'
import { bundleBench } from '../../bin/bundle.mjs'

const project = path.resolve(import.meta.dirname, '../..')
/** A hundredth of what is measured: enough to see that a row still runs. */
const SHARE = '0.01'
/** Rows that start copies, browsers or other servers for each figure, and those of fixed inputs: minutes, whatever their size. By hand alone. */
const BY_HAND = [
  ...['short-link', 'redirect', 'one-change', 'one-redirect', 'impact', 'front-door', 'editor', 'list', 'large-site'],
  ...['weather', 'bring-in', 'bring-in-redirects', 'restart', 'worst-look-up', 'burst'],
]

before(() => bundleBench())

/** What the benchmarks say. */
async function bench(...args: readonly string[]): Promise<string> {
  const child = spawn(process.execPath, [path.join(project, 'dist/bench.mjs'), ...args], {
    cwd: project,
    stdio: ['ignore', 'pipe', 'pipe'],
    env: {
      ...process.env,
      NODE_ENV: 'production',
      MAPROPE_BENCH_SHARE: SHARE,
      MAPROPE_BENCH_DATABASE_URL: process.env.MAPROPE_TEST_DATABASE_URL,
    },
  })
  const said = { out: '', err: '' }
  child.stdout.on('data', (part: Buffer) => {
    said.out += part.toString()
  })
  child.stderr.on('data', (part: Buffer) => {
    said.err += part.toString()
  })
  const [code] = (await once(child, 'close')) as [number | null]
  assert.equal(code, 0, `${args.join(' ')}: ${said.err.slice(-3_000)}`)
  return said.out
}

test('the rows of the benchmarks still run, at a hundredth of their size and without their goals', async () => {
  const names = (await bench('--names')).trim().split('\n')
  assert.deepEqual(
    BY_HAND.filter((name) => !names.includes(name)),
    [],
    'no row any more',
  )
  const wanted = names.filter((name) => !BY_HAND.includes(name))
  const lines = (await bench(...wanted, '--json')).trim().split('\n')
  const rows = lines.filter((line) => line.startsWith('{')).map((line) => JSON.parse(line) as Record<string, unknown>)
  assert.deepEqual(
    rows.map(({ name }) => name),
    wanted,
  )
  for (const row of rows)
    for (const figure of ['ours', 'peer', 'ratio']) assert.ok(Number.isFinite(row[figure]), `${row.name}: ${figure} is ${row[figure]}`)
})
