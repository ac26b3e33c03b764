import { missed as calls, type MissedAddress, type MissedIgnore, type MissedList, type MissedQuery } from '../contract/missed.ts'
import { mayAsk } from '../contract/operation.ts'
import { parseUrl } from '../core/address/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { NOISE_WORDS, SCORE_WORDS } from '../core/routing/index.ts'
import { originOf } from '../core/rules/index.ts'
import { listMissed, missedNoise, setMissedIgnored } from '../data/missed.ts'
import { type Actor, type Context, type SiteViews, write, writeAudit } from './context.ts'
import type { RedirectKnowledge } from './redirects/index.ts'

/** Suggestions for one address. */
const SUGGESTED = 3
/** Stretches that are looked through in one call for addresses that nobody answers yet; whoever wants more asks on. */
const STRETCHES_MAX = 10

/** Addresses that visitors asked for in vain. */
export function missedService({ db, settings }: Context, views: SiteViews, knowledge: RedirectKnowledge) {
  return {
    /** Those that people asked for most come first; what is answered by now is left out. */
    async list(actor: Actor, { search, ignored, limit, cursor }: MissedQuery): Promise<Result<MissedList, 'forbidden'>> {
      if (!mayAsk(actor, calls.list)) return fail('forbidden')
      const view = await views.of(actor)
      const finder = await knowledge.finder(view)
      const answeredAmong = knowledge.answering(view)
      const { siteId } = actor
      const items: MissedAddress[] = []
      let offset = Number(cursor ?? 0)
      let isMore = true
      for (let stretch = 0; items.length < limit && isMore && stretch < STRETCHES_MAX; stretch++) {
        const found = await listMissed(db, { siteId, search, isIgnored: ignored === '1', limit, offset })
        isMore = found.length === limit
        const addressOf = ({ host, path }: { host: string; path: string }): URL | null => parseUrl(originOf(host, settings.port) + path)
        const answered = await answeredAmong(found.flatMap((row) => addressOf(row) ?? []))
        for (const row of found) {
          if (items.length >= limit) break
          offset++
          const { path } = row
          if (answered.has(addressOf(row)?.href ?? '')) continue
          const title = await knowledge.titleAt(view, path)
          items.push({
            ...row,
            firstAt: row.firstAt.toISOString(),
            lastAt: row.lastAt.toISOString(),
            referrers: [...row.referrers],
            suggestions: [...finder.suggest({ path, ...(title === undefined ? {} : { title }) }, SUGGESTED)],
          })
        }
      }
      return ok({
        items,
        next: isMore ? String(offset) : null,
        noise: cursor === undefined ? await missedNoise(db, siteId) : [],
        rule: [...NOISE_WORDS],
        score: [...SCORE_WORDS],
      })
    },

    async ignore(actor: Actor, { ids, isIgnored }: MissedIgnore): Promise<Result<{ set: number }, 'forbidden'>> {
      if (!mayAsk(actor, calls.ignore)) return fail('forbidden')
      return write(db, async (transaction, changes) => {
        const set = await setMissedIgnored(db, actor.siteId, ids, isIgnored, transaction)
        changes.add(actor.siteId, 'missed', ids, 'changed')
        await writeAudit(db, actor, 'missed:ignore', null, { addresses: set, isIgnored }, transaction)
        return ok({ set })
      })
    },
  }
}
