import { type ChildProcess, fork } from 'node:child_process'
import { mkdtempSync, readFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import path from 'node:path'
import { ownPort } from '../ports.ts'
import { environmentOf, takeSlot } from './template.ts'

/** A running copy of the built server with the demo, on its own port and database. */
export interface Copy {
  readonly port: number
  readonly url: string
  readonly token: string
  readonly folder: string
  readonly databaseUrl: string
  server: ChildProcess
  start(environment?: Readonly<Record<string, string>>): Promise<ChildProcess>
  /** Ends one of its processes, as kill -9 does. */
  kill(child: ChildProcess): Promise<void>
  stop(): Promise<void>
}

/** For a process to end that was told to. */
const STOP_MAX_MS = 40_000
const project = path.resolve(import.meta.dirname, '../..')

/** Starts a copy with the demo; where a database is given, with what is in that. */
export async function startCopy(
  given: { databaseUrl?: string; withStandIns?: boolean; environment?: Readonly<Record<string, string>> } = {},
): Promise<Copy> {
  const slot = given.databaseUrl === undefined ? await takeSlot() : null
  const databaseUrl = slot?.databaseUrl ?? given.databaseUrl ?? ''
  const folder = slot?.folder ?? mkdtempSync(path.join(tmpdir(), 'map-rope-copy-'))
  const port = slot?.port ?? (await ownPort())
  const standInsPort = slot?.standInsPort ?? (await ownPort())
  const environment = { ...process.env, ...environmentOf({ port, standInsPort, databaseUrl, folder }), ...given.environment }
  const children: ChildProcess[] = []
  const run = (file: string, more: Readonly<Record<string, string>> = {}): Promise<ChildProcess> =>
    new Promise((resolve, reject) => {
      const child = fork(path.join(project, 'dist', file), [], {
        cwd: project,
        env: { ...environment, ...more },
        execArgv: [],
        stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
      })
      children.push(child)
      if (file === 'setup.mjs') child.once('exit', (code) => (code === 0 ? resolve(child) : reject(new Error(`${file} failed`))))
      else {
        child.once('message', () => resolve(child))
        child.once('exit', (code) => reject(new Error(`${file} ended (${code})`)))
      }
    })
  if (slot === null) await run('setup.mjs')
  const start = (more?: Readonly<Record<string, string>>) => run('server.mjs', more)
  if (given.withStandIns === true) await run('stand-ins.mjs')
  return {
    port,
    url: `http://localhost:${port}`,
    token: readFileSync(path.join(folder, 'demo-token'), 'utf8').trim(),
    folder,
    databaseUrl,
    server: await start(),
    start,
    async kill(child) {
      const gone = new Promise<void>((resolve) => child.once('exit', () => resolve()))
      child.kill('SIGKILL')
      await gone
    },
    async stop() {
      await Promise.all(
        children.map(
          (child) =>
            new Promise<void>((resolve, reject) => {
              if (child.exitCode !== null || child.signalCode !== null) return resolve()
              // A server gives itself twenty seconds; one that is still there then says so by failing the test that started it.
              const late = setTimeout(() => {
                child.kill('SIGKILL')
                reject(new Error(`${child.spawnargs.at(-1)} did not end when it was told to`))
              }, STOP_MAX_MS)
              child.once('exit', () => {
                clearTimeout(late)
                resolve()
              })
              child.kill('SIGTERM')
            }),
        ),
      )
      await slot?.free()
    },
  }
}
