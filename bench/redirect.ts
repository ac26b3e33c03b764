import { spawn } from 'node:child_process'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import path from 'node:path'
import { freePort } from '../bin/postgres.mjs'
import { needDebian } from '../bin/prepare.mjs'
import { type Redirect, RedirectReview, RedirectTable, Replay, TOLERANCE } from '../src/core/routing/index.ts'
import { type Ground, onGround } from './delivery.ts'
import { byTurns, median, type Row, rateOf, sized } from './measure.ts'

const ROWS = sized(1_000_000)
const ROUNDS = 7
const CONNECTIONS = 32
const AGENT = 'Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/126.0 Safari/537.36'
const REQUESTS = `wrk.headers["Host"] = "site.example"
wrk.headers["User-Agent"] = "${AGENT}"
wrk.headers["Accept-Language"] = "en-GB,en;q=0.9"
request = function() return wrk.format("GET", "/old/" .. math.floor(${ROWS} ^ math.random()) .. ".html") end
`

/** A site with so many rows of redirects: "/old/1.html", "/old/2.html" … on site.example. */
export async function fillRedirects({ db }: Ground, count = ROWS): Promise<void> {
  // Filling the index that people's words are found by takes minutes, and nobody looks for words here.
  await db.pool.query('DROP INDEX redirects_words')
  await db.pool.query(`
    WITH site AS (INSERT INTO sites (name) VALUES ('bench') RETURNING id),
      host AS (INSERT INTO hosts (site_id, host, kind, prefix) SELECT id, 'site.example', 'site', '' FROM site RETURNING id, site_id),
      counter AS (INSERT INTO change_counters (site_id) SELECT id FROM site)
    INSERT INTO redirects (site_id, match, source, key, destination, status, query, place)
      SELECT site_id, 'exact', '/old/' || n || '.html', '/old/' || n || '.html', 'https://other.example/new/' || n, 301, 'drop', n FROM host, generate_series(1, ${count}) n`)
}

/** Answering a redirect, 1,000,000 exact rows in the store, asked for as traffic is (Zipf, s = 1), every hit logged, against a server that always answers 301. */
export const redirect = (): Promise<Row> =>
  onGround(async (ground) => {
    await fillRedirects(ground)
    const [ours, peer] = [await ground.startDelivery(), await ground.start('bench/bare-server.mjs', { STATUS: '301' })]
    const load = (port: number) => (): number => ground.load(port, CONNECTIONS, REQUESTS)
    const measured = await byTurns(ROUNDS, load(ours), load(peer))
    const beside = await besideNginx(ground)
    return {
      name: 'redirect',
      ...measured,
      unit: 'answers/s',
      goal: 0.9,
      note: `nginx with 100,000 of them as a map, one worker: ${Math.round(beside).toLocaleString('en')}`,
    }
  })

/** For information: what another server does with rows like these. Its map of a million takes minutes to be read, so it has a tenth. */
async function besideNginx(ground: Ground): Promise<number> {
  needDebian('nginx')
  const [place, port] = [mkdtempSync(path.join(tmpdir(), 'map-rope-bench-')), await freePort()]
  const rows = Array.from({ length: ROWS / 10 }, (_, n) => `/old/${n + 1}.html https://other.example/new/${n + 1};`)
  writeFileSync(
    path.join(place, 'conf'),
    `daemon off; master_process off; pid ${place}/pid; error_log ${place}/error; events {}
http { access_log ${place}/access; map_hash_max_size 2097152; map_hash_bucket_size 128; client_body_temp_path ${place}; proxy_temp_path ${place}; fastcgi_temp_path ${place}; uwsgi_temp_path ${place}; scgi_temp_path ${place};
map $uri $to { default ""; ${rows.join('\n')} }
server { listen 127.0.0.1:${port}; if ($to) { return 301 $to; } return 404; } }`,
  )
  const child = spawn('/usr/sbin/nginx', ['-p', place, '-c', path.join(place, 'conf')], { stdio: 'ignore' })
  try {
    for (let tries = 0; tries < 200; tries++) {
      const isThere = await fetch(`http://127.0.0.1:${port}/`, { redirect: 'manual' }).then(
        () => true,
        () => false,
      )
      if (isThere) break
      await new Promise((resolve) => setTimeout(resolve, 100))
    }
    return median([1, 2, 3].map(() => ground.load(port, CONNECTIONS, REQUESTS.replaceAll(String(ROWS), String(ROWS / 10)))))
  } finally {
    const ended = new Promise((resolve) => child.once('exit', resolve))
    child.kill('SIGTERM')
    await ended
    rmSync(place, { recursive: true, force: true })
  }
}

const NO_HOSTS: readonly string[] = []
const NO_CONDITIONS = {}
const rowOf = (n: number, to: string): Redirect => ({
  id: `row-${n}`,
  hosts: NO_HOSTS,
  match: 'exact',
  from: `/old/number-${n}.html`,
  when: NO_CONDITIONS,
  to,
  status: 301,
  query: 'pass',
  beatsPages: false,
  order: n,
})

const REVIEW_SECONDS_MAX = 5

/** Looking through a million rows for what is wrong, the table being there; and again after one of them has changed. */
export function review(): Promise<Row> {
  const pages = new Set(Array.from({ length: 5_000 }, (_, n) => `/page-${n}.html`))
  const site = {
    tolerance: TOLERANCE,
    origin: 'https://site.example',
    hosts: new Map([['site.example', 'site' as const]]),
    hasPage: (at: string) => pages.has(at),
  }
  const seconds: number[] = []
  const taken: number[] = []
  const again: number[] = []
  for (let round = 0; round < 3; round++) {
    const begunAt = performance.now()
    const table = new RedirectReview(site)
    for (let n = 0; n < ROWS; n++)
      table.put({ ...rowOf(n, n % 1_000 === 0 ? `/old/number-${n + 1}.html` : `/page-${n % 5_000}.html`), version: 1, isOn: true })
    const thereAt = performance.now()
    const found = table.findings().length
    if (found !== ROWS / 1_000) throw new Error(`The review found ${found}`)
    seconds.push((performance.now() - thereAt) / 1_000)
    taken.push((thereAt - begunAt) / 1_000)
    const changedAt = performance.now()
    table.put({ ...rowOf(7, '/old/number-8.html'), version: 2, isOn: true })
    table.findings()
    again.push(performance.now() - changedAt)
  }
  const note = `taking the rows up ${median(taken).toFixed(1)} s; after one change ${median(again).toFixed(1)} ms`
  return Promise.resolve({ name: 'review', ours: median(seconds), peer: 1, unit: 's', goal: REVIEW_SECONDS_MAX, isAtMost: true, note })
}

const LOG_ROWS = sized(100_000)
const LINES = sized(200_000)

/** An access log through the table, asked as traffic is, on one core. */
export async function replay(): Promise<Row> {
  const live = new RedirectTable(TOLERANCE)
  for (let n = 0; n < LOG_ROWS; n++) live.add(rowOf(n, `/page-${n % 5_000}.html`))
  const site = {
    live,
    draft: null,
    host: 'site.example',
    origin: 'https://site.example',
    hasPage: (at: string) => at.startsWith('/page-'),
    hasEnding: () => true,
  }
  const lines = Array.from({ length: LINES }, (_, n) => {
    const target = n % 10 === 0 ? `/lost/${n % 977}` : `/old/number-${Math.floor(LOG_ROWS ** (((n * 7919) % LINES) / LINES))}.html`
    return `10.${n % 250}.${n % 91}.7 - - [26/Nov/2026:10:00:00 +0000] "GET ${target} HTTP/1.1" 301 178 "https://tides.example/" "${AGENT}"`
  }).join('\n')
  // One long log: what is asked for again and again is known after its beginning.
  const trial = new Replay(site)
  const run = (): void => {
    for (const line of lines.split('\n')) trial.line(line)
    if (trial.tally().answered === 0) throw new Error('The log was answered by nothing')
  }
  run()
  const rates: number[] = []
  for (let round = 0; round < ROUNDS; round++) rates.push(await rateOf(LINES, 1_500, run))
  return { name: 'replay', ours: median(rates), peer: 1, unit: 'lines/s', goal: 300_000 }
}
