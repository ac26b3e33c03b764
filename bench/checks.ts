import { once } from 'node:events'
import { Worker } from 'node:worker_threads'
import pino from 'pino'
import { closeDatabase, openDatabase, rows } from '../src/data/database.ts'
import { Checker } from '../src/jobs/checks.ts'
import { createServices, type Services } from '../src/services/index.ts'
import { onLargeSite } from './large-site.ts'
import { type Row, sized } from './measure.ts'

const SITES = sized(1_000)
const DESTINATIONS = 10 * SITES
const LINKS_A_PAGE = 100
/** Between two requests to a site. */
const PACE_S = 2
const GOAL = 1.25
const LOOK_MS = 200

/** Every site at once, on one port of loopback: robots may come, and each address is a small text. */
const OUTSIDE = `
const { createServer } = require('node:http')
const { parentPort } = require('node:worker_threads')
const server = createServer((request, response) => {
  response.writeHead(request.url === '/robots.txt' ? 404 : 200, { 'Content-Type': 'text/plain', 'Content-Length': '0' }).end()
})
server.listen(0, '127.0.0.1', () => parentPort.postMessage(server.address().port))
`

function* pagesTo(port: number): Generator<{ path: string; html: string }> {
  for (let page = 0; page * LINKS_A_PAGE < DESTINATIONS; page++) {
    const links = Array.from({ length: LINKS_A_PAGE }, (_, i) => page * LINKS_A_PAGE + i)
    yield { path: `/p${page}.html`, html: links.map((n) => `<a href="http://s${n % SITES}.localhost:${port}/${n}.txt">x</a>`).join('\n') }
  }
}

/** 10,000 destinations on 1,000 sites, one request at a time to each: seconds until all were looked at, against the least that the pace allows. */
export async function checks(): Promise<Row> {
  const outside = new Worker(OUTSIDE, { eval: true })
  const [port] = (await once(outside, 'message')) as [number]
  try {
    return await onLargeSite(pagesTo(port), async ({ settings }) => {
      const db = openDatabase(settings.databaseUrl)
      const log = pino({ level: 'error' })
      const services = createServices({ db, settings, log, enqueue: async () => {} })
      await rows(db, `UPDATE sites SET inside_allowed = '{0.0.0.0/0,::/0}'`)
      const [site] = await rows<{ id: string }>(db, 'SELECT id FROM sites')
      await services.checks.follow(site?.id ?? '')
      const checker = new Checker(db, services as unknown as Services, log)
      const startedAt = performance.now()
      const running = checker.run()
      const before = process.memoryUsage().rss
      let most = before
      for (let left = DESTINATIONS; left > 0; ) {
        await new Promise((resolve) => setTimeout(resolve, LOOK_MS))
        most = Math.max(most, process.memoryUsage().rss)
        const [found] = await rows<{ left: number }>(db, 'SELECT count(*)::int AS left FROM destinations WHERE verdict IS NULL')
        left = found?.left ?? 0
      }
      const seconds = (performance.now() - startedAt) / 1_000
      checker.stop()
      await running
      await closeDatabase(db)
      // One for robots.txt and one for each destination of a site: the waits between them.
      const least = (DESTINATIONS / SITES) * PACE_S
      return {
        name: 'checks',
        ours: seconds,
        peer: least,
        unit: 's',
        goal: GOAL,
        isAtMost: true,
        note: `${DESTINATIONS} destinations on ${SITES} sites; memory ${Math.round((most - before) / 1e6)} MB more`,
      }
    })
  } finally {
    await outside.terminate()
  }
}
