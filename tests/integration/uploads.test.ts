import assert from 'node:assert/strict'
import { before, test } from 'node:test'
import { ok, type Result } from '../../src/core/result.ts'
import { rows } from '../../src/data/database.ts'
import { openUpload } from '../../src/data/uploads.ts'
import { bodyOf, takeUpload } from '../../src/pages/api/v1/_form.ts'
import { type Coming, withUpload } from '../../src/services/uploads.ts'
import { makeWorld, must, type World } from './world.ts'

const MB = 1024 * 1024
const NO_LIMIT = { maxBytes: 100 * MB }

let world: World
before(async () => {
  world = await makeWorld()
})

const keep = (
  coming: Coming,
  { who = world.editor, ...limits }: { who?: World['editor']; maxBytes?: number; quota?: { siteBytes: number; personBytes: number } } = {},
): Promise<Result<string>> => withUpload(world.db, who, coming, { ...NO_LIMIT, ...limits }, async (id) => ok(id))
const kept = () => rows(world.db, 'SELECT id, part FROM uploads')

/** Bytes that are the same in every run, and nowhere alike. */
const bytesOf = (length: number): Buffer =>
  Buffer.from(Uint32Array.from({ length: Math.ceil(length / 4) }, (_, i) => Math.imul(i + 1, 2_654_435_761)).buffer).subarray(0, length)

async function* inPieces(bytes: Buffer, size: number): AsyncGenerator<Buffer> {
  for (let at = 0; at < bytes.length; at += size) yield bytes.subarray(at, at + size)
}

test('what comes in pieces of any size can be read at any place of it', async () => {
  const bytes = bytesOf(9 * MB + 13)
  for (const size of [65_537, 5 * MB, bytes.length]) {
    const upload = await openUpload(world.db, must(await keep(inPieces(bytes, size))))
    assert.equal(upload?.bytes, bytes.length)
    for (const [from, to] of [
      [0, bytes.length],
      [0, 4],
      [4 * MB - 3, 4 * MB + 3],
      [4 * MB, 8 * MB],
      [3 * MB, 9 * MB],
      [bytes.length - 20, bytes.length],
    ] as const)
      assert.ok((await upload?.read(from, to))?.equals(bytes.subarray(from, to)), `${from} to ${to}, sent by ${size}`)
  }
  await rows(world.db, 'DELETE FROM uploads')
})

test('of what is too large, breaks off, or leads to nothing, nothing is kept', async () => {
  const refusal = async (done: Promise<Result<string>>): Promise<string> => {
    const result = await done
    return result.ok ? '' : result.fault
  }
  assert.equal(await refusal(keep(inPieces(bytesOf(9 * MB), MB), { maxBytes: 6 * MB })), 'upload-too-large')
  assert.equal(await refusal(keep(new Uint8Array(0))), 'upload-missing')
  assert.equal(
    await refusal(
      withUpload(world.db, world.editor, bytesOf(5 * MB), NO_LIMIT, async () => ({ ok: false, fault: 'forbidden', detail: {} })),
    ),
    'forbidden',
  )
  const brokenOff = (async function* () {
    yield bytesOf(5 * MB)
    throw new Error('the line was cut')
  })()
  await assert.rejects(keep(brokenOff), /the line was cut/)
  assert.deepEqual(await kept(), [])
})

/** A body that comes in pieces, and breaks off where an error stands. */
const bodyIn = (pieces: readonly (Uint8Array | Error)[], taken: { pieces: number } = { pieces: 0 }): ReadableStream<Uint8Array> =>
  new ReadableStream(
    {
      pull(controller) {
        const piece = pieces[taken.pieces++]
        if (piece === undefined) controller.close()
        else if (piece instanceof Error) controller.error(piece)
        else controller.enqueue(piece)
      },
    },
    { highWaterMark: 0 },
  )
const asked = (body: ReadableStream<Uint8Array>, type: string): Request =>
  new Request('http://site.localhost/', { method: 'POST', headers: { 'content-type': type }, body, duplex: 'half' } as RequestInit)

test('of a form that breaks off within its file nothing is kept, and nobody waits for the rest of it', async () => {
  const head = Buffer.from('--b\r\ncontent-disposition: form-data; name="file"; filename="a.zip"\r\n\r\n')
  const body = bodyIn([head, bytesOf(5 * MB), new Error('the line was cut')])
  const form = takeUpload(asked(body, 'multipart/form-data; boundary=b'), ({ bytes }) => keep(bytes))
  const ended = await Promise.race([form, new Promise((resolve) => setTimeout(resolve, 10_000, 'still waited for'))])
  assert.equal(ended, null)
  assert.deepEqual(await kept(), [])
})

test('fields that stand behind the file are there once it is kept, and a file that is not wanted is passed over', async () => {
  const text = (wanted: string) =>
    Buffer.from(
      `--b\r\ncontent-disposition: form-data; name="file"; filename="a.txt"\r\n\r\n${'x'.repeat(200_000)}\r\n--b\r\ncontent-disposition: form-data; name="said"\r\n\r\n${wanted}\r\n--b--\r\n`,
    )
  const whole = await takeUpload(asked(bodyIn([text('late')]), 'multipart/form-data; boundary=b'), async ({ name, bytes }, fields) => {
    let length = 0
    for await (const piece of bytes) length += piece.length
    return { name, length, said: (await fields()).said }
  })
  assert.deepEqual(whole?.taken, { name: 'a.txt', length: 200_000, said: 'late' })
  const passed = await takeUpload(asked(bodyIn([text('all the same')]), 'multipart/form-data; boundary=b'), async () => 'no, thanks')
  assert.deepEqual([passed?.taken, passed?.fields.said], ['no, thanks', 'all the same'])
})

test('a body of which only the beginning is wanted is read to its end', async () => {
  const taken = { pieces: 0 }
  for await (const _ of bodyOf(asked(bodyIn([bytesOf(MB), bytesOf(MB), bytesOf(MB), bytesOf(MB)], taken), 'text/csv'))) break
  for (const endsAt = Date.now() + 10_000; taken.pieces < 5 && Date.now() < endsAt; ) await new Promise((resolve) => setImmediate(resolve))
  assert.equal(taken.pieces, 5)
})

test('what lies in waiting has a quota a person and a site', async () => {
  const { editor, owner } = world
  const quota = { siteBytes: 25, personBytes: 15 }
  const say = async (length: number, who: World['editor']): Promise<string> => {
    const result = await keep(new Uint8Array(length), { who, quota })
    return result.ok ? 'kept' : result.fault
  }
  assert.equal(await say(10, editor), 'kept')
  assert.equal(await say(6, editor), 'uploads-full')
  assert.equal(await say(15, owner), 'kept', 'somebody else has room')
  assert.equal(await say(1, editor), 'uploads-full', 'until the site has none')
  await rows(world.db, 'DELETE FROM uploads')
})
