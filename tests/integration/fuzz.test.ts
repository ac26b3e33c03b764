import assert from 'node:assert/strict'
import { request } from 'node:http'
import { after, before, test } from 'node:test'
import { z } from 'zod'
import { OPERATIONS } from '../../src/contract/api.ts'
import { type Copy, startCopy } from './copy.ts'

let copy: Copy
before(async () => {
  copy = await startCopy()
})
after(() => copy.stop())

/** Rounds for each operation of the contract; FUZZ_ROUNDS and FUZZ_SEED ask for more, and for others. */
const ROUNDS = Number(process.env.FUZZ_ROUNDS ?? 6)
const SEED = Number(process.env.FUZZ_SEED ?? 7)

function random(seed: number): () => number {
  let state = seed
  return () => {
    state = (state + 0x6d2b79f5) | 0
    let mixed = Math.imul(state ^ (state >>> 15), 1 | state)
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed
    return ((mixed ^ (mixed >>> 14)) >>> 0) / 4_294_967_296
  }
}

const deep = (levels: number): unknown => {
  let value: unknown = 'x'
  for (let i = 0; i < levels; i++) value = i % 2 === 0 ? [value] : { entries: value }
  return value
}
const STRINGS = [
  '',
  ' ',
  '\0',
  'a\0b',
  '/%',
  '/%zz',
  '%00',
  '__proto__',
  'constructor',
  'a.constructor',
  '../../etc/passwd',
  '/..//x',
  '\ud800',
  '👨‍👩‍👧',
  'é'.repeat(300),
  "'; DROP TABLE pages; --",
  '<script>',
  'null',
  'NaN',
  '1e999',
  '2147483648',
  '-1',
  'https://',
  'https://a b/',
  'http://[::1',
  'javascript:x',
  'x'.repeat(9_000),
  '9999-99-99',
  '2026-02-30T00:00:00Z',
  '(?<a>',
  '[',
  '*',
  '\\',
  '\u202e',
  'a@b',
  'Infinity',
  '{}',
  '%E0%A4%A',
  'eyJ9',
  'W10',
  'bnVsbA',
  'eyJhIjpbXX0',
]
const NUMBERS = [0, -1, 1, 2, 1.5, 2 ** 31, 2 ** 31 - 1, 2 ** 53, -(2 ** 53), 1e308, 100]

type Schema = {
  type?: string
  properties?: Record<string, Schema>
  required?: string[]
  items?: Schema
  enum?: unknown[]
  const?: unknown
  anyOf?: Schema[]
  oneOf?: Schema[]
  allOf?: Schema[]
  $ref?: string
  $defs?: Record<string, Schema>
}

/** A value that has the shape of a schema, or nearly. */
function nearlyOf(schema: Schema, defs: Record<string, Schema>, next: () => number, ids: readonly string[], depth = 0): unknown {
  const pick = <T>(list: readonly T[]): T => list[Math.floor(next() * list.length)] as T
  if (next() < 0.06) return pick<unknown>([null, pick(STRINGS), pick(NUMBERS), [], {}, true, deep(5), deep(1_500)])
  if (schema.$ref !== undefined) return nearlyOf(defs[schema.$ref.replace(/^#\/\$defs\//, '')] ?? {}, defs, next, ids, depth + 1)
  const union = schema.anyOf ?? schema.oneOf
  if (union !== undefined) return depth > 8 ? null : nearlyOf(pick(union), defs, next, ids, depth + 1)
  if (schema.const !== undefined) return schema.const
  if (schema.enum !== undefined) return pick(schema.enum)
  if (schema.type === 'object' || schema.properties !== undefined) {
    const value: Record<string, unknown> = {}
    for (const [name, each] of Object.entries(schema.properties ?? {}))
      if (schema.required?.includes(name) === true ? next() > 0.04 : next() > 0.5) value[name] = nearlyOf(each, defs, next, ids, depth + 1)
    return value
  }
  if (schema.type === 'array')
    return depth > 8 ? [] : Array.from({ length: Math.floor(next() * 3) }, () => nearlyOf(schema.items ?? {}, defs, next, ids, depth + 1))
  if (schema.type === 'integer' || schema.type === 'number') return pick(NUMBERS)
  if (schema.type === 'boolean') return next() < 0.5
  return next() < 0.3 && ids.length > 0 ? pick(ids) : pick(STRINGS)
}

interface Sent {
  readonly status: number
  readonly body: string
}
function send(method: string, target: string, body: string | null, headers: Record<string, string> = {}): Promise<Sent> {
  return new Promise((resolve, reject) => {
    const sent = request(
      {
        host: '127.0.0.1',
        port: copy.port,
        method,
        path: target,
        agent: false,
        headers: {
          host: `localhost:${copy.port}`,
          authorization: `Bearer ${copy.token}`,
          ...(body === null ? {} : { 'content-type': 'application/json', 'content-length': String(Buffer.byteLength(body)) }),
          ...headers,
        },
      },
      (answer) => {
        let text = ''
        answer.on('data', (part: Buffer) => {
          text += part.toString()
        })
        answer.on('end', () => resolve({ status: answer.statusCode ?? 0, body: text }))
      },
    )
    sent.on('error', reject)
    sent.end(body ?? undefined)
  })
}

test('no input of any operation is answered with “something went wrong on our side”', async () => {
  const next = random(SEED)
  const ids: string[] = ['00000000-0000-4000-8000-000000000000']
  for (const list of ['pages', 'files', 'menus', 'blocks', 'short-links', 'partners', 'publications', 'front-doors']) {
    const { items } = JSON.parse((await send('GET', `/api/v1/${list}`, null)).body) as { items?: { id: string }[] }
    ids.push(...(items ?? []).slice(0, 3).map(({ id }) => id))
  }
  const broken: string[] = []
  for (const [name, operation] of OPERATIONS) {
    const { method, path, query, body } = operation as { method: string; path: string; query?: z.ZodType; body?: z.ZodType }
    const schema = (of: z.ZodType | undefined): Schema =>
      of === undefined ? {} : (z.toJSONSchema(of, { unrepresentable: 'any', io: 'input' }) as Schema)
    const [querySchema, bodySchema] = [schema(query), schema(body)]
    for (let round = 0; round < ROUNDS; round++) {
      const id = ids[Math.floor(next() * ids.length)] ?? ''
      const asked = new URLSearchParams()
      if (query !== undefined)
        for (const [key, value] of Object.entries((nearlyOf(querySchema, querySchema.$defs ?? {}, next, ids) ?? {}) as object))
          asked.append(key, String(value))
      const json = body === undefined ? null : JSON.stringify(nearlyOf(bodySchema, bodySchema.$defs ?? {}, next, ids))
      const target = `/api/v1${path.replace('{id}', id)}${[...asked].length === 0 ? '' : `?${asked}`}`
      const answer = await send(method.toUpperCase(), target, json ?? (body === undefined ? null : ''))
      if (answer.status >= 500 && answer.status !== 503)
        broken.push(`${name} (seed ${SEED}, round ${round}): ${answer.status} ${target} ${(json ?? '').slice(0, 600)}`)
    }
  }
  assert.deepEqual(broken, [])
})

test('odd paths, methods, names and cursors are refused in words', async () => {
  const status = async (method: string, target: string, body: string | null = null): Promise<number> =>
    (await send(method, target, body)).status
  assert.equal(await status('GET', '/%'), 404)
  assert.equal(await status('GET', '/api/v1/pages/%E0%A4%A'), 404)
  assert.equal(await status('TRACE', '/'), 405)
  for (const cursor of ['bnVsbA', 'eyJhIjpbXX0', 'W10', 'MQ', 'WyJhIiwxXQ', 'IlwwIg', 'eyJhdCI6IngifQ', '%00'])
    for (const list of ['pages', 'files', 'short-links', 'placements', 'destinations', 'publications', 'audit'])
      assert.ok((await status('GET', `/api/v1/${list}?cursor=${cursor}`)) < 500, `${list} ${cursor}`)
  for (const path of ['/a\0b', '/%00', '/\ud800'])
    assert.ok((await status('POST', '/api/v1/pages', JSON.stringify({ path, title: 'x' }))) < 500, JSON.stringify(path))
  for (const title of ['a\0b', '\ud800'])
    assert.ok((await status('POST', '/api/v1/pages', JSON.stringify({ path: `/t${title.length}`, title }))) < 500)
  const form = new FormData()
  form.set('file', new File(['a,b'], 'a.constructor'))
  const upload = await fetch(`${copy.url}/api/v1/files`, { method: 'POST', headers: { authorization: `Bearer ${copy.token}` }, body: form })
  assert.equal(upload.status, 422)
  const nested = `${'{"entries":['.repeat(4_000)}${']}'.repeat(4_000)}`
  assert.equal(await status('POST', '/api/v1/menus', nested), 422)
})
