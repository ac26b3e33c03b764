import assert from 'node:assert/strict'
import { spawn } from 'node:child_process'
import { once } from 'node:events'
import path from 'node:path'
import { before, test } from 'node:test'
import { bundleBench } from '../../bin/bundle-bench.mjs'

const project = path.resolve(import.meta.dirname, '../..')
/** A hundredth of what is measured: enough to see that a row still runs. */
const SHARE = '0.01'
/** Rows of the table that need what is not here: documents of Debian's packages; and inputs that are as large as they are. */
const NOT_HERE = ['bring-in', 'weather']

let names: readonly string[]
before(async () => {
  await bundleBench()
  names = (await bench('--names')).trim().split('\n')
})

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

test('every row of the benchmarks still runs, at a hundredth of its size and without its goal', async (context) => {
  assert.ok(names.length > 20)
  for (const name of NOT_HERE) assert.ok(names.includes(name), `${name} is no row any more`)
  for (const name of names)
    if (!NOT_HERE.includes(name))
      await context.test(name, async () => {
        const row = JSON.parse((await bench(name, '--json')).trim().split('\n').at(-1) ?? '') as Record<string, unknown>
        assert.equal(row.name, name)
        for (const figure of ['ours', 'peer', 'ratio']) assert.ok(Number.isFinite(row[figure]), `${figure} is ${row[figure]}`)
      })
})
