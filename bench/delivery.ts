import { type ChildProcess, execFileSync, fork } from 'node:child_process'
import { writeFileSync } from 'node:fs'
import path from 'node:path'
import { freePort } from '../bin/postgres.mjs'
import { closeDatabase, type Database, migrate, openDatabase } from '../src/data/database.ts'
import { makeOwn } from './own.ts'

const project = path.resolve(import.meta.dirname, '..')
/** Of one run of the load tool. */
const SECONDS = 3
/** After so many answers everything is compiled that will be; on a slow machine that takes more than one run. */
const WARM_ANSWERS = 20_000
const WARM_RUNS_MAX = 10

/** A database and processes of one benchmark's own; all are gone when it is over. */
export interface Ground {
  readonly db: Database
  readonly databaseUrl: string
  /** A folder of the benchmark's own. */
  readonly folder: string
  /** Starts a process and waits until it says that it is ready. @returns its port */
  start(file: string, environment?: NodeJS.ProcessEnv): Promise<number>
  /** Starts delivery with what the database holds now. */
  startDelivery(): Promise<number>
  /** Ends the delivery that was started last, at once and without a word, and starts it again on its port. */
  killDelivery(): void
  /**
   * Answers a second, once the process behind the port is as fast as it gets.
   * @param script - of the load tool, in Lua
   */
  load(port: number, connections: number, script: string): number
}

export async function onGround<T>(work: (ground: Ground) => Promise<T>): Promise<T> {
  const { databaseUrl, folder, drop } = await makeOwn()
  const processes: ChildProcess[] = []
  const db = openDatabase(databaseUrl)
  const answered = new Map<number, number>()
  const delivery = {
    MAPROPE_DATA: folder,
    MAPROPE_DATABASE_URL: databaseUrl,
    MAPROPE_SECRET: 'only for the benchmark',
    MAPROPE_ROLE: 'delivery',
    MAPROPE_LOG: 'error',
  }
  let lastPort = 0
  const start = async (file: string, environment: NodeJS.ProcessEnv = {}): Promise<number> => {
    const port = await freePort()
    processes.push(await started(path.join(project, file), { ...process.env, ...environment, PORT: String(port) }))
    return port
  }
  try {
    await migrate(db)
    return await work({
      db,
      databaseUrl,
      folder,
      start,
      async startDelivery() {
        const port = await start('dist/server.mjs', delivery)
        lastPort = port
        await untilReady(port)
        return port
      },
      killDelivery() {
        processes.pop()?.kill('SIGKILL')
        processes.push(forked(path.join(project, 'dist/server.mjs'), { ...process.env, ...delivery, PORT: String(lastPort) }))
      },
      load(port, connections, script) {
        const file = path.join(folder, 'requests.lua')
        writeFileSync(file, script)
        const run = (): number => {
          const to = ['-t1', `-c${connections}`, `-d${SECONDS}s`, '-s', file, `http://127.0.0.1:${port}/`]
          return Number(/Requests\/sec:\s+([\d.]+)/.exec(execFileSync('wrk', to, { encoding: 'utf8' }))?.[1] ?? 0)
        }
        for (let i = 0; i < WARM_RUNS_MAX && (answered.get(port) ?? 0) < WARM_ANSWERS; i++)
          answered.set(port, (answered.get(port) ?? 0) + run() * SECONDS)
        return run()
      },
    })
  } finally {
    await Promise.all(processes.map((child) => new Promise((resolve) => child.once('exit', resolve).kill('SIGTERM'))))
    await closeDatabase(db)
    await drop()
  }
}

/** A process answers before a store of a million rows is built, but only that the site is being set up. */
async function untilReady(port: number): Promise<void> {
  while (!(await fetch(`http://127.0.0.1:${port}/readyz`)).ok) await new Promise((resolve) => setTimeout(resolve, 250))
}

/** Starts a script of ours and waits until it says that it is ready. */
function started(file: string, environment: NodeJS.ProcessEnv): Promise<ChildProcess> {
  const child = forked(file, environment)
  return new Promise((resolve, reject) => {
    child.once('message', () => resolve(child))
    child.once('exit', (code) => reject(new Error(`${file} ended (${code})`)))
  })
}

const forked = (file: string, environment: NodeJS.ProcessEnv): ChildProcess =>
  fork(file, [], { cwd: project, env: environment, execArgv: [], stdio: ['ignore', 'inherit', 'inherit', 'ipc'] })
