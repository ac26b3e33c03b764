import { execFileSync } from 'node:child_process'
import { randomUUID } from 'node:crypto'
import { mkdirSync, rmSync, writeFileSync } from 'node:fs'
import path from 'node:path'
import pino from 'pino'
import { CLICK_COLUMNS, writeClick } from '../src/core/clicks/index.ts'
import { rows } from '../src/data/database.ts'
import { insertPerson } from '../src/data/people.ts'
import { insert } from '../src/data/plain.ts'
import { hosts } from '../src/data/tables/index.ts'
import { loadClickLogs } from '../src/jobs/clicks.ts'
import { type Actor, createServices } from '../src/services/index.ts'
import { actorFor } from '../src/services/people/index.ts'
import { readSettings } from '../src/settings/index.ts'
import { type Ground, onGround } from './delivery.ts'
import { byTurns, median, type Row, sized } from './measure.ts'
import { fillTable } from './short-link.ts'

const log = pino({ level: 'error' })
const LINES = sized(600_000)
const LINKS = 1_000
const ROUNDS = 3
/** A segment of a process that is gone, so that it is taken away once it is loaded. */
const segmentOf = (round: number): string => `17000000000${String(round).padStart(2, '0')}-4194999-000001.log`

/** A day of clicks as delivery writes them, on some links more than on others. */
function lines(): string[] {
  const ids = Array.from({ length: LINKS }, () => randomUUID())
  return Array.from({ length: LINES }, (_, n) => {
    const id = ids[Math.floor(LINKS ** ((n * 0.618) % 1)) - 1] ?? ids[0]
    const at = new Date(Date.UTC(2026, 4, 3) + n * 140).toISOString()
    return writeClick({
      at,
      shortLinkId: id ?? '',
      visit: n % 12 === 0 ? 'bot' : 'person',
      visitor: n.toString(16).padStart(16, '0'),
      device: n % 2 === 0 ? 'phone' : 'computer',
      language: 'en',
      referrer: n % 3 === 0 ? null : `site${n % 40}.example`,
      variant: null,
    })
  })
}

/** A click log moved into the database with all its roll-ups, against psql's COPY of the same rows. */
export const clickLog = (): Promise<Row> =>
  onGround(async ({ db, folder, databaseUrl }) => {
    const text = `${lines().join('\n')}\n`
    const logs = path.join(folder, 'logs')
    const file = path.join(folder, 'rows.txt')
    writeFileSync(file, text)
    await db.pool.query('CREATE TABLE peer (LIKE clicks)')
    let round = 0
    const ours = async (): Promise<number> => {
      mkdirSync(path.join(logs, 'node'), { recursive: true })
      writeFileSync(path.join(logs, 'node', segmentOf(round++)), text)
      const startedAt = performance.now()
      const loaded = await loadClickLogs(db, logs, log)
      if (loaded !== LINES) throw new Error(`${loaded} of ${LINES} clicks were loaded`)
      return LINES / ((performance.now() - startedAt) / 1_000)
    }
    const peer = (): number => {
      const startedAt = performance.now()
      execFileSync('psql', [databaseUrl, '-qc', `\\copy peer (${CLICK_COLUMNS.join(', ')}) from '${file}'`])
      return LINES / ((performance.now() - startedAt) / 1_000)
    }
    const found = await byTurns(ROUNDS, ours, peer)
    rmSync(logs, { recursive: true })
    return { name: 'click-log', ...found, unit: 'rows/s', goal: 0.5 }
  })

async function atTheDesk(ground: Ground): Promise<{ services: ReturnType<typeof createServices>; owner: Actor }> {
  const { db, folder, databaseUrl } = ground
  const settings = readSettings({
    MAPROPE_DATABASE_URL: databaseUrl,
    MAPROPE_DATA: folder,
    MAPROPE_SECRET: 'only for the benchmark',
    PORT: '4999',
  })
  const [site] = await rows<{ id: string }>(db, `SELECT id FROM sites WHERE name = 'bench'`)
  const person = await insertPerson(db, {
    siteId: site?.id ?? '',
    email: 'o@bench.example',
    name: 'O',
    role: 'owner',
    passwordHash: '',
  })
  if (person === null) throw new Error('the site has an owner already')
  await insert(db, hosts, { siteId: site?.id ?? '', host: 'bench.example', kind: 'site', isMain: true })
  return { services: createServices({ db, settings, log, enqueue: async () => {} }), owner: actorFor(person) }
}

const VIEWS = 40
const DAYS = 365

/** The view of one link with a million clicks in a year, against one with ten thousand. */
export const linkView = (): Promise<Row> =>
  onGround(async (ground) => {
    await fillTable(ground, 2)
    const { services, owner } = await atTheDesk(ground)
    const idOf = async (slug: string): Promise<string> =>
      (await rows<{ id: string }>(ground.db, 'SELECT id FROM short_links WHERE slug = $1', [slug]))[0]?.id ?? ''
    const [many, few] = [await idOf('s1'), await idOf('s2')]
    for (const [id, clicks] of [
      [many, sized(1_000_000)],
      [few, sized(10_000)],
    ] as const) {
      const hour = `date_trunc('hour', now()) - make_interval(hours => n % ${DAYS * 24})`
      const source = `SELECT $1::uuid AS id, n, ${hour} AS at FROM generate_series(1, ${clicks}) n`
      await rows(
        ground.db,
        `INSERT INTO click_hours (short_link_id, hour, visit, clicks) SELECT id, at, 'person', count(*) FROM (${source}) s GROUP BY id, at`,
        [id],
      )
      await rows(
        ground.db,
        `INSERT INTO click_rollups (short_link_id, day, visit, clicks) SELECT id, at::date, 'person', count(*) FROM (${source}) s GROUP BY id, at::date`,
        [id],
      )
      await rows(
        ground.db,
        `INSERT INTO click_sources (short_link_id, day, kind, value, clicks) SELECT id, at::date, 'referrer', 'site' || n % 40, count(*) FROM (${source}) s GROUP BY id, at::date, n % 40`,
        [id],
      )
    }
    await ground.db.pool.query('ANALYZE')
    const look = async (id: string): Promise<number> => {
      const startedAt = performance.now()
      const found = await services.shortLinkResults.look(owner, id, { days: DAYS })
      if (!found.ok) throw new Error(found.fault)
      return performance.now() - startedAt
    }
    const times: { ours: number[]; peer: number[] } = { ours: [], peer: [] }
    for (let i = 0; i < VIEWS; i++) {
      times.ours.push(await look(many))
      times.peer.push(await look(few))
    }
    return { name: 'link-view', ours: median(times.ours.slice(5)), peer: median(times.peer.slice(5)), unit: 'ms', goal: 3, isAtMost: true }
  })

const SLUGS = sized(1_000_000)
const LOOKS = 60
const LOOK_MS = 10

/** A slug with its reasons and neighbours among a million slugs, against the time it may take. */
export const slugLook = (): Promise<Row> =>
  onGround(async (ground) => {
    await fillTable(ground, SLUGS)
    await ground.db.pool.query('ANALYZE')
    const { services, owner } = await atTheDesk(ground)
    const times: number[] = []
    for (let i = 0; i < LOOKS; i++) {
      const startedAt = performance.now()
      const found = await services.shortLinkSlugs.look(owner, { slug: i % 2 === 0 ? `s${i * 16_001}` : `northern-harbour-walk-${i}` })
      if (!found.ok) throw new Error(found.fault)
      times.push(performance.now() - startedAt)
    }
    return { name: 'slug-look', ours: median(times.slice(10)), peer: LOOK_MS, unit: 'ms', goal: 1, isAtMost: true }
  })
