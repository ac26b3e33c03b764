import { get } from 'node:http'
import { connect, type Socket } from 'node:net'
import { LOOK_UP_STEPS_MAX, PATTERNS_BY_ONE_TEXT_MAX, ROWS_AT_ONE_PATH_MAX, ROWS_UNDER_ONE_PATH_MAX } from '../src/core/routing/index.ts'
import { type Ground, onGround } from './delivery.ts'
import { median, type Row, sized } from './measure.ts'
import { change } from './one-change.ts'
import { fillRedirects } from './redirect.ts'
import { fillTable } from './short-link.ts'

const MANY = sized(1_000_000)
const FIRST_MAX_S = 2
const SEEN_MAX_S = 3
const RESTARTS = 3

interface Visit {
  readonly status: number
  readonly to: string | undefined
  readonly ms: number
}
/** @returns null where nobody answers */
function visit(port: number, host: string, path: string): Promise<Visit | null> {
  const startedAt = performance.now()
  return new Promise((resolve) => {
    get({ port, path, headers: { Host: host }, agent: false }, (answer) => {
      answer.resume()
      answer.on('end', () => resolve({ status: answer.statusCode ?? 0, to: answer.headers.location, ms: performance.now() - startedAt }))
    }).on('error', () => resolve(null))
  })
}

/** A process that was killed among a million short links: until the first answer, and until a change is seen. */
export const restart = (): Promise<Row> =>
  onGround(async (ground) => {
    await fillTable(ground, MANY)
    const port = await ground.startDelivery()
    const isThere = async (): Promise<boolean> => (await visit(port, 'sferry.example', '/go/s7'))?.to !== undefined
    while (!(await isThere())) await new Promise((resolve) => setTimeout(resolve, 200))
    const [first, seen]: [number[], number[]] = [[], []]
    for (let i = 0; i < RESTARTS; i++) {
      const startedAt = performance.now()
      ground.killDelivery()
      while (!(await isThere())) await new Promise((resolve) => setTimeout(resolve, 5))
      first.push(performance.now() - startedAt)
      const destination = `https://restarted.example/${i}`
      await change(ground, 's9', destination)
      while ((await visit(port, 'sferry.example', '/go/s9'))?.to !== destination) await new Promise((resolve) => setTimeout(resolve, 5))
      seen.push(performance.now() - startedAt)
    }
    const [answeredS, seenS] = [Math.max(...first) / 1_000, Math.max(...seen) / 1_000]
    return {
      name: 'restart',
      ours: answeredS,
      peer: FIRST_MAX_S,
      unit: 's',
      goal: seenS <= SEEN_MAX_S ? 1 : 0,
      isAtMost: true,
      note: `the slowest of ${RESTARTS}; a change was seen after ${seenS.toFixed(2)} s (at most ${SEEN_MAX_S})`,
    }
  })

const CONNECTIONS = 200
const BURST_MS = 6_000
const MORE_MAX_MS = 50

/** Two hundred connections that ask in one burst and do not read: the 99th percentile of somebody who asks now and then, beside a quiet one. */
export const burst = (): Promise<Row> =>
  onGround(async (ground) => {
    await fillRedirects(ground, 1_000)
    const port = await ground.startDelivery()
    while ((await visit(port, 'site.example', '/old/1.html'))?.to === undefined) await new Promise((resolve) => setTimeout(resolve, 200))
    const quiet = await percentile(port)
    const sockets: Socket[] = []
    const requests = Array.from(
      { length: 700 },
      (_, n) => `GET /${n % 3 === 0 ? 'old' : 'missing'}/${n}.html HTTP/1.1\r\nHost: site.example\r\n\r\n`,
    ).join('')
    for (let i = 0; i < CONNECTIONS; i++) {
      const socket = connect(port, '127.0.0.1')
        .pause()
        .on('error', () => {})
      socket.write(requests)
      sockets.push(socket)
    }
    const busy = await percentile(port)
    for (const socket of sockets) socket.destroy()
    return {
      name: 'burst',
      ours: busy - quiet,
      peer: MORE_MAX_MS,
      unit: 'ms more',
      goal: 1,
      isAtMost: true,
      note: `p99 ${quiet.toFixed(1)} ms alone, ${busy.toFixed(1)} ms meanwhile`,
    }
  })

async function percentile(port: number): Promise<number> {
  const took: number[] = []
  for (const until = performance.now() + BURST_MS; performance.now() < until; ) {
    took.push((await visit(port, 'site.example', '/old/7.html'))?.ms ?? Number.POSITIVE_INFINITY)
    await new Promise((resolve) => setTimeout(resolve, 5))
  }
  return took.sort((a, b) => a - b)[Math.floor(took.length * 0.99)] ?? Number.POSITIVE_INFINITY
}

const TIMES_MAX = 20

/** The worst table that can be saved, asked for the address that costs it most, against the same address and an empty table. */
export async function worstLookUp(): Promise<Row> {
  const path = `/${Array.from({ length: 40 }, () => 'a'.repeat(24)).join('/')}`
  const ours = await onGround((ground) => lookUp(ground, path, true))
  const peer = await onGround((ground) => lookUp(ground, path, false))
  return {
    name: 'worst-look-up',
    ours,
    peer,
    unit: 'ms',
    goal: TIMES_MAX,
    isAtMost: true,
    note: `${LOOK_UP_STEPS_MAX.toLocaleString('en')} steps at most`,
  }
}

async function lookUp(ground: Ground, path: string, isFull: boolean): Promise<number> {
  await fillRedirects(ground, 1)
  if (isFull) {
    const put = (match: string, source: string, times: number): Promise<unknown> =>
      ground.db.pool.query(
        `INSERT INTO redirects (site_id, match, source, key, conditions, destination, status, query, place)
         SELECT id, $1, $2, CASE WHEN $1 IN ('exact', 'under') THEN lower($2) ELSE $2 || '(?:' || n || ')?' END, '{"languages":["xx"]}', 'https://to.example/', 301, 'drop', n
         FROM sites, generate_series(1, $3::int) n WHERE name = 'bench'`,
        [match, source, times],
      )
    await put('exact', path, ROWS_AT_ONE_PATH_MAX)
    const segments = path.split('/').slice(1, 33)
    for (let depth = 1; depth <= segments.length; depth++)
      await put('under', `/${segments.slice(0, depth).join('/')}`, ROWS_UNDER_ONE_PATH_MAX)
    for (const source of ['(.*a){20}b', 'a(a+)+b', '[a-z/]+\\d', 'aaaa(.*)(.*)x', '(\\w+/)*b$'])
      await put('expression', source, PATTERNS_BY_ONE_TEXT_MAX)
  }
  const port = await ground.startDelivery()
  while ((await visit(port, 'site.example', '/old/1.html'))?.to === undefined) await new Promise((resolve) => setTimeout(resolve, 200))
  const took: number[] = []
  for (let n = 0; n < 400; n++) took.push((await visit(port, 'site.example', `${path}?${n}`))?.ms ?? Number.POSITIVE_INFINITY)
  return median(took.slice(100))
}
