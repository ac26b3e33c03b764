import assert from 'node:assert/strict'
import { test } from 'node:test'
import { AnsweredOnce } from '../../src/studio/once.ts'

test('answers are remembered up to what they hold together, the newest first', async () => {
  const once = new AnsweredOnce()
  let carriedOut = 0
  const ask = (name: string) =>
    once.answer('somebody', name, async () => {
      carriedOut++
      return Response.json('x'.repeat(150_000))
    })
  const many = 100 // fifteen million signs, more than is kept
  for (let n = 0; n < many; n++) await ask(`n${n}`)
  assert.equal(carriedOut, many)
  assert.equal((await (await ask(`n${many - 1}`)).json()).length, 150_000)
  assert.equal(carriedOut, many, 'the newest is answered as it was')
  await ask('n0')
  assert.equal(carriedOut, many + 1, 'the oldest has made room')
})

test('a repeat gets the answer to the first, also while that is under way; somebody else does not, and what broke down is done again', async () => {
  const once = new AnsweredOnce()
  let carriedOut = 0
  const work = async (): Promise<Response> => {
    const turn = ++carriedOut
    await new Promise((resolve) => setTimeout(resolve, 5))
    return Response.json({ turn }, { status: turn === 3 ? 500 : 201 })
  }
  const said = async (who: string, name: string) => ((await (await once.answer(who, name, work)).json()) as { turn: number }).turn
  assert.deepEqual(await Promise.all([said('a', 'x'), said('a', 'x')]), [1, 1])
  assert.equal(await said('a', 'x'), 1)
  assert.equal(await said('b', 'x'), 2)
  assert.equal(await said('a', 'y'), 3)
  assert.equal(await said('a', 'y'), 4)
})
