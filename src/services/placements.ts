import type { Placement, PlacementQuery } from '../contract/pages.ts'
import { readPage } from '../core/content/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { type CompiledSite, type Decision, decide, factsOf, hintsOf, type LinkFacts, relTokens, sayReason } from '../core/rules/index.ts'
import { inTransaction } from '../data/database.ts'
import { getBlob, listPages, listPlacements, ownPaths, type PlacementRow, replacePlacements } from '../data/pages.ts'
import { type Actor, type Context, cursorOf, readCursor, type SiteViews } from './context.ts'

/** A stored placement put into its surroundings and decided. */
export interface Judged {
  readonly row: PlacementRow
  readonly facts: LinkFacts
  readonly decision: Decision
}

export function judge(view: CompiledSite, row: PlacementRow): Judged {
  const facts = factsOf(row, view.around(row.path, { writtenFor: row.writtenFor }), view.findShortLink)
  return { row, facts, decision: decide(view.rules, facts) }
}

/** Leads to a partner and does not say so. */
export const isUnmarked = ({ facts, decision }: Judged): boolean =>
  facts.isPartner && !hintsOf(relTokens(decision.rel)).includes('sponsored')

/** Why `rel` and `target` are what they are, in plain words. */
export function becauseOf({ because }: Decision): { rel: string; target: string } {
  const others = [
    because.noopener === null ? '' : `noopener: ${sayReason(because.noopener)}`,
    because.noreferrer === null ? '' : `noreferrer: ${sayReason(because.noreferrer)}`,
  ].filter((words) => words !== '')
  const hints = because.hints.by === 'source' && others.length > 0 ? [] : [sayReason(because.hints)]
  return { rel: [...hints, ...others].join('; '), target: sayReason(because.opens) }
}

/** Whether an inside destination exists; null for what only a visit could tell. */
export function landsOf({ facts }: Judged, paths: ReadonlySet<string>): boolean | null {
  if (facts.address === null) return false
  if (facts.kind === 'short link') return facts.site !== null
  if (facts.kind !== 'inside page' && facts.kind !== 'file') return facts.kind === 'section' ? true : null
  const { pathname } = new URL(facts.address)
  return [pathname, pathname.replace(/\/index\.html?$/i, '/'), `${pathname}/`, pathname.replace(/\/$/, '')].some((path) => paths.has(path))
}

export function shownPlacement(judged: Judged, paths: ReadonlySet<string>): Placement {
  const { row, facts, decision } = judged
  return {
    pageId: row.pageId,
    page: row.path,
    pageTitle: row.title,
    start: row.start,
    text: row.text,
    href: row.href,
    kind: facts.kind,
    site: facts.site,
    isPartner: facts.isPartner,
    lands: landsOf(judged, paths),
    before: { rel: row.rel, target: row.target },
    after: { rel: decision.rel, target: decision.target },
    because: becauseOf(decision),
    isUnmarked: isUnmarked(judged),
  }
}

/** Placements read at once: few enough that nobody else waits, many enough that the database is seldom asked. */
const SCAN_STEP = 5_000

export function placementsService({ db }: Context, views: SiteViews) {
  return {
    async list(actor: Actor, query: PlacementQuery): Promise<Result<{ items: Placement[]; next: string | null }, 'forbidden'>> {
      if (!actor.can('pages:read')) return fail('forbidden')
      const view = await views.of(actor)
      const paths = await ownPaths(db, actor.siteId)
      const items: Placement[] = []
      let after = readCursor(query.cursor) as { path: string; ordinal: number } | undefined
      if (typeof after?.path !== 'string' || typeof after.ordinal !== 'number') after = undefined
      for (;;) {
        const found = await listPlacements(db, { siteId: actor.siteId, path: query.page, after, limit: SCAN_STEP })
        for (const row of found) {
          after = { path: row.path, ordinal: row.ordinal }
          const judged = judge(view, row)
          if (query.site !== undefined && judged.facts.site !== query.site) continue
          if (query.unmarked !== undefined && isUnmarked(judged) !== query.unmarked) continue
          items.push(shownPlacement(judged, paths))
          if (items.length === query.limit) return ok({ items, next: cursorOf(after) })
        }
        if (found.length < SCAN_STEP) return ok({ items, next: null })
      }
    },

    /** All placements of the site, judged, in steps: other requests are answered in between. */
    async *judgeAll(siteId: string, view: CompiledSite): AsyncGenerator<Judged> {
      for (let after: { path: string; ordinal: number } | undefined; ; ) {
        const found = await listPlacements(db, { siteId, after, limit: SCAN_STEP })
        for (const row of found) yield judge(view, row)
        const last = found[found.length - 1]
        if (last === undefined || found.length < SCAN_STEP) return
        after = { path: last.path, ordinal: last.ordinal }
      }
    },

    /** Derives the whole index anew from the drafts. @returns how many pages were read */
    async rebuild(siteId: string): Promise<number> {
      let after: string | undefined
      for (let done = 0; ; ) {
        const { items } = await listPages(db, { siteId, after, limit: 100 })
        for (const page of items) {
          const bytes = await getBlob(db, page.draftHash)
          if (bytes === null) continue
          await inTransaction(db, (transaction) =>
            replacePlacements(db, [{ pageId: page.id, placements: readPage(bytes, page.encoding).placements }], transaction),
          )
        }
        done += items.length
        after = items[items.length - 1]?.path
        if (items.length < 100) return done
      }
    },
  }
}
