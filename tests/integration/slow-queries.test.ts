import assert from 'node:assert/strict'
import { test } from 'node:test'
import { closeDatabase, openDatabase, rows } from '../../src/data/database.ts'
import { slowQueries } from '../../src/data/slow-queries.ts'
import { guarded } from '../../src/pages/api/v1/_answer.ts'
import { makeWorld } from './world.ts'

const world = await makeWorld()

test('a query that takes longer than people are answered in is given up, and the answer says so', async () => {
  const db = openDatabase(world.db.url, { answersWithinMs: 200 })
  try {
    const said: unknown[] = []
    const locals = {
      log: { warn: (...all: unknown[]) => said.push(all), error: () => assert.fail('it is no error of ours') },
      requestId: 'r',
    }
    const answer = await guarded({ locals } as never, async () => {
      await rows(db, 'SELECT pg_sleep(5)')
      return new Response('')
    })
    assert.equal(answer.status, 503)
    assert.equal(((await answer.json()) as { fault: string }).fault, 'database-slow')
    assert.equal(said.length, 1)
    assert.deepEqual(await rows(db, 'SELECT 1 AS one'), [{ one: 1 }], 'the connection goes on')
  } finally {
    await closeDatabase(db)
  }
})

test('queries that take over a second are counted by the function that asked', async () => {
  async function dawdle(seconds: number): Promise<void> {
    await rows(world.db, 'SELECT pg_sleep($1::float)', [seconds])
  }
  await dawdle(0.1)
  assert.equal(
    slowQueries().find(({ name }) => name === 'dawdle'),
    undefined,
  )
  await dawdle(1.1)
  const told = slowQueries().find(({ name }) => name === 'dawdle')
  assert.equal(told?.times, 1)
  assert.ok((told?.worstMs ?? 0) >= 1_000)
})
