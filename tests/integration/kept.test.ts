import assert from 'node:assert/strict'
import { test } from 'node:test'
import { loggable, rows } from '../../src/data/database.ts'
import { dropExpiredSessions } from '../../src/data/sessions.ts'
import { makeWorld, must, PASSWORD } from './world.ts'

test('a fault of the database is logged without the query’s values', async () => {
  const { db } = await makeWorld()
  const secret = 'gannet-account-4471'
  for (const query of [
    'SELECT $1::uuid',
    'SELECT $1::int',
    "INSERT INTO sites (name, time_zone) SELECT $1, 'UTC' WHERE 1/length($1) = 1 OR 1/0 = 1",
  ]) {
    const error: unknown = await rows(db, query, [secret]).then(
      () => assert.fail('it was carried out'),
      (caught: unknown) => caught,
    )
    const line = JSON.stringify(loggable(error))
    assert.ok(!line.includes(secret), line)
    assert.match(line, /"code":"22/)
  }
})

test('sessions that are over are taken away, and the others stay', async () => {
  const { db, services, owner } = await makeWorld()
  const [gone, stays] = [
    must(await services.people.signIn(owner.email, PASSWORD, 'a')),
    must(await services.people.signIn(owner.email, PASSWORD, 'b')),
  ]
  await rows(
    db,
    `UPDATE sessions SET expires_at = now() - interval '1 minute' WHERE id = (SELECT id FROM sessions ORDER BY created_at LIMIT 1)`,
  )
  assert.equal(await dropExpiredSessions(db), 1)
  assert.equal(await services.people.resume(gone.token), null)
  assert.notEqual(await services.people.resume(stays.token), null)
})
