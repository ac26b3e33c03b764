import { randomUUID } from 'node:crypto'
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http'
import path from 'node:path'
import { fileURLToPath } from 'node:url'
import pino from 'pino'
import { closeDatabase, migrate, openDatabase, rows } from './data/database.ts'
import { ClickLog, clickFolder } from './delivery/click-log.ts'
import type { Delivery } from './delivery/delivery.ts'
import { upgradeDoor } from './delivery/front-door/index.ts'
import { respond } from './delivery/respond.ts'
import { say } from './delivery/say.ts'
import { SnapshotStore } from './delivery/snapshot.ts'
import { Visitors } from './delivery/visitor.ts'
import { readSettings } from './environment.ts'
import { openJobQueue, startClickLoader } from './jobs/index.ts'
import { createServices } from './services/index.ts'
import { openStudio } from './studio.ts'

const settings = readSettings(process.env)
const log = pino({ level: settings.logLevel, redact: ['req.headers.cookie', 'req.headers.authorization', '*.password'] })
const has = (role: 'studio' | 'delivery' | 'jobs'): boolean => settings.roles.has(role)

const db = openDatabase(settings.databaseUrl)
const visitors = new Visitors(settings.secret, settings.trustedProxies)
const endings: (() => Promise<void> | void)[] = []
let delivery: Delivery | null = null
let studio: ((request: IncomingMessage, response: ServerResponse) => void) | null = null

if (has('delivery')) {
  const store = new SnapshotStore(db, { dataFolder: settings.dataFolder, port: settings.port, log })
  await store.start()
  delivery = { store, clicks: new ClickLog(settings.dataFolder, log), visitors, log }
  const stopLoader = startClickLoader(
    { databaseUrl: settings.databaseUrl, folder: clickFolder(settings.dataFolder), logLevel: settings.logLevel },
    log,
  )
  const { clicks } = delivery
  endings.push(
    () => store.stop(),
    () => clicks.close(),
    stopLoader,
  )
}
if (has('studio') || has('jobs')) {
  await migrate(db)
  const queue = await openJobQueue(db, has('jobs'), log)
  endings.unshift(() => queue.stop())
  const services = createServices({ db, settings, log, enqueue: queue.enqueue })
  if (has('jobs')) await queue.work(services)
  if (has('studio')) {
    studio = await openStudio({ services, settings, log, visitors, distFolder: path.dirname(fileURLToPath(import.meta.url)) })
  }
}

const server = createServer((request, response) => {
  const host = hostOf(request.headers.host)
  const snapshot = delivery?.store.current ?? null
  const entry = snapshot?.hosts.get(host)
  if (delivery !== null && snapshot !== null && entry !== undefined && !isHealth(request.url))
    return respond(delivery, snapshot, entry, host, request, response)
  if (isHealth(request.url)) return void health(request, response)
  if (studio !== null && settings.studioHosts.includes(host)) return studio(request, response)
  if (delivery !== null && snapshot === null)
    return say(response, 503, 'This site is being set up. Please try again in a moment.', request.method, { 'Retry-After': '5' })
  say(response, 421, 'This name is not answered here.', request.method)
})
// Node takes its own listener off a connection that becomes another protocol: without this one a reset there would end everything.
server.on('connection', (socket) =>
  socket.on('error', (error) => log.debug({ code: (error as NodeJS.ErrnoException).code }, 'a connection broke')),
)
server.on('upgrade', (request, socket, head) => {
  const entry = delivery?.store.current?.hosts.get(hostOf(request.headers.host))
  if (delivery !== null && entry?.kind === 'door') return upgradeDoor(delivery, entry, request, socket, head)
  socket.end('HTTP/1.1 426 Upgrade Required\r\nConnection: close\r\nContent-Length: 0\r\n\r\n')
})
// Slow or idle clients must not hold connections for ever; uploads may take their time.
server.requestTimeout = 15 * 60 * 1000
server.headersTimeout = 30_000

function hostOf(header: string | undefined): string {
  if (header === undefined) return ''
  const port = header.lastIndexOf(':')
  const host = port > header.lastIndexOf(']') ? header.slice(0, port) : header
  return host.toLowerCase().replace(/\.$/, '')
}

function isHealth(url: string | undefined): boolean {
  return url === '/healthz' || url === '/readyz'
}

/** /healthz: the process is alive. /readyz: it can answer; delivery can without the database, the studio cannot. */
async function health(request: IncomingMessage, response: ServerResponse): Promise<void> {
  const reasons: string[] = []
  if (request.url === '/readyz') {
    if (delivery !== null && delivery.store.current === null) reasons.push('no snapshot yet')
    if (delivery !== null && !delivery.clicks.isWell) reasons.push('the click log cannot be written')
    if (studio !== null || has('jobs')) await rows(db, 'SELECT 1').catch(() => reasons.push('the database does not answer'))
  }
  const body = JSON.stringify({ ok: reasons.length === 0, reasons })
  response
    .writeHead(reasons.length === 0 ? 200 : 503, {
      'Content-Type': 'application/json',
      'Cache-Control': 'no-store',
      'X-Request-Id': randomUUID(),
    })
    .end(body)
}

server.on('error', (error: NodeJS.ErrnoException) => {
  const told =
    error.code === 'EADDRINUSE'
      ? `Port ${settings.port} is taken by another program. Stop it, or choose another port: PORT=4400 npm start`
      : error.message
  console.error(told)
  process.exit(1)
})
server.listen(settings.port, '127.0.0.1', () => {
  log.info({ port: settings.port, roles: [...settings.roles] }, 'listening')
  process.send?.('ready')
})

/** Lets running answers finish, writes what is still in memory, then ends. */
let isEnding = false
async function end(signal: string): Promise<void> {
  if (isEnding) return
  isEnding = true
  log.info({ signal }, 'stopping')
  setTimeout(() => process.exit(1), 10_000).unref()
  server.close()
  server.closeIdleConnections()
  for (const step of endings) await step()
  await closeDatabase(db)
  process.exit(0)
}
process.on('SIGTERM', () => void end('SIGTERM'))
process.on('SIGINT', () => void end('SIGINT'))
process.on('disconnect', () => void end('disconnect')) // the starter is gone
