import { chmodSync, readdirSync, rmSync } from 'node:fs'
import http, { createServer, type IncomingMessage, type ServerResponse } from 'node:http'
import path from 'node:path'
import { drain, type Metrics } from '../edge/index.ts'
import { isRunning } from '../jobs/clicks.ts'

/** How long the studio may take to say how it is. */
const ASK_MS = 2_000

/** The socket of a studio that shares its process with the port. Those of processes that are gone are cleared away. */
export function ownSocket(dataFolder: string): string {
  for (const name of readdirSync(dataFolder)) {
    const pid = Number(/^studio-(\d+)\.sock$/.exec(name)?.[1] ?? Number.NaN)
    if (!Number.isNaN(pid) && !isRunning(pid)) rmSync(path.join(dataFolder, name), { force: true })
  }
  return path.join(dataFolder, `studio-${process.pid}.sock`)
}

/**
 * Listens on the studio's socket, which this user alone may open (mode 600).
 * @param reasons - why the studio cannot answer at the moment; none when it can
 * @param metrics - of this process; null where nobody reads them
 * @returns what closes it, once everything that is being answered is finished
 */
export async function listenForStudio(
  socketPath: string,
  answer: (request: IncomingMessage, response: ServerResponse) => void,
  reasons: () => Promise<string[]>,
  metrics: Metrics | null,
): Promise<() => Promise<void>> {
  rmSync(socketPath, { force: true })
  const server = createServer((request, response) => {
    if (request.url === METRICS_PATH && metrics !== null)
      return void metrics.text().then(
        (text) => response.end(text),
        () => response.writeHead(500).end(),
      )
    if (request.url !== '/readyz') return answer(request, response)
    void reasons().then((found) =>
      response.writeHead(found.length === 0 ? 200 : 503, { 'Content-Type': 'application/json' }).end(JSON.stringify(found)),
    )
  })
  server.requestTimeout = 0 // the edge has counted and timed it
  server.on('connection', (socket) => socket.on('error', () => {}))
  const before = process.umask(0o177)
  try {
    await new Promise<void>((resolve, reject) => {
      server.once('error', reject)
      server.listen(socketPath, resolve)
    })
  } finally {
    process.umask(before)
  }
  chmodSync(socketPath, 0o600)
  return async () => {
    await drain(server)
    rmSync(socketPath, { force: true })
  }
}

/** How a studio in another process is: "ready", or what is wrong. */
export async function askStudio(socketPath: string): Promise<string> {
  const { status, text } = await ask(socketPath, '/readyz')
  return status === 200 ? 'ready' : text
}

/** The metrics of a studio in another process; "" while it is away. */
export async function metricsOfStudio(socketPath: string): Promise<string> {
  const { status, text } = await ask(socketPath, METRICS_PATH)
  return status === 200 ? text : ''
}

/** Asked for on the socket alone: the edge answers a path of this name itself. */
const METRICS_PATH = '/metrics'

function ask(socketPath: string, path: string): Promise<{ status: number; text: string }> {
  return new Promise((resolve) => {
    const away = { status: 0, text: 'away' }
    const asked = http.get({ socketPath, path, agent: false, timeout: ASK_MS }, (answer) => {
      const parts: Buffer[] = []
      answer.on('data', (part: Buffer) => parts.push(part))
      answer.on('end', () => resolve({ status: answer.statusCode ?? 0, text: Buffer.concat(parts).toString() }))
      answer.on('error', () => resolve(away))
    })
    asked.on('timeout', () => asked.destroy(new Error('too slow')))
    asked.on('error', () => resolve(away))
  })
}
