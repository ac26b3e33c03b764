import { type ApartFault, apart } from '../apart/index.ts'
import { mayAsk } from '../contract/operation.ts'
import { rules as calls, ImpactAnswer, type RewriteAnswer, type RulesChange } from '../contract/rules.ts'
import { PAGE_MAX_BYTES, type PageFault } from '../core/content/index.ts'
import { type JudgedPlacement, shownImpact } from '../core/placements/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { decide, type RulesDraft, type RulesTakenBack, takeBackRules } from '../core/rules/index.ts'
import { listRuleVersions, markRulesUndone, newestRules, putRules, rulesOfVersion, type StoredRules } from '../data/rules.ts'
import { type Actor, type Context, type SiteViews, write, writeAudit } from './context.ts'
import { type placementsService, withTags } from './placements/index.ts'

const VERSIONS_SHOWN = 100
/** Rules on HTML that somebody sends have this long; a page of the largest size takes a tenth of it. */
const REWRITE_MS = 60_000

const nameOf = ({ placement }: JudgedPlacement): string => `${placement.page.id} ${placement.ordinal}`

export function rulesService({ db }: Context, views: SiteViews, placements: ReturnType<typeof placementsService>) {
  return {
    async list(actor: Actor): Promise<Result<StoredRules, 'forbidden'>> {
      return mayAsk(actor, calls.list) ? ok(await newestRules(db, actor.siteId)) : fail('forbidden')
    },

    /** Puts a new version of the whole list on top of the one it was made on. */
    async save(actor: Actor, change: RulesChange): Promise<Result<StoredRules, 'forbidden' | 'moved-on' | 'owner-decides'>> {
      if (!mayAsk(actor, calls.save)) return fail('forbidden')
      const version = change.version + 1
      const saved = await write(db, async (transaction, changes) => {
        const { siteId, personId } = actor
        const before = await newestRules(db, siteId, transaction)
        const { rules, partnersArePaid = before.partnersArePaid } = change
        // What holds below all rules is the owner's to say, as the site itself is.
        if (partnersArePaid !== before.partnersArePaid && !actor.can('hosts:edit')) return fail('owner-decides')
        if (!(await putRules(db, { siteId, version, rules, partnersArePaid, personId }, transaction))) return fail('moved-on')
        changes.add(actor.siteId, 'rules', String(version), 'changed')
        await writeAudit(db, actor, 'rules:edit', null, { version, rules: rules.length, partnersArePaid }, transaction)
        return ok({ version, rules, partnersArePaid })
      })
      if (saved.ok || saved.fault !== 'moved-on') return saved
      return fail('moved-on', { current: await newestRules(db, actor.siteId) })
    },

    /** Takes one saved change back, and leaves what was saved since. */
    async undo(
      actor: Actor,
      version: number,
    ): Promise<Result<Pick<RulesTakenBack, 'back' | 'left'>, 'forbidden' | 'not-found' | 'owner-decides'>> {
      if (!mayAsk(actor, calls.save)) return fail('forbidden')
      const { siteId, personId } = actor
      return write(db, async (transaction, changes) => {
        const now = await newestRules(db, siteId, transaction)
        const after = await rulesOfVersion(db, siteId, version, transaction)
        const before = version === 1 ? { rules: [], partnersArePaid: true } : await rulesOfVersion(db, siteId, version - 1, transaction)
        if (after === null || before === null || !(await markRulesUndone(db, siteId, version, transaction))) return fail('not-found')
        const { rules, partnersArePaid, back, left } = takeBackRules(before, after, now)
        if (back === 0) return ok({ back, left })
        if (partnersArePaid !== now.partnersArePaid && !actor.can('hosts:edit')) return fail('owner-decides')
        const next = now.version + 1
        if (!(await putRules(db, { siteId, version: next, rules, partnersArePaid, personId }, transaction))) return fail('not-found')
        changes.add(siteId, 'rules', String(next), 'changed')
        await writeAudit(db, actor, 'rules:undo', null, { version, back }, transaction)
        return ok({ back, left })
      })
    },

    /** Versions of the list, newest first. */
    async history(
      actor: Actor,
    ): Promise<Result<{ items: { version: number; by: string | null; at: string; rules: number }[] }, 'forbidden'>> {
      if (!mayAsk(actor, calls.history)) return fail('forbidden')
      const found = await listRuleVersions(db, actor.siteId, VERSIONS_SHOWN)
      return ok({ items: found.map((each) => ({ ...each, at: new Date(each.at).toISOString() })) })
    },

    /** A version of the list, as it was. */
    async version(actor: Actor, version: number): Promise<Result<StoredRules, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.version)) return fail('forbidden')
      const found = await rulesOfVersion(db, actor.siteId, version)
      return found === null ? fail('not-found') : ok(found)
    },

    /** What a list would change against the one in force, before it is saved. */
    async impact(actor: Actor, rules: RulesDraft): Promise<Result<ImpactAnswer, 'forbidden'>> {
      if (!mayAsk(actor, calls.impact)) return fail('forbidden')
      const view = await views.of(actor)
      const draft = view.compile(rules)
      const list = await placements.listOf(actor.siteId, view)
      const impact = list.impact(rules)
      // Rows may have other numbers once the database was waited for.
      const named = impact.groups.map((group) => ({ ...group, examples: group.examples.flatMap((i) => list.judgedAt(i) ?? []) }))
      const examples = named.flatMap((group) => group.examples)
      const tagged = new Map((await withTags(db, actor.siteId, examples)).map((each) => [nameOf(each), each]))
      const groups = named.map((group) => ({ ...group, examples: group.examples.flatMap((each) => tagged.get(nameOf(each)) ?? []) }))
      return ok(ImpactAnswer.parse(shownImpact({ ...impact, groups }, (each) => decide(draft, each.facts))))
    },

    /** The rules in force on any HTML; nothing is stored. */
    async rewrite(
      actor: Actor,
      { html, host, path }: { html: string; host?: string | undefined; path?: string | undefined },
    ): Promise<Result<RewriteAnswer, 'forbidden' | 'unknown-host' | PageFault | ApartFault>> {
      if (!mayAsk(actor, calls.rewrite)) return fail('forbidden')
      const view = await views.of(actor)
      if (host !== undefined && !view.setup.hosts.some((each) => each.host === host.toLowerCase().replace(/:\d+$/, '')))
        return fail('unknown-host', { host })
      if (html.length > PAGE_MAX_BYTES) return fail('page-too-large')
      const done = await views.knowingApart(view, (site) => apart('rewrite', { site, html, path: path ?? '/' }, { deadlineMs: REWRITE_MS }))
      return done.ok ? done.value : done
    },
  }
}
