import { readdirSync, readFileSync, statSync } from 'node:fs'
import path from 'node:path'
import { zipSync } from 'fflate'
import { type Row, sized } from './measure.ts'
import { bringIn, type Copy, during, onCopy } from './weather.ts'

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

const REDIRECTS = sized(1_000_000)
const REDIRECTS_MAX_S = 150

/** A million redirects as CSV, visitors asking all the while: seconds, against what they may take. */
export const bringingInRedirects = (): Promise<Row> =>
  onCopy(async (copy) => {
    const lines = ['from,to,status']
    for (let n = 1; n <= REDIRECTS; n++) lines.push(`/brought/${n}/page-${n % 97}.html,https://other.example/new/${n},301`)
    const csv = Buffer.from(lines.join('\n'))
    const { ms, p99, answer } = await during(copy, () => bringInRows(copy, csv))
    return {
      name: 'bring-in-redirects',
      ours: ms / 1_000,
      peer: REDIRECTS_MAX_S,
      unit: 's',
      goal: p99 <= P99_MAX_MS && answer === `done, ${REDIRECTS} new` ? 1 : 0,
      isAtMost: true,
      note: `${answer}; redirects meanwhile p99 ${p99.toFixed(1)} ms (at most ${P99_MAX_MS})`,
    }
  })

async function bringInRows({ port, token }: Copy, csv: Buffer): Promise<string> {
  const headers = { authorization: `Bearer ${token}` }
  const at = `http://localhost:${port}/api/v1`
  const begun = await fetch(`${at}/redirects/bulk`, {
    method: 'POST',
    headers: { ...headers, 'content-type': 'text/csv' },
    body: new Uint8Array(csv),
  })
  const { job } = (await begun.json()) as { job: string }
  for (;;) {
    await new Promise((resolve) => setTimeout(resolve, 500))
    const found = (await (await fetch(`${at}/jobs/${job}`, { headers })).json()) as { state: string; report?: { new?: number } }
    if (found.state !== 'waiting' && found.state !== 'running') return `${found.state}, ${found.report?.new ?? 0} new`
  }
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
