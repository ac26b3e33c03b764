import assert from 'node:assert/strict'
import { before, test } from 'node:test'
import pg from 'pg'
import { type Change, Changes, changesAfter, logEnds, pruneChanges } from '../../src/data/changes.ts'
import { inTransaction, openDatabase, rows } from '../../src/data/database.ts'
import { makeWorld, type World } from './world.ts'

let world: World
let siteId = ''
before(async () => {
  world = await makeWorld()
  siteId = world.owner.siteId
})

const end = async (): Promise<number> => (await logEnds(world.db, siteId))[0]?.number ?? 0

/** One write of some changes, which takes a while before and after its numbers are taken. */
async function writeSome(keys: readonly string[], waitMs: number): Promise<void> {
  await inTransaction(world.db, async (transaction) => {
    const changes = new Changes()
    changes.add(siteId, 'short-links', keys, 'made')
    await new Promise((resolve) => setTimeout(resolve, waitMs))
    await changes.write(world.db, transaction)
    await new Promise((resolve) => setTimeout(resolve, waitMs % 5)) // its numbers are taken, and not yet to be seen
  })
}

/** Reads on from a number, as a reader does that looks again and again, until it has seen so many. */
async function readOn(after: number, wanted: number): Promise<Change[]> {
  const seen: Change[] = []
  const endsAt = Date.now() + 30_000
  while (seen.length < wanted && Date.now() < endsAt) {
    const found = await changesAfter(world.db, { siteId, after: seen[seen.length - 1]?.number ?? after, limit: 7 })
    if (found === null) throw new Error('it was to start anew')
    seen.push(...found)
  }
  return seen
}

test('with many writers at once no reader ever skips or repeats a change, wherever it begins', async () => {
  const from = await end()
  const writes = Array.from({ length: 60 }, (_, i) => ({
    keys: Array.from({ length: (i % 4) + 1 }, (_, k) => `w${i}-${k}`),
    waitMs: (i * 7) % 23,
  }))
  const wanted = writes.flatMap(({ keys }) => keys)
  const readers = [0, 1, 2].map(() => readOn(from, wanted.length))
  await Promise.all(writes.map(({ keys, waitMs }) => writeSome(keys, waitMs)))
  for (const seen of await Promise.all(readers)) {
    assert.deepEqual(
      seen.map(({ number }) => number),
      wanted.map((_, i) => from + 1 + i),
    )
    assert.deepEqual(seen.map(({ key }) => key).sort(), [...wanted].sort())
  }
  // One that was away reads on from where it was.
  const middle = from + Math.floor(wanted.length / 2)
  assert.equal((await readOn(middle, wanted.length + from - middle))[0]?.number, middle + 1)
})

test('a write that is taken back, or breaks off, leaves neither changes nor a gap', async () => {
  const from = await end()
  await assert.rejects(
    inTransaction(world.db, async (transaction) => {
      const changes = new Changes()
      changes.add(siteId, 'rules', '9', 'changed')
      await changes.write(world.db, transaction)
      throw new Error('refused')
    }),
  )
  const broken = openDatabase(world.db.url)
  const begun = inTransaction(broken, async (transaction) => {
    const changes = new Changes()
    changes.add(siteId, 'rules', '10', 'changed')
    await changes.write(broken, transaction)
    await rows(
      world.db,
      `SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE state = 'idle in transaction' AND pid <> pg_backend_pid()`,
    )
    await rows(broken, 'SELECT 1', [], transaction)
  })
  await assert.rejects(begun)
  await broken.sequelize.close().catch(() => {})
  await broken.pool.end().catch(() => {})
  await writeSome(['after'], 0)
  assert.deepEqual(
    (await readOn(from, 1)).map(({ number, key }) => [number, key]),
    [[from + 1, 'after']],
  )
})

test('what is announced is the site and its number, and nothing of what changed', async () => {
  const client = new pg.Client({ connectionString: world.db.url })
  await client.connect()
  await client.query('LISTEN maprope_changes')
  const heard = new Promise<string>((resolve) => client.on('notification', ({ payload }) => resolve(payload ?? '')))
  await writeSome(['secret-slug'], 0)
  assert.equal(await heard, `${siteId} ${await end()}`)
  await client.end()
})

test('a reader that finds the log pruned behind it is told to start anew, and one that has seen it all is not', async () => {
  const from = await end()
  await writeSome(['a', 'b', 'c'], 0)
  await rows(world.db, `UPDATE changes SET at = now() - interval '10 days' WHERE number <= $1`, [from + 2])
  await pruneChanges(world.db, 72)
  assert.equal(await changesAfter(world.db, { siteId, after: from + 1, limit: 10 }), null)
  assert.deepEqual(
    (await changesAfter(world.db, { siteId, after: from + 2, limit: 10 }))?.map(({ key }) => key),
    ['c'],
  )
  await rows(world.db, `UPDATE changes SET at = now() - interval '10 days'`)
  await pruneChanges(world.db, 72)
  assert.deepEqual(await changesAfter(world.db, { siteId, after: from + 3, limit: 10 }), [])
  assert.equal(await changesAfter(world.db, { siteId, after: from, limit: 10 }), null)
})
