import assert from 'node:assert/strict'
import { randomUUID } from 'node:crypto'
import { before, test } from 'node:test'
import { API } from '../../src/contract/api.ts'
import { isWorkKind, JOB_KINDS, type JobKindName } from '../../src/contract/jobs.ts'
import { PERMISSIONS, type Permission } from '../../src/contract/permissions.ts'
import { inTransaction, rows } from '../../src/data/database.ts'
import { beginJob, insertJob } from '../../src/data/jobs.ts'
import { insert } from '../../src/data/plain.ts'
import { sites } from '../../src/data/tables/index.ts'
import type { Actor } from '../../src/services/index.ts'
import { makeWorld, type World } from './world.ts'

const KINDS = Object.keys(JOB_KINDS) as JobKindName[]

let world: World
before(async () => {
  world = await makeWorld()
})

/** Somebody who may do just this. */
const whoMay = (...allowed: readonly Permission[]): Actor => ({ ...world.owner, can: (permission) => allowed.includes(permission) })

async function jobOf(kind: JobKindName): Promise<string> {
  const { db, owner } = world
  const { siteId, personId } = owner
  if (isWorkKind(kind)) return inTransaction(db, (transaction) => insertJob(db, { siteId, kind, input: {}, personId }, transaction))
  const id = randomUUID()
  assert.ok(await beginJob(db, { id, siteId, kind, personId, total: 1 }))
  return id
}

const outcome = (result: { ok: true } | { ok: false; fault: string }): string => (result.ok ? 'ok' : result.fault)

for (const kind of KINDS) {
  const { starts, sees } = JOB_KINDS[kind]
  test(`who may begin work of the kind ${kind} sees it and stops it, and who lacks any of that does not`, async () => {
    const { services } = world
    const all = whoMay(...starts)
    assert.equal(outcome(await services.jobs.get(all, await jobOf(kind))), 'ok', `${starts} see it`)
    assert.equal(outcome(await services.jobs.cancel(all, await jobOf(kind))), 'ok', `${starts} stop it`)
    assert.equal(outcome(await services.jobs.get(whoMay(...sees), await jobOf(kind))), 'ok', `${sees} see it`)
    if (isWorkKind(kind)) {
      const started = await services.jobs.start(all, kind, {} as never)
      assert.equal(outcome(started), 'ok', `${starts} begin it`)
    }
    for (const lacking of starts) {
      const others = whoMay(...PERMISSIONS.filter((each) => each !== lacking))
      assert.equal(outcome(await services.jobs.cancel(others, await jobOf(kind))), 'forbidden', `without ${lacking}`)
      if (isWorkKind(kind)) assert.equal(outcome(await services.jobs.start(others, kind, {} as never)), 'forbidden', `without ${lacking}`)
    }
    const neither = PERMISSIONS.filter(
      (each) => !(starts as readonly string[]).includes(each) && !(sees as readonly string[]).includes(each),
    )
    assert.equal(outcome(await services.jobs.get(whoMay(...neither), await jobOf(kind))), 'forbidden')
  })
}

test('the call itself asks for no more than the kind of the job does', () => {
  for (const name of ['jobs.get', 'jobs.cancel'] as const) assert.equal(API[name].needs, null)
})

test('a job of another site is not there', async () => {
  const { db, services, owner } = world
  const site = await insert(db, sites, { name: 'Another', timeZone: 'UTC' })
  const job = await inTransaction(db, (transaction) =>
    insertJob(db, { siteId: site.id, kind: 'import', input: {}, personId: null }, transaction),
  )
  assert.equal(outcome(await services.jobs.get(owner, job)), 'not-found')
  assert.equal(outcome(await services.jobs.cancel(owner, job)), 'not-found')
  assert.deepEqual(await rows(db, 'SELECT state FROM jobs WHERE id = $1', [job]), [{ state: 'waiting' }])
})
