import { type Ground, onGround } from './delivery.ts'
import { byTurns, type Row } from './measure.ts'
import { benchPages } from './pages.ts'

const ROUNDS = 7
const CONNECTIONS = 16
const PAGE_BYTES = 30_000
const REQUESTS = 'wrk.headers["Host"] = "door.example"\n'

/** Pages of 30 kB through the front door, rules applied, against a plain pass-through proxy of the same runtime. */
export const frontDoor = (): Promise<Row> =>
  onGround(async (ground) => {
    const page = benchPages(200, 11).reduce((best, each) =>
      Math.abs(each.length - PAGE_BYTES) < Math.abs(best.length - PAGE_BYTES) ? each : best,
    )
    const behind = await ground.start('bench/page-server.mjs', { BENCH_PAGE: Buffer.from(page).toString('base64') })
    const proxy = await ground.start('bench/bare-proxy.mjs', { BEHIND_PORT: String(behind) })
    await setUp(ground, behind)
    const door = await ground.startDelivery()
    const load = (port: number) => (): number => ground.load(port, CONNECTIONS, REQUESTS)
    return {
      name: 'front-door',
      ...(await byTurns(ROUNDS, load(door), load(proxy))),
      unit: 'pages/s',
      goal: 0.6,
      note: `a page of ${page.length} bytes with ${page.split('<a ').length - 1} links, other bytes each time, the same tags`,
    }
  })

async function setUp({ db }: Ground, behindPort: number): Promise<void> {
  const rules = [
    {
      id: '1',
      name: 'paid',
      isOn: true,
      isBinding: false,
      when: { is: 'site', of: ['gannet-line.example'] },
      what: { hints: ['sponsored', 'nofollow'] },
    },
    { id: '2', name: 'outside', isOn: true, isBinding: false, when: { is: 'kind', of: ['outside'] }, what: { opens: 'new tab' } },
  ]
  await db.pool.query(
    `WITH site AS (INSERT INTO sites (name, inside_allowed) VALUES ('bench', '{0.0.0.0/0,::/0}') RETURNING id),
       list AS (INSERT INTO rules (site_id, version, list) SELECT id, 1, $2::jsonb FROM site)
     INSERT INTO hosts (site_id, host, kind, origin) SELECT id, 'door.example', 'door', $1 FROM site`,
    [`http://127.0.0.1:${behindPort}`, JSON.stringify(rules)],
  )
}
