import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import path from 'node:path'
import { surveyPage } from '../src/core/rules/index.ts'
import { byTurns, type Row, rateOf, sized } from './measure.ts'
import { benchPages } from './pages.ts'
import { around, rules } from './rewrite.ts'

const PAGES = sized(1_000)
const ROUNDS = 7
const ROUND_MS = 1_500

/** Scanning and deciding every link of a site of 1,000 pages, against only reading its files. */
export async function scanSite(): Promise<Row> {
  const folder = mkdtempSync(path.join(tmpdir(), 'map-rope-bench-'))
  try {
    const files = benchPages(PAGES, 7).map((page, i) => {
      const file = path.join(folder, `${i}.html`)
      writeFileSync(file, page)
      return file
    })
    const find = (): null => null
    let bytes = 0
    let changes = 0
    const rates = await byTurns(
      ROUNDS,
      () =>
        rateOf(PAGES, ROUND_MS, () => {
          for (const file of files) changes += surveyPage(readFileSync(file), rules, around, find, 'utf-8').changes
        }),
      () =>
        rateOf(PAGES, ROUND_MS, () => {
          for (const file of files) bytes += readFileSync(file).length
        }),
    )
    if (bytes === 0 || changes === 0) throw new Error('Nothing was read')
    return { name: 'scan-site', ours: 1e6 / rates.ours, peer: 1e6 / rates.peer, unit: 'µs a page', goal: 5, isAtMost: true }
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
}
