import { randomUUID } from 'node:crypto'
import type { ServerResponse } from 'node:http'
import path from 'node:path'
import type { Duplex } from 'node:stream'
import { fileURLToPath } from 'node:url'
import { closeApart } from '../apart/index.ts'
import { closeDatabase, isThere, migrate, openDatabase, poolState } from '../data/database.ts'
import { countJobs } from '../data/jobs.ts'
import { openLog } from '../data/log.ts'
import { slowQueries } from '../data/slow-queries.ts'
import { ClickLog, clickFolder } from '../delivery/click-log.ts'
import { DeliveredPages } from '../delivery/delivered-pages.ts'
import type { Delivery } from '../delivery/delivery.ts'
import { cameThroughDoor, upgradeDoor } from '../delivery/front-door/index.ts'
import { respond, respondQuickly } from '../delivery/respond.ts'
import { say, sayNotYet } from '../delivery/say.ts'
import { DeliveryStore, StorePlaces } from '../delivery/store/index.ts'
import { startFollower } from '../delivery/store/thread.ts'
import { Visitors } from '../delivery/visitor.ts'
import { drain, type EdgeRequest, hostOf, Metrics, mayRead, openEdge } from '../edge/index.ts'
import { clickLogBytes } from '../jobs/clicks.ts'
import { openJobQueue, startChecker, startClickLoader } from '../jobs/index.ts'
import { createServices, ServiceThreads } from '../services/index.ts'
import { readSettings } from '../settings/index.ts'
import { openStudio } from '../studio/index.ts'
import { passToStudio } from '../studio/passing.ts'
import { askStudio, listenForStudio, metricsOfStudio, ownSocket } from '../studio/socket.ts'
import { tell } from '../words/index.ts'

process.umask(0o077) // what is kept on disk is this user's alone
const settings = readSettings(process.env)
const log = openLog(settings.logLevel)
const has = (role: 'studio' | 'delivery' | 'jobs'): boolean => settings.roles.has(role)
/** The studio in a process of its own is reached through its socket alone; the port is another process's. */
const ownsPort = settings.studioAt === null || !has('studio') || has('delivery')

const db = openDatabase(settings.databaseUrl)
/** People are answered by this one: what takes longer is told to have taken too long. What nobody waits for has all its time. */
const ANSWERS_WITHIN_MS = 10_000
const answering = openDatabase(settings.databaseUrl, { answersWithinMs: ANSWERS_WITHIN_MS })
/** The first thread starts once this process answers. */
const THREAD_AFTER_MS = 300
const visitors = new Visitors(settings.dataFolder, settings.trustedProxies)
const endings: (() => Promise<void> | void)[] = []
/** Of this process; null where nobody reads them, and then nothing is counted. */
const metrics = settings.metricsToken === null ? null : new Metrics(has('delivery') ? 'delivery' : 'studio')
let delivery: Delivery | null = null

if (has('delivery')) {
  const follower = startFollower(settings, log)
  const store = new DeliveryStore(new StorePlaces(settings.dataFolder), { port: settings.port, log, onDamage: follower.onDamage })
  follower.onBuilt(() => store.look())
  if (!store.isOpen) await follower.firstBuilt
  delivery = { store, pages: new DeliveredPages(store, log), clicks: new ClickLog(settings.dataFolder, log), visitors, log }
  const { clicks } = delivery
  const { databaseUrl, logLevel } = settings
  const loader = startClickLoader({ databaseUrl, folder: clickFolder(settings.dataFolder), node: clicks.node, logLevel }, log)
  clicks.onTurn = loader.tell
  metrics?.gauge(
    'log_lag_changes',
    'Changes that the store of delivery is behind the log',
    async () => (await follower.lag()) ?? Number.NaN,
  )
  metrics?.gauge('click_log_bytes', 'Bytes of click logs that are not in the database yet, or lie in a segment that is written to', () =>
    clickLogBytes(clickFolder(settings.dataFolder)),
  )
  metrics?.gauge('clicks_held', 'Clicks held in memory because the disk takes none', () => clicks.held)
  endings.push(
    follower.stop,
    () => store.close(),
    () => clicks.close(),
    () => loader.stop(),
  )
}
const studioSocket = settings.studioAt ?? (has('studio') ? ownSocket(settings.dataFolder) : null)
if (has('studio') || has('jobs')) {
  await migrate(db)
  const queue = await openJobQueue(db, has('jobs'), log, settings)
  endings.unshift(() => queue.stop())
  const threads = new ServiceThreads(settings)
  setTimeout(() => threads.start(), THREAD_AFTER_MS).unref()
  endings.push(() => threads.close())
  const services = threads.carry(createServices({ db: answering, settings, log, enqueue: queue.enqueue }))
  if (has('jobs')) {
    await queue.work(threads.carry(createServices({ db, settings, log, enqueue: queue.enqueue })))
    endings.unshift(startChecker(settings, log))
  }
  metrics?.gauge('database_connections_used', 'Connections for queries in use', () => poolState(answering).used)
  metrics?.gauge('database_connections_waited_for', 'Queries that wait for a connection', () => poolState(answering).waiting)
  metrics?.gauges('slow_queries', 'Queries that took over a second, by the function that asked', 'name', async () =>
    slowQueries().map(({ name, times }) => [name, times]),
  )
  metrics?.gauges('slow_queries_worst_seconds', 'The longest of them', 'name', async () =>
    slowQueries().map(({ name, worstMs }) => [name, worstMs / 1_000]),
  )
  metrics?.gauges('jobs', 'Jobs by state, those that are over for 30 days', 'state', async () =>
    (await countJobs(db)).map(({ state, jobs }) => [state, jobs]),
  )
  if (has('studio') && studioSocket !== null) {
    const answer = await openStudio({ services, settings, log, distFolder: path.dirname(fileURLToPath(import.meta.url)) })
    const timed: typeof answer = (request, response) => {
      metrics?.time('studio', response, performance.now())
      answer(request, response)
    }
    endings.unshift(await listenForStudio(studioSocket, timed, databaseReasons, metrics))
  }
}
const studio = studioSocket === null ? null : passToStudio(studioSocket, { visitors, log })

if (ownsPort) {
  /** Connections that became another protocol. */
  const tunnels = new Set<Duplex>()
  const server = openEdge({
    log,
    quick(request, send) {
      if (delivery === null || isHealth(request.url) || request.url === '/metrics') return false
      if (metrics === null) return respondQuickly(delivery, hostOf(request.headers.host), request, send)
      const cameAt = performance.now()
      return respondQuickly(delivery, hostOf(request.headers.host), request, (answer) => {
        send(answer)
        metrics.took('delivery', answer.status, cameAt)
      })
    },
    answer(request, response) {
      const cameAt = metrics === null ? 0 : performance.now()
      const host = hostOf(request.headers.host)
      if (isHealth(request.url)) return void health(request, response)
      if (request.url === '/metrics' && metrics !== null) return void tellMetrics(metrics, request, response)
      if (delivery !== null && respond(delivery, host, request, response)) return metrics?.time('delivery', response, cameAt)
      if (studio !== null && settings.studioHosts.includes(host))
        return cameThroughDoor(request) ? say(response, 508, tell('answer.studio-elsewhere'), request.method) : studio(request, response)
      if (delivery?.store.isOpen === false) return sayNotYet(response, request.method)
      say(response, 421, tell('answer.name-unknown'), request.method)
    },
    onUpgrade(request, socket, head) {
      tunnels.add(socket)
      socket.once('close', () => tunnels.delete(socket))
      const host = hostOf(request.headers.host)
      const entry = delivery?.store.host(host)
      if (delivery !== null && entry?.kind === 'door') return upgradeDoor(delivery, entry, host, request, socket, head)
      socket.end('HTTP/1.1 426 Upgrade Required\r\nConnection: close\r\nContent-Length: 0\r\n\r\n')
    },
  })
  server.on('error', (error: NodeJS.ErrnoException) => {
    const told =
      error.code === 'EADDRINUSE'
        ? `Port ${settings.port} is taken by another program. Stop it, or choose another port: PORT=4400 npm start`
        : error.message
    console.error(told)
    process.exit(1)
  })
  server.listen(settings.port, settings.listen, () => {
    log.info({ port: settings.port, roles: [...settings.roles] }, 'listening')
    process.send?.('ready')
  })
  endings.unshift(() => drain(server, tunnels))
} else process.send?.('ready')

function isHealth(url: string | undefined): boolean {
  return url === '/healthz' || url === '/readyz'
}

async function databaseReasons(): Promise<string[]> {
  return isThere(db).then(
    () => [],
    () => ['the database does not answer'],
  )
}

/**
 * /healthz: the process is alive. /readyz: it can answer; delivery can without the database, and without the studio when
 * that is a process of its own: how that one is stands beside it.
 */
async function health(request: EdgeRequest, response: ServerResponse): Promise<void> {
  const reasons: string[] = []
  let apart: string | null = null
  if (request.url === '/readyz') {
    if (delivery !== null && !delivery.store.isWhole) reasons.push('not all to deliver from yet')
    if (delivery !== null && !delivery.clicks.isWell) reasons.push('the click log cannot be written')
    if (has('studio') || has('jobs')) reasons.push(...(await databaseReasons()))
    else if (settings.studioAt !== null) apart = await askStudio(settings.studioAt)
  }
  const body = JSON.stringify({ ok: reasons.length === 0, reasons, ...(apart === null ? {} : { studio: apart }) })
  response
    .writeHead(reasons.length === 0 ? 200 : 503, {
      'Content-Type': 'application/json',
      'Cache-Control': 'no-store',
      'X-Request-Id': randomUUID(),
    })
    .end(body)
}

/** Those of this process, and of the studio where that is another one. */
async function tellMetrics(own: Metrics, request: EdgeRequest, response: ServerResponse): Promise<void> {
  if (settings.metricsToken === null || !mayRead(request.headers.authorization, settings.metricsToken))
    return void response.writeHead(401, { 'WWW-Authenticate': 'Bearer', 'Content-Length': '0' }).end()
  const apart = settings.studioAt === null || has('studio') ? '' : await metricsOfStudio(settings.studioAt)
  response.writeHead(200, { 'Content-Type': 'text/plain; version=0.0.4; charset=utf-8', 'Cache-Control': 'no-store' })
  response.end((await own.text()) + apart)
}

/** Whoever is still being answered then is cut off. Whatever is cut off in the middle of writing is put right at the next start. */
const STOP_MAX_MS = 20_000

/** Lets running answers finish, writes what is still in memory, then ends. */
let isEnding = false
async function end(signal: string): Promise<void> {
  if (isEnding) return
  isEnding = true
  log.info({ signal }, 'stopping')
  // Not process.exit: it would wait for threads, and one that is in the middle of a write to the store never ends.
  setTimeout(() => process.kill(process.pid, 'SIGKILL'), STOP_MAX_MS).unref()
  for (const step of endings) await step()
  await closeApart()
  await Promise.all([closeDatabase(db), closeDatabase(answering)])
  process.exit(0)
}
process.on('SIGTERM', () => void end('SIGTERM'))
process.on('SIGINT', () => void end('SIGINT'))
process.on('disconnect', () => void end('disconnect')) // the starter is gone
