import { get } from 'node:http'
import { Changes } from '../src/data/changes.ts'
import { inTransaction, rows } from '../src/data/database.ts'
import { type Ground, onGround } from './delivery.ts'
import { median, type Row } from './measure.ts'
import { fillTable } from './short-link.ts'

const FEW = 1_000
const MANY = 1_000_000
const CHANGES = 30
/** Visitors meanwhile, one every so often; the slowest of them shows the longest pause. */
const VISITOR_MS = 5
const PAUSE_MAX_MS = 50

/** One short link changed among a million: until it is answered, against the same among a thousand; visitors asking all the while. */
export async function oneChange(): Promise<Row> {
  const peer = await onGround((ground) => changesAmong(ground, FEW))
  const ours = await onGround((ground) => changesAmong(ground, MANY))
  return {
    name: 'one-change',
    ours: ours.answeredMs,
    peer: peer.answeredMs,
    unit: 'ms',
    goal: ours.pauseMs <= PAUSE_MAX_MS ? 2 : 0,
    isAtMost: true,
    note: `slowest visitor meanwhile ${ours.pauseMs.toFixed(1)} ms (at most ${PAUSE_MAX_MS})`,
  }
}

async function changesAmong(ground: Ground, links: number): Promise<{ answeredMs: number; pauseMs: number }> {
  await fillTable(ground, links)
  await rows(ground.db, 'SELECT 1')
  const port = await ground.startDelivery()
  const follow = (slug: string): Promise<{ to: string | undefined; ms: number }> => {
    const startedAt = performance.now()
    return new Promise((resolve, reject) => {
      get({ port, path: `/go/${slug}`, headers: { Host: 'sferry.example' } }, (answer) => {
        answer.resume()
        answer.on('end', () => resolve({ to: answer.headers.location, ms: performance.now() - startedAt }))
      }).on('error', reject)
    })
  }
  while ((await follow('s1')).to === undefined) await new Promise((resolve) => setTimeout(resolve, 200))
  const visits: number[] = []
  const visitors = setInterval(
    () => void follow(`s${1 + Math.floor(links ** Math.random())}`).then(({ ms }) => visits.push(ms)),
    VISITOR_MS,
  )
  const answered: number[] = []
  for (let i = 0; i < CHANGES; i++) {
    const slug = `s${1 + ((i * 7919) % links)}`
    const destination = `https://changed.example/${i}`
    const startedAt = performance.now()
    await change(ground, slug, destination)
    while ((await follow(slug)).to !== destination) await new Promise((resolve) => setTimeout(resolve, 1))
    answered.push(performance.now() - startedAt)
  }
  clearInterval(visitors)
  return { answeredMs: median(answered), pauseMs: Math.max(...visits) }
}

/** As the studio writes it. */
async function change({ db }: Ground, slug: string, destination: string): Promise<void> {
  await inTransaction(db, async (transaction) => {
    const [link] = await rows<{ id: string; siteId: string }>(
      db,
      `UPDATE short_links l SET destination = $2, version = l.version + 1 FROM short_link_slugs s
       WHERE s.host_id = (SELECT id FROM hosts WHERE host = 'sferry.example') AND s.slug = $1 AND l.id = s.short_link_id
       RETURNING l.id, l.site_id AS "siteId"`,
      [slug, destination],
      transaction,
    )
    const changes = new Changes()
    changes.add(link?.siteId ?? '', 'short-links', link?.id ?? '', 'changed')
    await changes.write(db, transaction)
  })
}
