import assert from 'node:assert/strict'
import { chmodSync, mkdtempSync, rmSync } from 'node:fs'
import { get } from 'node:http'
import { tmpdir } from 'node:os'
import path from 'node:path'
import { after, before, test } from 'node:test'
import { startPostgres } from '../../bin/postgres.mjs'
import { openDatabase, rows } from '../../src/data/database.ts'
import { type Copy, startCopy } from './copy.ts'
import { type SmallDisk, smallDisk } from './small-disk.ts'

let copy: Copy
let url: string
let folder: string
/** One of its own: what ends a process of PostgreSQL by force ends all connections of the cluster. */
let cluster: { readonly url: string; stop(): void }
before(async () => {
  folder = mkdtempSync(path.join(tmpdir(), 'map-rope-killed-'))
  chmodSync(folder, 0o755)
  cluster = await startPostgres(path.join(folder, 'data'), { forTests: true })
  url = cluster.url
  copy = await startCopy({ databaseUrl: url })
})
after(async () => {
  await copy.stop()
  cluster.stop()
  rmSync(folder, { recursive: true, force: true })
})

const KILLS = 8
const ROWS = 2_500

const follow = (slug: string): Promise<{ status: number; location: string | undefined }> =>
  new Promise((resolve, reject) => {
    get({ port: copy.port, path: `/go/${slug}`, headers: { Host: 'sferry.localhost' } }, (answer) => {
      answer.resume()
      answer.on('end', () => resolve({ status: answer.statusCode ?? 0, location: answer.headers.location }))
    }).on('error', reject)
  })
async function bringIn(round: number): Promise<void> {
  const lines = Array.from({ length: ROWS }, (_, i) => `https://shop.example/${round}/${i},k${round}-${i}`)
  // Half of the list before it is led elsewhere.
  if (round > 0) lines.push(...Array.from({ length: ROWS / 2 }, (_, i) => `https://shop.example/again/${round}/${i},k${round - 1}-${i}`))
  const answer = await fetch(`http://127.0.0.1:${copy.port}/api/v1/short-links/bulk`, {
    method: 'POST',
    headers: { authorization: `Bearer ${copy.token}`, 'content-type': 'text/csv' },
    body: `destination,slug\n${lines.join('\n')}\n`,
  })
  assert.equal(answer.status, 202)
}

/** Visitors of a redirect, all the while: how many were answered, and how many were asking when nobody could. */
function visit(): { answered: number; unsure: number; stop: () => Promise<void> } {
  const told = { answered: 0, unsure: 0, stop: async () => {} }
  let isOver = false
  const one = (): Promise<void> =>
    new Promise((resolve) => {
      const headers = { Host: 'slow-ferry.localhost', 'User-Agent': 'Mozilla/5.0 (X11; Linux x86_64) Firefox/140.0' }
      const sent = get({ port: copy.port, path: '/asked/again', headers, agent: false }, (answer) => {
        answer.resume()
        answer.on('end', () => {
          if (answer.statusCode === 301) told.answered++
          resolve()
        })
        answer.on('error', () => resolve())
      })
      // It may have been counted and not have been answered any more; one that was refused at the door was neither.
      sent.on('error', (error: NodeJS.ErrnoException) => {
        if (error.code !== 'ECONNREFUSED') told.unsure++
        setTimeout(resolve, 20)
      })
    })
  const visitors = Array.from({ length: 4 }, async () => {
    while (!isOver) await one()
  })
  told.stop = async () => {
    isOver = true
    await Promise.all(visitors)
  }
  return told
}

/** Ends a process of PostgreSQL by force: all others end with it, and it begins anew from its log. */
async function killDatabase(db: ReturnType<typeof openDatabase>): Promise<void> {
  const [backend] = await again(() =>
    rows<{ pid: number }>(db, 'SELECT pid FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid() LIMIT 1'),
  )
  if (backend !== undefined) process.kill(backend.pid, 'SIGKILL')
}

/** Asks until the database is there again. */
async function again<T>(ask: () => Promise<T>): Promise<T> {
  for (const endsAt = Date.now() + 20_000; ; ) {
    try {
      return await ask()
    } catch (error) {
      if (Date.now() > endsAt) throw error
      await new Promise((resolve) => setTimeout(resolve, 100))
    }
  }
}

/** What delivery says of itself, and what the Desk tells people. */
async function standing(): Promise<{ ready: number; troubles: number }> {
  const headers = { authorization: `Bearer ${copy.token}` }
  const ready = await fetch(`http://127.0.0.1:${copy.port}/readyz`)
  const desk = await fetch(`http://127.0.0.1:${copy.port}/api/v1/desk`, { headers })
  const { troubles = [] } = desk.ok ? ((await desk.json()) as { troubles: unknown[] }) : {}
  return { ready: ready.status, troubles: troubles.length }
}

/** Makes the disk full for a while, and room again: answers go on, it is told, and all is written before anything else happens. */
async function fillFor(disk: SmallDisk): Promise<void> {
  disk.fill(0)
  await again(async () => assert.deepEqual(await standing(), { ready: 503, troubles: 1 }))
  assert.equal((await follow('smock')).status, 302)
  disk.empty()
  await again(async () => assert.deepEqual(await standing(), { ready: 200, troubles: 0 }))
}

test('ended by force at any moment of bulk work, eight times, and the disk full meanwhile, delivery answers exactly what the database says, and every answer is counted once', async (context) => {
  const db = openDatabase(url)
  await copy.kill(copy.server)
  const disk = smallDisk(path.join(copy.folder, 'clicks'), 8 * 1024)
  if (disk === null) context.diagnostic('without a full disk: only root may make a small one')
  copy.server = await copy.start()
  const made = await fetch(`http://127.0.0.1:${copy.port}/api/v1/redirects`, {
    method: 'POST',
    headers: { authorization: `Bearer ${copy.token}`, 'content-type': 'application/json' },
    body: JSON.stringify({ from: '/asked/again', to: '/about.html' }),
  })
  const { id: redirect } = (await made.json()) as { id: string }
  const visitors = visit()
  for (let round = 0; round < KILLS; round++) {
    await bringIn(round)
    await untilBegun(db, round)
    await new Promise((resolve) => setTimeout(resolve, (round * 97) % 500))
    if (disk !== null && round % 8 === 2) await fillFor(disk)
    if (round % 4 === 3) await killDatabase(db)
    await copy.kill(copy.server)
    // What was at work is not waited for: the next list begins at once.
    await again(() => rows(db, `UPDATE jobs SET state = 'failed' WHERE state IN ('running', 'waiting')`))
    copy.server = await copy.start()
    const { status } = await follow('smock')
    assert.equal(status, 302, `round ${round}: it answers again as soon as it is there`)
  }
  await visitors.stop()
  const counted = async (): Promise<{ clicks: number; rolled: number }> => {
    const [found] = await rows<{ clicks: number; rolled: number }>(
      db,
      `SELECT (SELECT count(*)::int FROM clicks WHERE short_link_id = $1) AS clicks,
         (SELECT coalesce(sum(clicks), 0)::int FROM click_rollups WHERE short_link_id = $1) AS rolled`,
      [redirect],
    )
    return found ?? { clicks: 0, rolled: 0 }
  }
  for (const endsAt = Date.now() + 15_000; Date.now() < endsAt && (await counted()).clicks < visitors.answered; )
    await new Promise((resolve) => setTimeout(resolve, 200))
  const { clicks, rolled } = await counted()
  assert.ok(visitors.answered > 500, `only ${visitors.answered} visitors were answered`)
  assert.ok(
    clicks >= visitors.answered && clicks <= visitors.answered + visitors.unsure,
    `${visitors.answered} answered, ${visitors.unsure} unsure, ${clicks} counted`,
  )
  assert.equal(rolled, clicks)
  const there = await rows<{ slug: string; destination: string }>(
    db,
    `SELECT slug, destination FROM short_links WHERE slug ~ '^k[0-9]+-[0-9]+$' ORDER BY md5(slug) LIMIT 1500`,
  )
  assert.ok(there.length > 1_000, `only ${there.length} came in: the bulk work was hardly begun`)
  await untilFollowed(there)
  const wrong: string[] = []
  for (const { slug, destination } of there) if ((await follow(slug)).location !== destination) wrong.push(slug)
  assert.deepEqual(wrong, [])
  const absent = await rows<{ slug: string }>(
    db,
    `SELECT 'k' || r || '-' || i AS slug FROM generate_series(0, ${KILLS - 1}) r, generate_series(0, ${ROWS - 1}, 37) i
     EXCEPT SELECT slug FROM short_links ORDER BY 1 LIMIT 300`,
  )
  for (const { slug } of absent) assert.equal((await follow(slug)).status, 404, `${slug} is not in the database`)
  await db.sequelize.close()
  await db.pool.end()
  disk?.close()
})

/** The first rows of the list are there. */
async function untilBegun(db: ReturnType<typeof openDatabase>, round: number): Promise<void> {
  for (const endsAt = Date.now() + 15_000; Date.now() < endsAt; ) {
    if ((await rows(db, 'SELECT 1 AS there FROM short_links WHERE slug = $1', [`k${round}-0`])).length > 0) return
    await new Promise((resolve) => setTimeout(resolve, 20))
  }
  assert.fail(`the list of round ${round} was not begun`)
}

/** The last changes may still be on their way. */
async function untilFollowed(there: readonly { slug: string; destination: string }[]): Promise<void> {
  for (const endsAt = Date.now() + 10_000; Date.now() < endsAt; ) {
    const answers = await Promise.all(there.slice(0, 50).map(({ slug }) => follow(slug)))
    if (answers.every(({ location }, i) => location === there[i]?.destination)) return
    await new Promise((resolve) => setTimeout(resolve, 100))
  }
}
