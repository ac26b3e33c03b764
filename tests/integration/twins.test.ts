import assert from 'node:assert/strict'
import { createHash } from 'node:crypto'
import { after, before, test } from 'node:test'
import { z } from 'zod'
import { OPERATIONS } from '../../src/contract/api.ts'
import type { Operation } from '../../src/contract/operation.ts'
import { closeDatabase, type Database, inTransaction, openDatabase, rows } from '../../src/data/database.ts'
import { insertPerson } from '../../src/data/people.ts'
import { insert } from '../../src/data/plain.ts'
import { hosts, sites } from '../../src/data/tables/index.ts'
import { insertToken } from '../../src/data/tokens.ts'
import { digest } from '../../src/services/secrets.ts'
import { until } from '../until.ts'
import { callApi } from './asking.ts'
import { type Copy, startCopy } from './copy.ts'

/**
 * Two sites in one installation: the demo, and a twin that has brought in all that the demo gives out. Its owner asks every operation
 * for what is the demo's.
 */
let copy: Copy
let db: Database
let demo = ''
let twin = { siteId: '', token: '', personId: '' }

before(async () => {
  copy = await startCopy()
  db = openDatabase(copy.databaseUrl)
  const [site] = await rows<{ id: string }>(db, 'SELECT id FROM sites')
  demo = site?.id ?? ''
  twin = await makeTwin()
  await until(
    async () =>
      (
        await rows(
          db,
          `SELECT 1 AS found FROM destinations_followed f JOIN change_counters c USING (site_id) WHERE site_id = $1
             AND NOT EXISTS (SELECT FROM changes n WHERE n.site_id = f.site_id AND n.number > f.number AND n.capability <> 'checks')`,
          [demo],
        )
      ).length > 0,
    'what the demo leads to is known',
  )
})
after(async () => {
  await closeDatabase(db)
  await copy.stop()
})

async function makeTwin(): Promise<typeof twin> {
  const { id: siteId } = await insert(db, sites, { name: 'The Slow Ferry', timeZone: 'Europe/London' })
  for (const [host, kind, prefix] of [
    ['twin.localhost', 'site', ''],
    ['tw.localhost', 'short', 'go'],
  ] as const)
    await insert(db, hosts, { siteId, host, kind, prefix, isMain: true })
  const person = await insertPerson(db, { siteId, email: 'twin@slow-ferry.example', name: 'Twin', role: 'owner', passwordHash: 'x' })
  const personId = person?.id ?? ''
  const token = 'mr_the-twin-of-the-demo'
  await inTransaction(db, (transaction) =>
    insertToken(db, { personId, siteId, name: 'twin', scopes: ['*'], tokenHash: digest(token) }, transaction),
  )
  const bring = async (target: string, body: string | FormData, type?: string): Promise<void> => {
    const answer = await ask(token, 'POST', target, body, type)
    assert.equal(answer.status < 300, true, `${target} ${answer.text}`)
    const job = /"job":"([^"]+)"/.exec(answer.text)?.[1]
    const endsAt = Date.now() + 60_000
    for (let state = 'waiting'; job !== undefined && state !== 'done'; ) {
      state = /"state":"(\w+)"/.exec((await ask(token, 'GET', `/jobs/${job}`)).text)?.[1] ?? ''
      assert.ok(Date.now() < endsAt && state !== 'failed', `${target} is ${state}`)
      await new Promise((resolve) => setTimeout(resolve, 50))
    }
  }
  const zip = await fetch(`${copy.url}/api/v1/exports/site.zip`, { headers: { authorization: `Bearer ${copy.token}` } })
  const form = new FormData()
  form.set('file', new Blob([await zip.arrayBuffer()]), 'site.zip')
  await bring('/imports', form)
  const given = async (target: string): Promise<string> => (await ask(copy.token, 'GET', target)).text
  await bring('/partners/bulk', await given('/exports/partners'), 'text/csv')
  await bring('/redirects/bulk', await given('/exports/redirects?as=csv'), 'text/csv')
  await bring('/short-links/bulk', (await given('/exports/short-links.csv')).replaceAll('sferry.localhost', 'tw.localhost'), 'text/csv')
  await bring('/publications', JSON.stringify({ all: true }), 'application/json')
  return { siteId, token, personId }
}

const ask = (by: string, method: string, target: string, body?: string | FormData, type?: string) =>
  callApi(copy, method, target, body, { by, ...(type === undefined ? {} : { type }) })

const UUID = /[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}/g

/** Tables that say whose their rows are, and whether these have ids that calls name. */
const ownedTables = (): Promise<{ table: string; hasId: boolean }[]> =>
  rows(
    db,
    `SELECT c.table_name AS "table", EXISTS (SELECT 1 FROM information_schema.columns i WHERE i.table_schema = 'public'
         AND i.table_name = c.table_name AND i.column_name = 'id' AND i.data_type = 'uuid') AS "hasId"
     FROM information_schema.columns c JOIN information_schema.tables t USING (table_schema, table_name)
     WHERE c.table_schema = 'public' AND c.column_name = 'site_id' AND t.table_type = 'BASE TABLE'
       AND NOT EXISTS (SELECT 1 FROM pg_inherits h WHERE h.inhrelid = c.table_name::regclass) ORDER BY 1`,
  )

/** What the server itself notes down as time goes by: how far it has followed the log, and what looks at destinations saw. */
const ITS_OWN = new Set(['change_counters', 'destinations_followed'])
const NOTED: Readonly<Record<string, string>> = {
  changes: 'number,at',
  destinations: 'due_at,asked_by,verdict,also,is_broken,since,seen_at,told_at,doubts,same,slow,seen,better,etag,modified',
}

/** What the demo holds, by table; without what the server itself notes down as time goes by. */
async function heldBy(siteId: string): Promise<Record<string, string>> {
  const held: Record<string, string> = {}
  for (const { table } of await ownedTables()) {
    if (ITS_OWN.has(table)) continue
    const found = await rows<{ row: string }>(
      db,
      `SELECT (to_jsonb(t) - '{looked_at,updated_at${NOTED[table] === undefined ? '' : `,${NOTED[table]}`}}'::text[])::text AS row FROM ${table} t WHERE site_id = $1
       ${table === 'changes' ? "AND capability <> 'checks'" : ''} ORDER BY 1`,
      [siteId],
    )
    held[table] = `${found.length} ${createHash('sha256')
      .update(found.map(({ row }) => row).join('\n'))
      .digest('hex')}`
  }
  return held
}

const isTwins = async (id: string): Promise<boolean> => {
  for (const { table, hasId } of await ownedTables())
    if (hasId && (await rows(db, `SELECT 1 AS found FROM ${table} WHERE id = $1 AND site_id = $2`, [id, twin.siteId])).length > 0)
      return true
  return false
}

type Schema = Readonly<Record<string, unknown>>

/** Something that fits a schema, with an id wherever one is wanted; of choices the one at `turn`. */
function filled(of: Schema, id: string, turn: number, defs = (of.$defs ?? {}) as Record<string, Schema>, depth = 0): unknown {
  const fill = (each: Schema, next = turn): unknown => filled(each, id, next, defs, depth + 1)
  const schema = typeof of.$ref === 'string' ? (defs[of.$ref.replace('#/$defs/', '')] ?? {}) : of
  const choices = (schema.anyOf ?? schema.oneOf) as Schema[] | undefined
  if (choices !== undefined) {
    const real = choices.filter(({ type }) => type !== 'null')
    return fill(real[turn % real.length] ?? {}, turn + 1) // a choice within a choice is another one: what holds itself comes to an end
  }
  if (schema.allOf !== undefined) return Object.assign({}, ...(schema.allOf as Schema[]).map((each) => fill(each)))
  if ('const' in schema) return schema.const
  if (Array.isArray(schema.enum)) return schema.enum[turn % schema.enum.length]
  switch (schema.type) {
    case 'object': {
      const required = new Set((schema.required ?? []) as string[])
      const properties = Object.entries((schema.properties ?? {}) as Record<string, Schema>)
      const wanted = properties.filter(([name, shape]) => required.has(name) || JSON.stringify(shape).includes('"uuid"'))
      return Object.fromEntries(wanted.map(([name, shape]) => [name, fill(shape)]))
    }
    case 'array':
      if (Array.isArray(schema.prefixItems)) return (schema.prefixItems as Schema[]).map((each) => fill(each))
      return depth > DEPTH_MAX ? [] : [fill((schema.items ?? {}) as Schema)]
    case 'integer':
    case 'number':
      return Math.max(1, Number(schema.minimum ?? 1))
    case 'boolean':
      return false
    case 'string':
      if (schema.format === 'uuid') return id
      if (schema.format === 'date-time') return '2099-01-01T00:00:00Z'
      return 'twin'
    default:
      return {}
  }
}

const schemaOf = (shape: z.ZodType | undefined): Schema | null =>
  shape === undefined ? null : (z.toJSONSchema(shape, { io: 'input', unrepresentable: 'any' }) as Schema)
/** What is asked for more than its shape. */
const rulesOf = (id: string): object[] => [
  { id: 'twin', name: 'twin', isOn: true, isBinding: false, when: { is: 'partner', of: [id] }, what: { hints: ['nofollow'] } },
]
const GIVEN: Readonly<Record<string, (id: string) => object>> = {
  'rules.save': (id) => ({ version: 1, rules: rulesOf(id) }),
  'rules.impact': (id) => ({ rules: rulesOf(id) }),
}

const namesIds = (schema: Schema | null): boolean => schema !== null && JSON.stringify(schema).includes('"uuid"')
const hasChoices = (schema: Schema | null): boolean => /"(?:anyOf|oneOf|enum)"/.test(JSON.stringify(schema))
/** What holds itself is filled so deep. */
const DEPTH_MAX = 6
/** Of a body with choices so many are tried. */
const TURNS = 3

test('whoever owns one site reaches nothing of another, by whatever id it is asked for', async () => {
  const ids: { table: string; id: string }[] = []
  const all = new Set<string>()
  for (const { table, hasId } of await ownedTables()) {
    if (!hasId) continue
    const found = await rows<{ id: string }>(db, `SELECT id FROM ${table} WHERE site_id = $1 ORDER BY id LIMIT 200`, [demo])
    for (const { id } of found) all.add(id)
    if (found[0] !== undefined) ids.push({ table, id: found[0].id })
  }
  for (const { id } of await rows<{ id: string }>(db, 'SELECT person_id AS id FROM memberships WHERE site_id = $1', [demo])) all.add(id)
  const [person] = await rows<{ id: string }>(db, 'SELECT person_id AS id FROM memberships WHERE site_id = $1 ORDER BY 1', [demo])
  ids.push({ table: 'people', id: person?.id ?? '' })
  assert.ok(ids.length >= 12, `${ids.length} kinds of things in the demo: ${ids.map(({ table }) => table).join(', ')}`)

  const before = await heldBy(demo)
  const told: string[] = []
  const reached = new Map<string, number>()
  const invalid = new Map<string, string>()
  const asked: string[] = []
  for (const [name, operation] of OPERATIONS) {
    const { method, path, body, query, media }: Operation = operation
    const [bodyOf, queryOf] = [schemaOf(body), schemaOf(query)]
    if (!path.includes('{id}') && !namesIds(bodyOf) && !namesIds(queryOf)) continue
    if (media?.body !== undefined && media.body !== 'multipart/form-data') continue
    asked.push(name)
    const askFor = async ({ table, id }: (typeof ids)[number]): Promise<void> => {
      for (let turn = 0; turn < (hasChoices(bodyOf) ? TURNS : 1); turn++) {
        const wanted = new URLSearchParams(queryOf === null ? {} : (filled(queryOf, id, turn) as Record<string, string>))
        const target = `${path.replace('{id}', id)}${wanted.size === 0 ? '' : `?${wanted}`}`
        const sent = bodyOf === null ? undefined : JSON.stringify(GIVEN[name]?.(id) ?? filled(bodyOf, id, turn))
        const { status, text } = await ask(
          twin.token,
          method.toUpperCase(),
          target,
          sent,
          sent === undefined ? undefined : 'application/json',
        )
        // Calls that name what they are to make have made it by now: it is the twin's.
        if (status < 300 && path.includes('{id}') && (await isTwins(id))) continue
        if (!/"fault":"invalid-/.test(text)) reached.set(name, (reached.get(name) ?? 0) + 1)
        else invalid.set(name, text.slice(0, 400))
        const others = [...text.matchAll(UUID)].map(([found]) => found).filter((found) => found !== id && all.has(found))
        if (others.length > 0) told.push(`${name} tells ${others[0]} for a row of ${table} (${status})`)
        if (status >= 500) told.push(`${name} breaks for a row of ${table}: ${text.slice(0, 200)}`)
        if (status < 300 && path.includes('{id}') && method !== 'get')
          told.push(`${name} is done to a row of ${table}: ${text.slice(0, 100)}`)
        if (status < 300 && path.includes('{id}') && method === 'get' && text.length > 60)
          told.push(`${name} shows a row of ${table}: ${text.slice(0, 200)}`)
      }
    }
    await Promise.all(ids.map(askFor))
  }
  assert.deepEqual(told, [])
  assert.deepEqual(
    asked.filter((name) => (reached.get(name) ?? 0) === 0),
    [],
    `each operation was asked with something that it reads ${JSON.stringify(Object.fromEntries(invalid))}`,
  )
  assert.deepEqual(await heldBy(demo), before)
})

test('the same ids are the demo’s own: its owner is shown what they name', async () => {
  const shown = new Set<string>()
  const ids = new Map<string, string>()
  for (const { table, hasId } of await ownedTables()) {
    const [found] = hasId ? await rows<{ id: string }>(db, `SELECT id FROM ${table} WHERE site_id = $1 ORDER BY id LIMIT 1`, [demo]) : []
    if (found !== undefined) ids.set(table, found.id)
  }
  for (const [name, { method, path, query }] of OPERATIONS as readonly (readonly [string, Operation])[]) {
    if (method !== 'get' || !path.includes('{id}') || query !== undefined) continue
    for (const id of ids.values()) if ((await ask(copy.token, 'GET', path.replace('{id}', id))).status === 200) shown.add(name)
  }
  assert.ok(shown.size >= 10, [...shown].join(', '))
})

test('one person belongs to two sites with a role at each, and a browser acts at one of them', async () => {
  const [mara] = await rows<{ id: string }>(db, `SELECT id FROM people WHERE email = 'mara@slow-ferry.example'`)
  const added = await ask(
    twin.token,
    'POST',
    '/people',
    JSON.stringify({ name: 'Mara', email: 'mara@slow-ferry.example', role: 'contributor' }),
    'application/json',
  )
  assert.equal(added.status, 201, added.text)
  assert.equal(JSON.parse(added.text).entry, null, 'no link from here lets anybody in there')
  assert.equal(JSON.parse(added.text).person.id, mara?.id)
  assert.equal(JSON.parse(added.text).person.name, 'Mara Quill', 'her name is hers')
  // Who was added elsewhere and has not come in yet is nobody's to share: whoever holds that link would come in here, too.
  const wren = JSON.stringify({ name: 'Wren', email: 'wren@slow-ferry.example', role: 'editor' })
  assert.equal((await ask(copy.token, 'POST', '/people', wren, 'application/json')).status, 201)
  assert.match((await ask(twin.token, 'POST', '/people', wren, 'application/json')).text, /person-not-in-yet/)
  const link = await ask(twin.token, 'POST', `/people/${mara?.id}/link`)
  assert.equal(link.status, 409, link.text)
  const signedIn = await fetch(`${copy.url}/sign-in`, {
    method: 'POST',
    redirect: 'manual',
    headers: { origin: copy.url },
    body: new URLSearchParams({ email: 'mara@slow-ferry.example', password: 'ten-past-seven' }),
  })
  const cookie = signedIn.headers.getSetCookie()[0]?.split(';')[0] ?? ''
  const asMara = async (method: string, target: string, body?: object): Promise<{ status: number; text: string }> => {
    const answer = await fetch(`${copy.url}/api/v1${target}`, {
      method,
      headers: { cookie, origin: copy.url, 'content-type': 'application/json' },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    })
    return { status: answer.status, text: await answer.text() }
  }
  assert.equal(JSON.parse((await asMara('GET', '/me')).text).role, 'owner')
  const sites = JSON.parse((await asMara('GET', '/me/sites')).text).items as { id: string; role: string; isHere: boolean }[]
  assert.deepEqual(
    new Set(sites.map(({ id, role, isHere }) => `${id} ${role} ${isHere}`)),
    new Set([`${demo} owner true`, `${twin.siteId} contributor false`]),
  )
  assert.equal((await asMara('PUT', '/me/site', { site: twin.siteId })).status, 204)
  assert.equal(JSON.parse((await asMara('GET', '/me')).text).role, 'contributor')
  assert.equal((await asMara('GET', '/people')).status, 403)
  assert.equal((await asMara('PUT', '/me/site', { site: twin.personId })).status, 404)
  assert.equal((await ask(copy.token, 'PUT', '/me/site', JSON.stringify({ site: twin.siteId }), 'application/json')).status, 403)
  // Whoever ends at one site goes on at the other.
  assert.equal((await ask(twin.token, 'DELETE', `/people/${mara?.id}`)).status, 204)
  assert.equal((await asMara('GET', '/me')).status, 401)
  assert.equal((await ask(copy.token, 'GET', '/me')).status, 200)
})
