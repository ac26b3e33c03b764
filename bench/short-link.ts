import { type ChildProcess, execFileSync, fork } from 'node:child_process'
import { randomBytes } from 'node:crypto'
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import path from 'node:path'
import pg from 'pg'
import { freePort } from '../bin/postgres.mjs'
import { closeDatabase, migrate, openDatabase } from '../src/data/database.ts'
import { byTurns, type Row } from './measure.ts'

const LINKS = 100_000
const ROUNDS = 7
const SECONDS = 3
const AGENT = 'Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/126.0 Safari/537.36'
export const project = path.resolve(import.meta.dirname, '..')

/** Answering a short link, 100,000 in the table, every click logged, against a server that always answers 302. */
export async function shortLink(): Promise<Row> {
  const base = process.env.MAPROPE_BENCH_DATABASE_URL ?? ''
  const name = `bench_${randomBytes(4).toString('hex')}`
  const admin = new pg.Client({ connectionString: base })
  await admin.connect()
  await admin.query(`CREATE DATABASE ${name}`)
  const url = base.replace(/\/[^/]*$/, `/${name}`)
  const folder = mkdtempSync(path.join(tmpdir(), 'map-rope-bench-'))
  const processes: ChildProcess[] = []
  try {
    await fillTable(url)
    const [port, peerPort] = [await freePort(), await freePort()]
    const environment = {
      ...process.env,
      PORT: String(port),
      MAPROPE_DATA: folder,
      MAPROPE_DATABASE_URL: url,
      MAPROPE_SECRET: 'only for the benchmark',
      MAPROPE_ROLE: 'delivery',
      MAPROPE_LOG: 'error',
    }
    processes.push(await started(path.join(project, 'dist/server.mjs'), environment))
    processes.push(await started(path.join(project, 'bench/bare-server.mjs'), { ...process.env, PORT: String(peerPort) }))
    const script = path.join(folder, 'requests.lua')
    writeFileSync(
      script,
      `wrk.headers["Host"] = "sferry.example"\nwrk.headers["User-Agent"] = "${AGENT}"\nwrk.headers["Accept-Language"] = "en-GB,en;q=0.9"\nrequest = function() return wrk.format("GET", "/go/s" .. math.random(1, ${LINKS})) end\n`,
    )
    const load = (to: number) => (): number => {
      const said = execFileSync('wrk', ['-t1', '-c32', `-d${SECONDS}s`, '-s', script, `http://127.0.0.1:${to}`], { encoding: 'utf8' })
      return Number(/Requests\/sec:\s+([\d.]+)/.exec(said)?.[1] ?? 0)
    }
    const rates = await byTurns(ROUNDS, load(port), load(peerPort))
    return { name: 'short-link', ...rates, unit: 'answers/s', goal: 0.9 }
  } finally {
    await Promise.all(processes.map((child) => new Promise((resolve) => child.once('exit', resolve).kill('SIGTERM'))))
    await admin.query(`DROP DATABASE ${name} WITH (FORCE)`)
    await admin.end()
    rmSync(folder, { recursive: true, force: true })
  }
}

async function fillTable(url: string): Promise<void> {
  const db = openDatabase(url)
  await migrate(db)
  await db.pool.query(`
    WITH site AS (INSERT INTO sites (name) VALUES ('bench') RETURNING id),
      host AS (INSERT INTO hosts (site_id, host, kind, prefix) SELECT id, 'sferry.example', 'short', 'go' FROM site RETURNING id, site_id),
      links AS (INSERT INTO short_links (site_id, host_id, destination, title, status)
        SELECT site_id, id, 'https://gannet-line.example/page/' || n || '?p=4471', n::text, 302 FROM host, generate_series(1, ${LINKS}) n RETURNING id, host_id, title)
    INSERT INTO short_link_slugs (host_id, slug, short_link_id) SELECT host_id, 's' || title, id FROM links`)
  await closeDatabase(db)
}

export function started(file: string, environment: NodeJS.ProcessEnv): Promise<ChildProcess> {
  const child = fork(file, [], { cwd: project, env: environment, execArgv: [], stdio: ['ignore', 'inherit', 'inherit', 'ipc'] })
  return new Promise((resolve, reject) => {
    child.once('message', () => resolve(child))
    child.once('exit', (code) => reject(new Error(`${file} ended (${code})`)))
  })
}
