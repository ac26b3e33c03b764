import { once } from 'node:events'
import { createServer, type IncomingMessage, type RequestListener, type Server } from 'node:http'
import { after, before, beforeEach } from 'node:test'
import pino from 'pino'
import { rows } from '../../src/data/database.ts'
import { upgradeDoor } from '../../src/delivery/front-door/index.ts'
import { respond } from '../../src/delivery/respond.ts'
import { hostOf, openEdge } from '../../src/edge/index.ts'
import { type Asked, ask, portOf } from './asking.ts'
import { type Delivering, deliver } from './delivering.ts'
import { makeWorld, must, type World } from './world.ts'

const log = pino({ level: 'silent' })
export interface Answer {
  readonly status: number
  readonly headers: IncomingMessage['headers']
  readonly body: Buffer
}

/** A front door before a site that answers as each test likes. */
export interface TestDoor {
  world: World
  delivering: Delivering
  server: Server
  /** The site behind. */
  origin: Server
  doorId: string
  /** Answers for the site behind. */
  behind: RequestListener
  /** What the site behind was asked in this test. */
  seen: IncomingMessage[]
}

/**
 * Sets a door up for a file of tests, with one rule: outside links are nofollow.
 * @param timeoutMs - how long the site behind may take to begin
 */
export function aDoor(timeoutMs: number): TestDoor {
  const door = {} as TestDoor
  before(async () => {
    const world = await makeWorld()
    door.world = world
    door.origin = createServer((request, response) => {
      door.seen.push(request)
      door.behind(request, response)
    }).listen(0, '127.0.0.1')
    await once(door.origin, 'listening')
    await rows(world.db, `UPDATE sites SET inside_allowed = '{0.0.0.0/0,::/0}'`)
    const made = must(
      await world.services.frontDoors.make(world.owner, {
        host: 'door.localhost',
        origin: `http://origin.localhost:${portOf(door.origin)}`,
      }),
    )
    door.doorId = made.id
    await saveRule(door, 0)
    door.delivering = await deliver(world, { doorTimeoutMs: timeoutMs })
    const { delivery } = door.delivering
    door.server = openEdge({
      log,
      answer(request, response) {
        if (!respond(delivery, hostOf(request.headers.host), request, response)) response.writeHead(421).end()
      },
      onUpgrade(request, socket, head) {
        const entry = delivery.store.host(hostOf(request.headers.host))
        if (entry !== null) upgradeDoor(delivery, entry, hostOf(request.headers.host), request, socket, head)
      },
    }).listen(0, '127.0.0.1')
    await once(door.server, 'listening')
  })
  beforeEach(() => {
    door.seen = []
  })
  after(async () => {
    door.server.close()
    door.origin.close()
    door.origin.closeAllConnections()
    await door.delivering.stop()
  })
  return door
}

export async function saveRule({ world }: TestDoor, version: number, hint: 'nofollow' | 'ugc' = 'nofollow'): Promise<void> {
  must(
    await world.services.rules.save(world.owner, {
      version,
      rules: [{ id: 'o', name: 'o', isOn: true, isBinding: false, when: { is: 'kind', of: ['outside'] }, what: { hints: [hint] } }],
    }),
  )
}

/** Asks the door, on a connection of its own. */
export async function get({ server }: TestDoor, path: string, { headers, ...more }: Asked = {}): Promise<Answer> {
  const {
    status,
    headers: got,
    bytes,
  } = await ask(portOf(server), path, { host: `door.localhost:${portOf(server)}`, ...more, ...(headers === undefined ? {} : { headers }) })
  return { status, headers: got, body: bytes }
}

/** A site that answers with one page. */
export const page =
  (body: string | Buffer, headers: Record<string, string> = {}, status = 200): RequestListener =>
  (_request, response) =>
    void response.writeHead(status, { 'Content-Type': 'text/html', ...headers }).end(body)

export const LINK = '<a href="https://tides.example/">x</a>'
export const MARKED = '<a href="https://tides.example/" rel="nofollow">x</a>'
