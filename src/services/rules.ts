import { type ApartFault, apart } from '../apart/index.ts'
import { ImpactAnswer, type RewriteAnswer, RuleList, type RulesChange } from '../contract/rules.ts'
import { PAGE_MAX_BYTES, type PageFault } from '../core/content/index.ts'
import { type JudgedPlacement, shownImpact } from '../core/placements/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { compileRules, decide, type Rule } from '../core/rules/index.ts'
import { jsonOf, rows } from '../data/database.ts'
import { type Actor, type Context, type SiteViews, write, writeAudit } from './context.ts'
import { type placementsService, withTags } from './placements.ts'

interface StoredList {
  readonly version: number
  readonly rules: readonly Rule[]
}

/** Rules on HTML that somebody sends have this long; a page of the largest size takes a tenth of it. */
const REWRITE_MS = 60_000

const nameOf = ({ placement }: JudgedPlacement): string => `${placement.page.id} ${placement.ordinal}`

export function rulesService({ db }: Context, views: SiteViews, placements: ReturnType<typeof placementsService>) {
  const current = async (siteId: string): Promise<StoredList> => {
    const [row] = await rows<{ version: number; list: unknown }>(
      db,
      'SELECT version, list FROM rules WHERE site_id = $1 ORDER BY version DESC LIMIT 1',
      [siteId],
    )
    return row === undefined ? { version: 0, rules: [] } : { version: row.version, rules: RuleList.shape.rules.parse(row.list) }
  }

  return {
    async list(actor: Actor): Promise<Result<StoredList, 'forbidden'>> {
      return actor.can('rules:read') ? ok(await current(actor.siteId)) : fail('forbidden')
    },

    /** Puts a new version of the whole list on top of the one it was made on. */
    async save(actor: Actor, change: RulesChange): Promise<Result<StoredList, 'forbidden' | 'moved-on'>> {
      if (!actor.can('rules:edit')) return fail('forbidden')
      const version = change.version + 1
      const saved = await write(db, async (transaction, changes) => {
        const kept = await rows(
          db,
          `INSERT INTO rules (site_id, version, list, person_id) SELECT $1, $2, $3::jsonb, $4
           WHERE $2 = (SELECT coalesce(max(version), 0) + 1 FROM rules WHERE site_id = $1) ON CONFLICT DO NOTHING RETURNING version`,
          [actor.siteId, version, jsonOf(change.rules), actor.personId],
          transaction,
        )
        if (kept.length === 0) return fail('moved-on')
        changes.add(actor.siteId, 'rules', String(version), 'changed')
        await writeAudit(db, actor, 'rules:edit', null, { version, rules: change.rules.length }, transaction)
        return ok({ version, rules: change.rules })
      })
      return saved.ok ? saved : fail('moved-on', { current: await current(actor.siteId) })
    },

    /** Versions of the list, newest first. */
    async history(
      actor: Actor,
    ): Promise<Result<{ items: { version: number; by: string | null; at: string; rules: number }[] }, 'forbidden'>> {
      if (!actor.can('rules:read')) return fail('forbidden')
      const found = await rows<{ version: number; by: string | null; at: Date; rules: number }>(
        db,
        `SELECT version, (SELECT name FROM people WHERE people.id = rules.person_id) AS by, created_at AS at, jsonb_array_length(list) AS rules
         FROM rules WHERE site_id = $1 ORDER BY version DESC LIMIT 100`,
        [actor.siteId],
      )
      return ok({ items: found.map((each) => ({ ...each, at: new Date(each.at).toISOString() })) })
    },

    /** A version of the list, as it was. */
    async version(actor: Actor, version: number): Promise<Result<StoredList, 'forbidden' | 'not-found'>> {
      if (!actor.can('rules:read')) return fail('forbidden')
      const [row] = await rows<{ list: unknown }>(db, 'SELECT list FROM rules WHERE site_id = $1 AND version = $2', [actor.siteId, version])
      return row === undefined ? fail('not-found') : ok({ version, rules: RuleList.shape.rules.parse(row.list) })
    },

    /** What a list would change against the one in force, before it is saved. */
    async impact(actor: Actor, rules: readonly Rule[]): Promise<Result<ImpactAnswer, 'forbidden'>> {
      if (!actor.can('rules:read')) return fail('forbidden')
      const view = await views.of(actor)
      const draft = compileRules(rules)
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
      if (!actor.can('rules:read')) return fail('forbidden')
      const view = await views.of(actor)
      if (host !== undefined && !view.setup.hosts.some((each) => each.host === host.toLowerCase().replace(/:\d+$/, '')))
        return fail('unknown-host', { host })
      if (html.length > PAGE_MAX_BYTES) return fail('page-too-large')
      const done = await views.knowingApart(view, (site) => apart('rewrite', { site, html, path: path ?? '/' }, { deadlineMs: REWRITE_MS }))
      return done.ok ? done.value : done
    },
  }
}
