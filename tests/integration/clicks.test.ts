import assert from 'node:assert/strict'
import { randomUUID } from 'node:crypto'
import { appendFileSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, writeFileSync } from 'node:fs'
import type { IncomingMessage } from 'node:http'
import { tmpdir } from 'node:os'
import path from 'node:path'
import { before, test } from 'node:test'
import { setTimeout as wait } from 'node:timers/promises'
import pino from 'pino'
import { rows } from '../../src/data/database.ts'
import { ClickLog, clickFolder } from '../../src/delivery/click-log.ts'
import { Visitors } from '../../src/delivery/visitor.ts'
import { loadClickLogs, SET_ASIDE } from '../../src/jobs/clicks.ts'
import { smallDisk } from './small-disk.ts'
import { makeWorld, must, type World } from './world.ts'

const log = pino({ level: 'silent' })
const NOW = Date.UTC(2026, 4, 3, 23, 59, 59, 7)
const AGENT = 'Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 Chrome/126.0 Safari/537.36'

let world: World
before(async () => {
  world = await makeWorld()
})

const asked = (headers: Record<string, string> = {}, remoteAddress = '10.1.2.3'): IncomingMessage =>
  ({ method: 'GET', headers: { 'user-agent': AGENT, ...headers }, socket: { remoteAddress } }) as unknown as IncomingMessage
const folder = (): string => mkdtempSync(path.join(tmpdir(), 'map-rope-clicks-'))
const counted = async (id: string): Promise<number> =>
  (await rows<{ n: number }>(world.db, 'SELECT count(*)::int AS n FROM clicks WHERE short_link_id = $1', [id]))[0]?.n ?? 0
const rolledUp = async (id: string): Promise<number> =>
  (await rows<{ n: number }>(world.db, 'SELECT coalesce(sum(clicks), 0)::int AS n FROM click_rollups WHERE short_link_id = $1', [id]))[0]
    ?.n ?? 0
/** A segment of a process that is gone. */
const DEAD = '1700000000000-4194999-000001.log'

test('a click is in the log before its answer ends, and those that come together are written together', async () => {
  const data = folder()
  const clicks = new ClickLog(data, log)
  const id = randomUUID()
  const seen: number[] = []
  const lines = (): number =>
    readdirSync(path.join(clickFolder(data), clicks.node)).reduce(
      (sum, file) => sum + readFileSync(path.join(clickFolder(data), clicks.node, file), 'utf8').split('\n').length - 1,
      0,
    )
  const visitors = new Visitors(world.folder, new Set())
  await Promise.all(
    Array.from(
      { length: 20 },
      () =>
        new Promise<void>((resolve) =>
          clicks.append(visitors.clickLine(asked(), { id, variant: null }, NOW), () => {
            seen.push(lines())
            resolve()
          }),
        ),
    ),
  )
  assert.deepEqual(
    seen,
    Array.from({ length: 20 }, () => 20),
  )
  clicks.close()
  assert.equal(await loadClickLogs(world.db, clickFolder(data), log), 20)
  assert.deepEqual([await counted(id), await rolledUp(id)], [20, 20])
})

test('loading again, or twice at once, doubles nothing; what is added later is loaded then', async () => {
  const data = folder()
  const clicks = new ClickLog(data, log)
  const id = randomUUID()
  const visitors = new Visitors(world.folder, new Set())
  const click = () => new Promise<void>((resolve) => clicks.append(visitors.clickLine(asked(), { id, variant: null }, NOW), resolve))
  await click()
  await Promise.all(Array.from({ length: 5 }, () => loadClickLogs(world.db, clickFolder(data), log)))
  assert.equal(await counted(id), 1)
  await click()
  await loadClickLogs(world.db, clickFolder(data), log)
  await loadClickLogs(world.db, clickFolder(data), log)
  assert.deepEqual([await counted(id), await rolledUp(id)], [2, 2])
  clicks.close()
})

test('half a line at the end was never answered: it is left, and nothing else with it', async () => {
  const id = randomUUID()
  const data = folder()
  const node = path.join(clickFolder(data), randomUUID())
  mkdirSync(node, { recursive: true })
  const line = new Visitors(world.folder, new Set()).clickLine(asked(), { id, variant: null }, NOW)
  writeFileSync(path.join(node, DEAD), `${line}\n${line}\n${line.slice(0, 30)}`)
  assert.equal(await loadClickLogs(world.db, clickFolder(data), log), 2)
  assert.equal(await counted(id), 2)
  assert.deepEqual(readdirSync(node), [], 'a loaded segment of a process that is gone goes')
})

test('a half line in the middle, left by a full disk, is passed over', async () => {
  const id = randomUUID()
  const data = folder()
  const node = path.join(clickFolder(data), randomUUID())
  mkdirSync(node, { recursive: true })
  const line = new Visitors(world.folder, new Set()).clickLine(asked(), { id, variant: null }, NOW)
  writeFileSync(path.join(node, DEAD), `${line}\n${line.slice(0, 41)}`)
  appendFileSync(path.join(node, DEAD), `\n${line}\n`)
  await loadClickLogs(world.db, clickFolder(data), log)
  assert.equal(await counted(id), 2)
})

test('a load that breaks off leaves no trace and is made up for by the next', async () => {
  const id = randomUUID()
  const data = folder()
  const node = path.join(clickFolder(data), randomUUID())
  mkdirSync(node, { recursive: true })
  const visitors = new Visitors(world.folder, new Set())
  writeFileSync(
    path.join(node, DEAD),
    `${visitors.clickLine(asked(), { id, variant: null }, NOW)}\n${visitors.clickLine(asked(), { id, variant: null }, NOW)}\n`,
  )
  await rows(world.db, 'ALTER TABLE click_loads ADD CONSTRAINT broken CHECK (loaded_bytes < 0) NOT VALID')
  await assert.rejects(loadClickLogs(world.db, clickFolder(data), log))
  assert.deepEqual([await counted(id), await rolledUp(id)], [0, 0])
  await rows(world.db, 'ALTER TABLE click_loads DROP CONSTRAINT broken')
  await loadClickLogs(world.db, clickFolder(data), log)
  assert.deepEqual([await counted(id), await rolledUp(id)], [2, 2])
})

test('while the disk takes nothing clicks are held and answered, and written once it does', async () => {
  const data = folder()
  const clicks = new ClickLog(data, log)
  const id = randomUUID()
  const line = new Visitors(world.folder, new Set()).clickLine(asked(), { id, variant: null }, NOW)
  const place = path.join(clickFolder(data), clicks.node)
  const { rmSync } = await import('node:fs')
  rmSync(place, { recursive: true })
  await new Promise<void>((resolve) => clicks.append(line, resolve))
  assert.equal(clicks.isWell, false)
  mkdirSync(place)
  await new Promise<void>((resolve) => clicks.append(line, resolve))
  await untilWell(clicks)
  clicks.close()
  await loadClickLogs(world.db, clickFolder(data), log)
  assert.equal(await counted(id), 2)
})

async function untilWell(clicks: ClickLog): Promise<void> {
  for (let tries = 0; tries < 50 && !clicks.isWell; tries++) await wait(100)
  assert.equal(clicks.isWell, true)
}

test('a disk that is full in the middle of a stretch holds what it took, once; what it did not take is written when there is room', async (context) => {
  const data = folder()
  mkdirSync(clickFolder(data))
  const disk = smallDisk(clickFolder(data), 64)
  if (disk === null) return context.skip('only root may make a small disk')
  const clicks = new ClickLog(data, log)
  const turns: boolean[] = []
  clicks.onTurn = (isWell) => turns.push(isWell)
  const id = randomUUID()
  const visitors = new Visitors(world.folder, new Set())
  let answered = 0
  const clickMany = (count: number): Promise<unknown> =>
    Promise.all(
      Array.from(
        { length: count },
        (_, i) =>
          new Promise<void>((resolve) =>
            clicks.append(visitors.clickLine(asked({}, `10.0.0.${i}`), { id, variant: null }, NOW), () => {
              answered++
              resolve()
            }),
          ),
      ),
    )
  await clickMany(10)
  disk.fill(0)
  // The page of memory that is begun takes some of these, and half a line.
  for (let round = 0; round < 5; round++) await clickMany(40)
  assert.deepEqual([answered, clicks.isWell, turns], [210, false, [false]])
  assert.equal(await loadClickLogs(world.db, clickFolder(data), log), 210 - clicks.held)
  disk.empty()
  await untilWell(clicks)
  await clickMany(5)
  clicks.close()
  await loadClickLogs(world.db, clickFolder(data), log)
  assert.deepEqual([await counted(id), await rolledUp(id), clicks.held, turns], [215, 215, 0, [false, true]])
  disk.close()
})

test('no network address is kept, and a visitor is somebody else the next day', () => {
  const visitors = new Visitors(world.folder, new Set())
  const id = randomUUID()
  const visitor = (at: number, address?: string): string | undefined =>
    visitors.clickLine(asked({}, address), { id, variant: null }, at).split('\t')[3]
  assert.doesNotMatch(visitors.clickLine(asked(), { id, variant: null }, NOW), /10\.1\.2\.3/)
  assert.equal(visitor(NOW), visitor(NOW - 60_000))
  assert.notEqual(visitor(NOW), visitor(NOW + 60_000))
  assert.notEqual(visitor(NOW), visitor(NOW, '10.1.2.4'))
})

test('what a proxy says of the address counts only when the proxy is trusted', () => {
  const behind = asked({ 'x-forwarded-for': '203.0.113.7, 10.0.0.2' }, '10.0.0.1')
  assert.equal(new Visitors(world.folder, new Set()).addressOf(behind), '10.0.0.1')
  assert.equal(new Visitors(world.folder, new Set(['10.0.0.1', '10.0.0.2'])).addressOf(behind), '203.0.113.7')
})

test('whatever a visitor sends, the line stays one line of the log’s form', async () => {
  const data = folder()
  const clicks = new ClickLog(data, log)
  const id = randomUUID()
  const visitors = new Visitors(world.folder, new Set())
  const odd = [
    'https://a.example\\t/',
    'https://x\\N/',
    'javascript:x',
    'https://müll.example/',
    `https://${'a'.repeat(300)}/`,
    'https://ok.example/a\tb',
  ]
  for (const referer of odd)
    await new Promise<void>((resolve) =>
      clicks.append(visitors.clickLine(asked({ referer, 'accept-language': 'zz\\N,\t' }), { id, variant: null }, NOW), resolve),
    )
  clicks.close()
  await loadClickLogs(world.db, clickFolder(data), log)
  assert.equal(await counted(id), odd.length)
})

test('lines that the database does not take are set aside and counted, and everything else of the segment is loaded', async () => {
  const [data, id, site] = [folder(), randomUUID(), world.owner.siteId]
  const visitor = 'a'.repeat(16)
  const click = (at: string, referrer = '\\N'): string => `${at}\t${id}\tperson\t${visitor}\tphone\ten\t${referrer}\t\\N`
  const good = Array.from({ length: 300 }, (_, n) => click(`2026-05-03T10:00:${String(n % 60).padStart(2, '0')}.000Z`))
  const poison = [
    click('2026-05-03T25:61:00.000Z'),
    `missed\t2026-02-31T10:00:00.000Z\t${site}\tsite.localhost\t/gone\tperson\t\t${visitor}`,
    `missed\t2026-05-03T10:00:00.000Z\t${'f'.repeat(36)}\tsite.localhost\t/gone\tperson\t\t${visitor}`,
    `seen\t2026-05-03T99:00:00.000Z\t${site}\tsite.localhost\tview\t/index.html\t\t0\tperson\t${visitor}`,
  ]
  const half = [
    click('2026-99-99T10:00:00.000Z'),
    `seen\t2026-05-03T10:00:00.000Z\t${site}\tsite.localhost\tlink\t/index.html\thttps://x.example/\0\t0\tperson\t${visitor}`,
  ]
  const place = path.join(clickFolder(data), 'poisoned')
  mkdirSync(place, { recursive: true })
  const lines = [...good.slice(0, 100), ...poison, ...half, ...good.slice(100)]
  writeFileSync(path.join(place, DEAD), `${lines.join('\n')}\n`)
  await loadClickLogs(world.db, clickFolder(data), log)
  assert.deepEqual([await counted(id), await rolledUp(id)], [300, 300])
  assert.deepEqual(readFileSync(path.join(place, SET_ASIDE), 'utf8').trimEnd().split('\n').sort(), [...poison].sort())
  assert.deepEqual(readdirSync(place), [SET_ASIDE], 'the segment is done with')
  const [told] = await rows<{ lines: number }>(world.db, `SELECT lines::int FROM set_aside_lines WHERE node = 'poisoned'`)
  assert.equal(told?.lines, poison.length)
  assert.equal(must(await world.services.desk.look(world.owner)).setAside, poison.length)
  await loadClickLogs(world.db, clickFolder(data), log)
  assert.equal(await counted(id), 300)
})
