import { randomUUID } from 'node:crypto'
import { mayAsk } from '../../contract/operation.ts'
import { toldOf } from '../../contract/problems.ts'
import {
  redirectSteps as calls,
  type RedirectStepDone,
  type RedirectStepItem,
  type RedirectStepList,
  type RedirectStepNew,
} from '../../contract/redirect-steps.ts'
import { type FaultDetail, fail, ok, type Result } from '../../core/result.ts'
import type { Redirect } from '../../core/routing/index.ts'
import type { SiteGround } from '../../core/rules/index.ts'
import type { Transaction } from '../../data/database.ts'
import {
  beginStep,
  insertRedirects,
  isStepBegun,
  listSteps,
  markStepUndone,
  removeRedirects,
  undoStretch,
  updateRedirects,
} from '../../data/redirect-steps.ts'
import { keptRedirects, type RedirectFields, redirectsById } from '../../data/redirects.ts'
import { type Said, type Told, tell } from '../../words/index.ts'
import { conditionsOf, defined } from '../conditions.ts'
import { type Actor, type Context, type SiteViews, write, writeAudit } from '../context.ts'
import type { jobsService } from '../jobs/index.ts'
import { RedirectChains } from './chains.ts'
import { fieldsOf, nameOfRow, PLAIN_REDIRECT } from './fields.ts'
import { RedirectLimits } from './limits.ts'

/** Steps that are told. */
const LISTED_MAX = 20
/** Rows that are given back in one transaction. */
const UNDONE_AT_ONCE = 2_000

/** What is to be done with one row, looked at. */
type Planned =
  | { readonly do: 'make'; readonly id: string; readonly row: RedirectFields }
  | { readonly do: 'change'; readonly id: string; readonly version: number; readonly row: RedirectFields; readonly was: RedirectFields }
  | { readonly do: 'remove'; readonly id: string }

/** Several rows of redirects made, changed or taken away together, so that they can be taken back together. */
export function redirectStepsService({ db, settings }: Context, views: SiteViews, jobs: ReturnType<typeof jobsService>) {
  return {
    async list(actor: Actor): Promise<Result<RedirectStepList, 'forbidden'>> {
      if (!mayAsk(actor, calls.list)) return fail('forbidden')
      const found = await listSteps(db, actor.siteId, LISTED_MAX)
      return ok({ items: found.map((step) => ({ ...step, at: step.at.toISOString() })) })
    },

    /** Carries out what can be; what cannot is told, and does not stop the others. Or only tells what would become of each. */
    async create(
      actor: Actor,
      { what, items, dryRun = false }: Omit<RedirectStepNew, 'what'> & { readonly what: Said },
    ): Promise<Result<RedirectStepDone, 'forbidden'>> {
      if (!mayAsk(actor, calls.create)) return fail('forbidden')
      const view = await views.of(actor)
      const stepId = randomUUID()
      const { siteId, personId } = actor
      const refused: { index: number; reason: Told }[] = []
      const counts = { made: 0, changed: 0, removed: 0 }
      let fresh: readonly string[] = []
      await write(db, async (transaction, changes) => {
        const planned = await plan(actor, view, items, refused, transaction)
        const made = planned.filter((each) => each.do === 'make')
        const changed = planned.filter((each) => each.do === 'change')
        const removed = planned.filter((each) => each.do === 'remove')
        Object.assign(counts, { made: made.length, changed: changed.length, removed: removed.length })
        if (dryRun || planned.length === 0) return ok(null)
        const by = { siteId, personId, stepId }
        await beginStep(db, by, what, transaction)
        const gone = await removeRedirects(
          db,
          by,
          removed.map(({ id }) => id),
          transaction,
        )
        const done = await updateRedirects(db, by, changed, transaction)
        await insertRedirects(db, by, made, transaction)
        fresh = made.map(({ id }) => id)
        const asked = new Set(changed.map(({ id }) => id))
        for (const [index, item] of items.entries())
          if (item.do === 'change' && asked.has(item.id) && !done.has(item.id)) refused.push({ index, reason: toldOf('moved-on') })
        Object.assign(counts, { changed: done.size, removed: gone.size })
        changes.add(siteId, 'redirects', [...gone], 'removed')
        changes.add(siteId, 'redirects', [...done], 'changed')
        changes.add(
          siteId,
          'redirects',
          made.map(({ id }) => id),
          'made',
        )
        await writeAudit(db, actor, 'redirects:step', stepId, { what, ...counts }, transaction)
        return ok(null)
      })
      const isDone = !dryRun && counts.made + counts.changed + counts.removed > 0
      return ok({ step: isDone ? stepId : null, ...counts, rows: [...fresh], refused: refused.sort((a, b) => a.index - b.index) })
    },

    /** Starts taking a step back. */
    async undo(actor: Actor, id: string): Promise<Result<string, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.undo)) return fail('forbidden')
      if (!(await isStepBegun(db, { siteId: actor.siteId, stepId: id }))) return fail('not-found')
      return jobs.start(actor, 'redirects-undo', { step: id }, { step: id })
    },

    /**
     * Gives a stretch of a step's rows back what they were before.
     * @param by - `stepId`: the step in which that is done
     * @param after - the last row that was given back; null at the beginning
     * @returns null where the step is not there, or is taken back already
     */
    async undoNext(
      by: { readonly siteId: string; readonly personId: string | null; readonly stepId: string },
      undone: string,
      after: string | null,
    ): Promise<{ rows: number; given: number; last: string | null } | null> {
      const found = await write(db, async (transaction, changes) => {
        if (after === null) {
          // A process that ended in the middle of it goes on with what is left.
          const isGoingOn = await isStepBegun(db, by, transaction)
          if (!isGoingOn && !(await markStepUndone(db, by.siteId, undone, transaction))) return fail('not-found')
          await beginStep(db, by, tell('redirect.taken-back'), transaction)
        }
        const { ids, given } = await undoStretch(db, by, { undone, after, limit: UNDONE_AT_ONCE }, transaction)
        changes.add(by.siteId, 'redirects', given, 'changed')
        return ok({ rows: ids.length, given: given.length, last: ids.length < UNDONE_AT_ONCE ? null : (ids[ids.length - 1] ?? null) })
      })
      return found.ok ? found.value : null
    },
  }

  /** Looks at every item by itself and with the others: what cannot be done is added to `refused`. */
  async function plan(
    actor: Actor,
    view: SiteGround,
    items: readonly RedirectStepItem[],
    refused: { index: number; reason: Told }[],
    transaction: Transaction,
  ): Promise<Planned[]> {
    const { siteId } = actor
    const ids = items.flatMap((item) => (item.do === 'make' ? [] : [item.id]))
    const before = new Map((await redirectsById(db, siteId, ids, transaction)).map((row) => [row.id, row]))
    const planned: { index: number; each: Planned }[] = []
    for (const [index, item] of items.entries()) {
      const refuse = (fault: string, detail?: FaultDetail): void => void refused.push({ index, reason: toldOf(fault, detail) })
      const was = item.do === 'make' ? undefined : before.get(item.id)
      if (item.do === 'remove') {
        if (was === undefined) refuse('not-found')
        else planned.push({ index, each: { do: 'remove', id: item.id } })
        continue
      }
      if (item.do === 'change' && was === undefined) {
        refuse('not-found')
        continue
      }
      const { when, ...given } = item.do === 'make' ? item.row : item.change
      const hosts = 'host' in given && given.host !== undefined && given.hosts === undefined ? { hosts: [given.host] } : {}
      const fields = fieldsOf(view, {
        ...(was ?? PLAIN_REDIRECT),
        from: was?.from ?? '',
        ...defined(given),
        ...hosts,
        when: when === undefined ? (was?.when ?? {}) : conditionsOf(when),
      })
      if (!fields.ok) refuse(fields.fault, fields.detail)
      else if (item.do === 'make') planned.push({ index, each: { do: 'make', id: randomUUID(), row: fields.value } })
      else if (was?.version !== item.change.version) refuse('moved-on')
      else planned.push({ index, each: { do: 'change', id: item.id, version: item.change.version, row: fields.value, was } })
    }
    return inOneTable(view, siteId, planned, refused, transaction)
  }

  /** Leaves out what would stand twice, or lead in a circle, in the table as it is to become. */
  async function inOneTable(
    view: SiteGround,
    siteId: string,
    planned: readonly { readonly index: number; readonly each: Planned }[],
    refused: { index: number; reason: Told }[],
    transaction: Transaction,
  ): Promise<Planned[]> {
    const ways = new RedirectChains(db, view, settings.port)
    const rows: Redirect[] = []
    const left = new Set<string>()
    const fresh = planned.flatMap(({ each }) => (each.do === 'remove' ? [] : [each.row]))
    const kept = await keptRedirects(db, siteId, fresh, transaction)
    const gone = new Set(planned.flatMap(({ each }) => (each.do === 'make' ? [] : [each.id])))
    const staying = kept.filter(({ id }) => !gone.has(id))
    const leaving = planned.flatMap(({ each }) => (each.do === 'change' ? [each.was] : []))
    const room = await RedirectLimits.of(db, siteId, { fresh, kept: staying, leaving }, transaction)
    const taken = new Set(staying.map((row) => nameOfRow(view, row)))
    for (const { index, each } of planned) {
      if (each.do === 'remove') {
        ways.put({ ...NOBODY, id: each.id }, false)
        continue
      }
      if (each.do === 'make') {
        const name = nameOfRow(view, each.row)
        if (taken.has(name)) {
          refused.push({ index, reason: tell('redirect.row-there', { from: each.row.from }) })
          left.add(each.id)
          continue
        }
        taken.add(name)
      }
      const full = room.take(each.row)
      if (full !== null) {
        refused.push({ index, reason: toldOf('redirects-too-many', { why: full }) })
        left.add(each.id)
        continue
      }
      const row = { ...each.row, id: each.id, order: Number.MAX_SAFE_INTEGER }
      if (each.row.isOn) rows.push(row)
      else ways.put(row, false)
    }
    const indexOf = new Map(planned.map(({ index, each }) => [each.id, index]))
    for (const [id, way] of await ways.settle(rows, transaction)) {
      if (way.end !== 'loop') continue
      left.add(id)
      const index = indexOf.get(id) ?? 0
      refused.push({ index, reason: toldOf('redirect-goes-round', { why: tell('redirect.goes', { stops: way.stops.join(' → ') }) }) })
    }
    return planned.flatMap(({ each }) => (left.has(each.id) ? [] : [each]))
  }
}

const NOBODY: Redirect = { ...PLAIN_REDIRECT, id: '', from: '/', order: 0 }
