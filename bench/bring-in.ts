import { readdirSync, readFileSync, statSync } from 'node:fs'
import path from 'node:path'
import { zipSync } from 'fflate'
import type { Row } from './measure.ts'
import { bringIn, during, onCopy } from './weather.ts'

/** Two real sites of documentation, as Debian packages them. */
const SITES = ['/usr/share/doc/apache2-doc/manual', '/usr/share/doc/postgresql-doc-15/html']
const PAGES_A_SECOND = 60
const MEMORY_MAX_MB = 1_024
const P99_MAX_MS = 50

/** Two real sites brought in at once, visitors asking all the while: pages a second, against what they should be. */
export function bringingIn(): Promise<Row> {
  const { zip, pages } = zipped()
  return onCopy(async (copy) => {
    const { ms, p99, memoryMb, answer } = await during(copy, () => bringIn(copy, 'docs.zip', zip, false))
    const holds = p99 <= P99_MAX_MS && memoryMb <= MEMORY_MAX_MB
    return {
      name: 'bring-in',
      ours: pages / (ms / 1_000),
      peer: PAGES_A_SECOND,
      unit: 'pages/s',
      goal: holds ? 1 : Number.POSITIVE_INFINITY,
      note: `${pages} pages, ${answer}; redirects meanwhile p99 ${p99.toFixed(1)} ms (at most ${P99_MAX_MS}), most memory ${memoryMb.toFixed(0)} MB (at most ${MEMORY_MAX_MB})`,
    }
  })
}

function zipped(): { zip: Buffer; pages: number } {
  const files: Record<string, [Uint8Array, { level: 1 }]> = {}
  let pages = 0
  for (const site of SITES)
    for (const name of readdirSync(site, { recursive: true }).map(String)) {
      const file = path.join(site, name)
      if (!statSync(file).isFile()) continue
      if (/\.html?$/.test(name)) pages++
      files[`${path.basename(path.dirname(site))}/${name}`] = [readFileSync(file), { level: 1 }]
    }
  return { zip: Buffer.from(zipSync(files)), pages }
}
