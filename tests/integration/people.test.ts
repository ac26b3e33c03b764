import assert from 'node:assert/strict'
import { before, test } from 'node:test'
import { rows } from '../../src/data/database.ts'
import { makeWorld, must, PASSWORD, type World } from './world.ts'

let world: World
before(async () => {
  world = await makeWorld()
})

test('a session begins with the right password, lasts until it is ended, and is kept only as a hash', async () => {
  const { people } = world.services
  const { token, actor } = must(await people.signIn('Editor@Site.example', PASSWORD, '10.0.0.1'))
  assert.equal(actor.role, 'editor')
  assert.equal((await people.resume(token))?.email, 'editor@site.example')
  const [stored] = await rows<{ token_hash: string }>(world.db, 'SELECT token_hash FROM sessions')
  assert.ok(stored !== undefined && !stored.token_hash.includes(token))
  const [person] = await rows<{ password_hash: string }>(world.db, 'SELECT password_hash FROM people LIMIT 1')
  assert.match(person?.password_hash ?? '', /^\$argon2id\$/)
  await people.signOut(token)
  assert.equal(await people.resume(token), null)
})

test('an old session has ended', async () => {
  const { token } = must(await world.services.people.signIn('owner@site.example', PASSWORD, '10.0.0.1'))
  await rows(world.db, `UPDATE sessions SET expires_at = now() - interval '1 second'`)
  assert.equal(await world.services.people.resume(token), null)
})

test('a wrong password many times closes the door for a while, for that account from that place', async () => {
  const { people } = world.services
  for (let i = 0; i < 8; i++) {
    const wrong = await people.signIn('owner@site.example', 'guess', '10.0.0.9')
    assert.equal(wrong.ok ? '' : wrong.fault, 'wrong-password')
  }
  const closed = await people.signIn('owner@site.example', PASSWORD, '10.0.0.9')
  assert.equal(closed.ok ? '' : closed.fault, 'too-many-tries')
  assert.ok(!closed.ok && Number(closed.detail.retryAfterSeconds) > 60)
  assert.equal((await people.signIn('owner@site.example', PASSWORD, '10.0.0.10')).ok, true)
})

test('a password that is tried from everywhere is tried slowly, and whoever knows it comes in', async () => {
  const { people } = world.services
  const { known } = must(await people.signIn('editor@site.example', PASSWORD, '10.0.1.1'))
  const guess = (n: number) => people.signIn('editor@site.example', 'guess', `10.1.0.${n}`)
  for (let n = 0; n < 30; n++) assert.equal((await guess(n)).ok, false)
  const startedAt = performance.now()
  const crowd = Promise.all(Array.from({ length: 40 }, (_, n) => guess(100 + n)))
  const own = await people.signIn('editor@site.example', PASSWORD, '10.0.1.2', known)
  assert.ok(own.ok && performance.now() - startedAt < 900, 'a browser that signed in before waits for nobody')
  const said = (await crowd).map((each) => (each.ok ? '' : each.fault))
  assert.ok(performance.now() - startedAt > 4_500, 'one after the other, with a pause')
  assert.deepEqual(
    [said.filter((each) => each === 'wrong-password').length, said.filter((each) => each === 'too-many-tries').length],
    [5, 35],
  )
  assert.ok((await people.signIn('editor@site.example', PASSWORD, '10.0.1.3')).ok, 'and from a new browser after a pause')
  const forged = await people.signIn('owner@site.example', 'guess', '10.0.1.4', known)
  assert.equal(forged.ok ? '' : forged.fault, 'wrong-password')
})

test('a token does what its scopes say, no more than its person may, until it is revoked', async () => {
  const { tokens, rules } = world.services
  const { token, id } = must(await tokens.make(world.editor, { name: 'reader', scopes: ['rules:read'] }))
  const actor = await tokens.bearer(token)
  assert.ok(actor)
  assert.equal((await rules.list(actor)).ok, true)
  assert.equal((await rules.save(actor, { version: 0, rules: [] })).ok, false)
  assert.equal((await tokens.make(actor, { name: 'more', scopes: ['rules:edit'] })).ok, false)
  assert.equal((await tokens.make(world.contributor, { name: 'more', scopes: ['*'] })).ok, false)
  must(await tokens.revoke(world.editor, id))
  assert.equal(await tokens.bearer(token), null)
  assert.equal(await tokens.bearer('mr_guess'), null)
})
