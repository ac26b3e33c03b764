import assert from 'node:assert/strict'
import { get } from 'node:http'
import { after, before, test } from 'node:test'
import { openDatabase, rows } from '../../src/data/database.ts'
import { type Copy, startCopy } from './copy.ts'
import { emptyDatabase } from './world.ts'

let copy: Copy
let url: string
before(async () => {
  url = await emptyDatabase()
  copy = await startCopy({ databaseUrl: url })
})
after(() => copy.stop())

const KILLS = 20
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

test('ended by force at any moment of bulk work, twenty times, delivery answers exactly what the database says', async () => {
  const db = openDatabase(url)
  for (let round = 0; round < KILLS; round++) {
    await bringIn(round)
    await untilBegun(db, round)
    await new Promise((resolve) => setTimeout(resolve, (round * 97) % 500))
    await copy.kill(copy.server)
    // What was at work is not waited for: the next list begins at once.
    await rows(db, `UPDATE jobs SET state = 'failed' WHERE state IN ('running', 'waiting')`)
    copy.server = await copy.start()
    const { status } = await follow('smock')
    assert.equal(status, 302, `round ${round}: it answers again as soon as it is there`)
  }
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
