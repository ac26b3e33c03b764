import assert from 'node:assert/strict'
import { test } from 'node:test'
import { onBeingRead, onceRead } from '../../../src/ui/being-read.ts'
import { Refusal } from '../../../src/ui/refusal.ts'

const being = (done: number): Refusal => new Refusal('links-being-read', 'wait', { done })
/** Lets what waits on promises go on. */
const settle = async (): Promise<void> => {
  for (let i = 0; i < 10; i++) await Promise.resolve()
}

test('whoever asks while links are read first asks again until they are there, and it is told how far that is', async (t) => {
  t.mock.timers.enable({ apis: ['setTimeout'] })
  const told: (number | null)[] = []
  t.after(onBeingRead((done) => told.push(done)))
  const answers = [being(0), being(48_000), 'found']
  const asked = onceRead(async () => {
    const answer = answers.shift()
    if (answer instanceof Refusal) throw answer
    return answer
  }, undefined)
  for (let i = 0; i < 2; i++) {
    await settle()
    t.mock.timers.tick(2_000)
  }
  assert.equal(await asked, 'found')
  assert.deepEqual(told, [0, 48_000, null])
})

test('another refusal is told at once, and who goes away asks no more', async () => {
  await assert.rejects(
    onceRead(() => Promise.reject(new Refusal('forbidden', 'no')), undefined),
    /no/,
  )
  const gone = new AbortController()
  let times = 0
  const asked = onceRead(() => {
    times++
    return Promise.reject(being(1))
  }, gone.signal)
  await settle()
  gone.abort()
  await assert.rejects(asked)
  assert.equal(times, 1)
})
