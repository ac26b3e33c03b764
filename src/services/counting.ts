import {
  BotRule,
  type Counting,
  type CountingChange,
  type CountingJudged,
  counting as calls,
  type Seen,
  type SeenQuery,
} from '../contract/counting.ts'
import { mayAsk } from '../contract/operation.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { DAY_MS } from '../core/time.ts'
import { followedLinks, seenTotals, viewsOfPages } from '../data/counted-pages.ts'
import { type CountingRow, countVisitors, type JudgedBy, judgeDay, keptDays, readCounting, writeCounting } from '../data/counting.ts'
import { type Actor, type Context, write, writeAudit } from './context.ts'
import { withProgress } from './jobs/index.ts'

/** What is counted of a site beside its short links, and who is taken for a bot. */
export function countingService(context: Context) {
  const { db } = context
  return {
    async look(actor: Actor): Promise<Result<Counting, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.look)) return fail('forbidden')
      const row = await readCounting(db, actor.siteId)
      return row === null ? fail('not-found') : ok(shown(row))
    },

    async change(actor: Actor, change: CountingChange): Promise<Result<Counting, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.change)) return fail('forbidden')
      const row = await readCounting(db, actor.siteId)
      if (row === null) return fail('not-found')
      const before = shown(row)
      return write(db, async (transaction, changes) => {
        const now: Counting = {
          countsPages: change.countsPages ?? before.countsPages,
          keptDays: change.keptDays ?? before.keptDays,
          botRule: change.botRule ?? before.botRule,
        }
        await writeCounting(db, actor.siteId, now, transaction)
        changes.add(actor.siteId, 'sites', actor.siteId, 'changed')
        await writeAudit(db, actor, 'counting:edit', null, now, transaction)
        return ok(now)
      })
    },

    /** Applies the rule for bots again to every day of which single clicks are kept; a day is one transaction. */
    async judge(actor: Actor, job?: string): Promise<Result<CountingJudged, 'forbidden' | 'not-found' | 'cancelled' | 'job-not-ready'>> {
      if (!mayAsk(actor, calls.judge)) return fail('forbidden')
      const row = await readCounting(db, actor.siteId)
      if (row === null) return fail('not-found')
      const days = await keptDays(db)
      return withProgress(context, actor, { job, kind: 'counting', total: days.length }, async (progress) => {
        let clicks = 0
        for (const [done, day] of days.entries()) {
          if (await progress(done)) return fail('cancelled')
          const changed = await judgeDay(db, actor.siteId, day, judgedBy(row))
          if (changed > 0) await countVisitors(db, day)
          clicks += changed
        }
        await write(db, async (transaction, changes) => {
          if (clicks > 0) changes.add(actor.siteId, 'short-links', actor.siteId, 'changed')
          await writeAudit(db, actor, 'counting:judge', null, { days: days.length, clicks }, transaction)
          return ok(null)
        })
        return ok({ days: days.length, clicks })
      })
    },

    async seen(actor: Actor, { days, to, limit }: SeenQuery, nowMs = Date.now()): Promise<Result<Seen, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.seen)) return fail('forbidden')
      const row = await readCounting(db, actor.siteId)
      if (row === null) return fail('not-found')
      const since = new Date(nowMs - days * DAY_MS)
      const { siteId } = actor
      const [total, pages, links] = await Promise.all([
        seenTotals(db, siteId, since),
        to === undefined ? viewsOfPages(db, siteId, since, limit) : [],
        followedLinks(db, siteId, { since, to: to === undefined ? null : [to], limit }),
      ])
      return ok({ isOn: row.countsPages, total, pages, links })
    },
  }
}

const shown = ({ countsPages, keptDays: kept, botRule }: CountingRow): Counting => ({
  ...{ countsPages, keptDays: kept, botRule: BotRule.parse(botRule) },
})

/** A site's rule as it is applied. */
export function judgedBy({ countsPages, botRule }: CountingRow): JudgedBy {
  const { perMinute, perDay, unseenPerDay } = BotRule.parse(botRule)
  return { perMinute, perDay, unseenPerDay: countsPages ? unseenPerDay : null }
}
