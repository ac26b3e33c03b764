import { type ChildProcess, execFileSync } from 'node:child_process'
import { randomBytes } from 'node:crypto'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import path from 'node:path'
import pg from 'pg'
import { freePort } from '../bin/postgres.mjs'
import { closeDatabase, migrate, openDatabase } from '../src/data/database.ts'
import { byTurns, type Row } from './measure.ts'
import { benchPages } from './pages.ts'
import { project, started } from './short-link.ts'

const ROUNDS = 7
const SECONDS = 3
const PAGE_BYTES = 30_000

/** Pages of 30 kB through the front door, rules applied, against a plain pass-through proxy of the same runtime. */
export async function frontDoor(): Promise<Row> {
  const base = process.env.MAPROPE_BENCH_DATABASE_URL ?? ''
  const name = `bench_${randomBytes(4).toString('hex')}`
  const admin = new pg.Client({ connectionString: base })
  await admin.connect()
  await admin.query(`CREATE DATABASE ${name}`)
  const url = base.replace(/\/[^/]*$/, `/${name}`)
  const folder = mkdtempSync(path.join(tmpdir(), 'map-rope-bench-'))
  const processes: ChildProcess[] = []
  try {
    const page = benchPages(200, 11).reduce((best, each) =>
      Math.abs(each.length - PAGE_BYTES) < Math.abs(best.length - PAGE_BYTES) ? each : best,
    )
    const [port, proxyPort, behindPort] = [await freePort(), await freePort(), await freePort()]
    await setUp(url, behindPort)
    processes.push(
      await started(path.join(project, 'bench/page-server.mjs'), {
        ...process.env,
        PORT: String(behindPort),
        BENCH_PAGE: Buffer.from(page).toString('base64'),
      }),
    )
    processes.push(
      await started(path.join(project, 'bench/bare-proxy.mjs'), {
        ...process.env,
        PORT: String(proxyPort),
        BEHIND_PORT: String(behindPort),
      }),
    )
    processes.push(
      await started(path.join(project, 'dist/server.mjs'), {
        ...process.env,
        PORT: String(port),
        MAPROPE_DATA: folder,
        MAPROPE_DATABASE_URL: url,
        MAPROPE_SECRET: 'only for the benchmark',
        MAPROPE_ROLE: 'delivery',
        MAPROPE_LOG: 'error',
      }),
    )
    const script = path.join(folder, 'requests.lua')
    writeFileSync(script, 'wrk.headers["Host"] = "door.example"\n')
    const load = (to: number) => (): number => {
      const said = execFileSync('wrk', ['-t1', '-c16', `-d${SECONDS}s`, '-s', script, `http://127.0.0.1:${to}/`], { encoding: 'utf8' })
      return Number(/Requests\/sec:\s+([\d.]+)/.exec(said)?.[1] ?? 0)
    }
    const rates = await byTurns(ROUNDS, load(port), load(proxyPort))
    return {
      name: 'front-door',
      ...rates,
      unit: 'pages/s',
      goal: 0.6,
      note: `a page of ${page.length} bytes with ${page.split('<a ').length - 1} links, other bytes each time, the same tags`,
    }
  } finally {
    await Promise.all(processes.map((child) => new Promise((resolve) => child.once('exit', resolve).kill('SIGTERM'))))
    await admin.query(`DROP DATABASE ${name} WITH (FORCE)`)
    await admin.end()
    rmSync(folder, { recursive: true, force: true })
  }
}

async function setUp(url: string, behindPort: number): Promise<void> {
  const db = openDatabase(url)
  await migrate(db)
  const rules = [
    {
      id: '1',
      name: 'paid',
      isOn: true,
      isBinding: false,
      when: { is: 'site', of: ['gannet-line.example'] },
      what: { hints: ['sponsored', 'nofollow'] },
    },
    { id: '2', name: 'outside', isOn: true, isBinding: false, when: { is: 'kind', of: ['outside'] }, what: { opens: 'new tab' } },
  ]
  await db.pool.query(
    `WITH site AS (INSERT INTO sites (name, may_visit_private) VALUES ('bench', true) RETURNING id),
       list AS (INSERT INTO rules (site_id, version, list) SELECT id, 1, $2::jsonb FROM site)
     INSERT INTO hosts (site_id, host, kind, origin) SELECT id, 'door.example', 'door', $1 FROM site`,
    [`http://127.0.0.1:${behindPort}`, JSON.stringify(rules)],
  )
  await closeDatabase(db)
}
