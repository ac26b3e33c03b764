import assert from 'node:assert/strict'
import { before, beforeEach, test } from 'node:test'
import { rows } from '../../src/data/database.ts'
import type { Actor } from '../../src/services/index.ts'
import { bringIn, makeWorld, must, pageAt, type World, zipOf } from './world.ts'

let world: World
let page = ''
before(async () => {
  world = await makeWorld()
  await bringIn(world, zipOf({ 'a.html': '<title>A</title>', 'b.html': '<title>B</title>' }))
  page = await pageAt(world, '/a.html')
})
beforeEach(() => rows(world.db, 'DELETE FROM presence'))
const TABS = { one: crypto.randomUUID(), two: crypto.randomUUID(), three: crypto.randomUUID() }
const sign = async (actor: Actor, tab: keyof typeof TABS, on = page, isLeaving = false) =>
  must(await world.services.pages.presence(actor, on, { tab: TABS[tab], isLeaving }))

test('whoever has a page open is told who else has: once each, their own other tabs as their own', async () => {
  const { owner, editor } = world
  assert.deepEqual((await sign(owner, 'one')).others, [])
  await sign(owner, 'two')
  assert.deepEqual((await sign(editor, 'three')).others, [{ name: 'owner', isMe: false }])
  assert.deepEqual((await sign(owner, 'one')).others, [
    { name: 'editor', isMe: false },
    { name: 'owner', isMe: true },
  ])
})

test('somebody on another page, and somebody who has left it, is not there', async () => {
  const { owner, editor } = world
  await sign(owner, 'one', await pageAt(world, '/b.html'))
  assert.deepEqual((await sign(editor, 'two')).others, [])
  await sign(owner, 'one')
  assert.equal((await sign(editor, 'two')).others.length, 1)
  await sign(owner, 'one', page, true)
  assert.deepEqual((await sign(editor, 'two')).others, [])
})

test('a tab that died without leaving is gone after a while, and its row after a while more', async () => {
  const { owner, editor } = world
  await sign(owner, 'one')
  await rows(world.db, `UPDATE presence SET seen_at = now() - interval '26 seconds'`)
  assert.deepEqual((await sign(editor, 'two')).others, [])
  assert.equal((await sign(owner, 'one')).others.length, 1, 'and is there again when it wakes')
  assert.equal((await sign(editor, 'two')).others.length, 1)
  await rows(world.db, `UPDATE presence SET seen_at = now() - interval '2 minutes' WHERE tab = $1`, [TABS.one])
  await sign(editor, 'two')
  assert.deepEqual(await rows(world.db, 'SELECT tab FROM presence'), [{ tab: TABS.two }])
})

test('the answer says how far the page is, so that a tab learns of somebody else’s save', async () => {
  const { owner, editor } = world
  const before = (await sign(owner, 'one')).version ?? 0
  must(await world.services.pages.change(editor, page, { version: before, patchSets: [[{ from: 0, to: 0, insert: ' ' }]] }))
  assert.equal((await sign(owner, 'one')).version, before + 1)
})

test('a page of another site is nobody’s to look at', async () => {
  const other = await makeWorld()
  const answer = await other.services.pages.presence(other.owner, page, { tab: TABS.one, isLeaving: false })
  assert.equal(answer.ok ? 'shown' : answer.fault, 'not-found')
  assert.deepEqual(await rows(world.db, 'SELECT tab FROM presence'), [])
})
