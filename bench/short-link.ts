import { type Ground, onGround } from './delivery.ts'
import { byTurns, type Row, sized } from './measure.ts'

const LINKS = sized(1_000_000)
const ROUNDS = 7
const CONNECTIONS = 32
const AGENT = 'Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/126.0 Safari/537.36'
const REQUESTS = `wrk.headers["Host"] = "sferry.example"
wrk.headers["User-Agent"] = "${AGENT}"
wrk.headers["Accept-Language"] = "en-GB,en;q=0.9"
request = function() return wrk.format("GET", "/go/s" .. math.floor(${LINKS} ^ math.random())) end
`

/** Answering a short link, 1,000,000 in the store, asked for as traffic is (Zipf, s = 1), every click logged, against a server that always answers 302. */
export const shortLink = (): Promise<Row> =>
  onGround(async (ground) => {
    await fillTable(ground)
    const [ours, peer] = [await ground.startDelivery(), await ground.start('bench/bare-server.mjs')]
    const load = (port: number) => (): number => ground.load(port, CONNECTIONS, REQUESTS)
    return { name: 'short-link', ...(await byTurns(ROUNDS, load(ours), load(peer))), unit: 'answers/s', goal: 0.9 }
  })

/** A site with so many short links: "s1", "s2" … on sferry.example. */
export async function fillTable({ db }: Ground, links = LINKS): Promise<void> {
  await db.pool.query(`
    WITH site AS (INSERT INTO sites (name) VALUES ('bench') RETURNING id),
      host AS (INSERT INTO hosts (site_id, host, kind, prefix) SELECT id, 'sferry.example', 'short', 'go' FROM site RETURNING id, site_id),
      links AS (INSERT INTO short_links (site_id, host_id, slug, destination, title, status)
        SELECT site_id, id, 's' || n, 'https://gannet-line.example/page/' || n || '?p=4471', n::text, 302 FROM host, generate_series(1, ${links}) n RETURNING id, host_id, title),
      counter AS (INSERT INTO change_counters (site_id) SELECT id FROM site)
    INSERT INTO short_link_slugs (host_id, slug, short_link_id) SELECT host_id, 's' || title, id FROM links`)
}
