import { stringify } from 'csv-stringify/sync'
import { z } from 'zod'
import type { FineMark, Placement, PlacementFilter, PlacementQuery } from '../contract/placements.ts'
import { readMenuContent, readPage, TAG_MAX_CHARS } from '../core/content/index.ts'
import {
  type Finding,
  type Fine,
  fineKey,
  type JudgedPlacement,
  type PlacementQuery as ListQuery,
  landsOf,
  type PlacementList,
  sendPlacement,
} from '../core/placements/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { becauseOf, explain, hintsOf, relTokens, type SiteGround, type SiteSetup, sayReason } from '../core/rules/index.ts'
import { logEnds } from '../data/changes.ts'
import { inTransaction } from '../data/database.ts'
import { dropFine, listFine, putFine } from '../data/fine-findings.ts'
import { getBlob, listPages, ownPaths, replacePlacements } from '../data/pages.ts'
import { type Actor, type Context, cursorOf, readCursor, type SiteViews, write, writeAudit } from './context.ts'
import { KnownShortLinks } from './known-short-links.ts'
import { learnShortLinks, PlacementLists, storedPlacements } from './placement-lists.ts'

/** What one must be allowed to read to judge links by oneself. */
const JUDGED_BY = ['pages:read', 'rules:read', 'partners:read', 'short-links:read'] as const

/** Leads to a partner and does not say so. */
export const isUnmarked = ({ facts, decision }: JudgedPlacement): boolean =>
  facts.isPartner && !hintsOf(relTokens(decision.rel)).includes('sponsored')

/** A placement as `actor` may see it: why a link has its marks is told in the names of rules. */
export function shownPlacement(actor: Actor, judged: JudgedPlacement, paths: ReadonlySet<string>, findings: readonly Finding[]): Placement {
  const tellsWhy = actor.can('rules:read')
  const { placement, facts, decision } = judged
  const { page, written } = placement
  return {
    pageId: page.id,
    page: page.path,
    pageTitle: page.title,
    ordinal: placement.ordinal,
    start: placement.start,
    text: placement.text,
    href: written.href,
    kind: facts.kind,
    site: facts.site,
    isPartner: facts.isPartner,
    tags: [...facts.tags],
    lands: landsOf(facts, paths),
    before: { rel: written.rel, target: written.target },
    after: { rel: decision.rel, target: decision.target },
    because: tellsWhy ? becauseOf(decision) : { rel: '', target: '' },
    explained: tellsWhy ? explain(decision).map(({ what, reason }) => ({ what, why: sayReason(reason) })) : [],
    findings: [...findings],
    isUnmarked: isUnmarked(judged),
  }
}

/** A filter as it stands in a call, as the question a list understands. */
export function listQuery({ text, finding, destination, ...facets }: PlacementFilter): ListQuery {
  return { text, finding, destination, facets: Object.fromEntries(Object.entries(facets).filter(([, value]) => value !== undefined)) }
}

/** What a screen gets first of all placements: what is needed to judge them. The placements follow in steps. */
export interface PlacementsHead {
  readonly stamp: string
  readonly setup: SiteSetup
  readonly port: number
  readonly paths: readonly string[]
  readonly total: number
  /** What people marked as fine, by key. */
  readonly fine: readonly (readonly [key: string, fine: Fine])[]
}

export function placementsService({ db, settings }: Context, views: SiteViews) {
  const lists = new PlacementLists(db)

  /** Differs whenever what is known of a site's links may differ. */
  const stampOf = async (siteId: string): Promise<string> => String((await logEnds(db, siteId))[0]?.number ?? 0)

  return {
    listOf: (siteId: string, view: SiteGround): Promise<PlacementList> => lists.of(siteId, view),

    async list(
      actor: Actor,
      query: PlacementQuery,
    ): Promise<Result<{ items: Placement[]; next: string | null; total: number }, 'forbidden'>> {
      if (!actor.can('pages:read')) return fail('forbidden')
      const view = await views.of(actor)
      const list = await lists.of(actor.siteId, view)
      const { cursor, limit, page, unmarked, ...filter } = query
      const { found } = list.ask(listQuery(filter))
      const wanted = [...found].filter((i) => {
        const judged = list.judged[i]
        if (judged === undefined) return false
        return (page === undefined || judged.placement.page.path === page) && (unmarked === undefined || isUnmarked(judged) === unmarked)
      })
      const after = readCursor(cursor, z.int().positive())
      const from = after !== undefined ? wanted.findIndex((i) => i >= after) : 0
      const shown = from === -1 ? [] : wanted.slice(from, from + limit)
      const items = shown.flatMap((i) => {
        const judged = list.judged[i]
        return judged === undefined ? [] : [shownPlacement(actor, judged, list.paths, list.findingsAt(i))]
      })
      const next = from === -1 ? undefined : wanted[from + limit]
      return ok({ items, next: next === undefined ? null : cursorOf(next), total: wanted.length })
    },

    /** All placements for a screen to judge by itself: a line with what is needed for that, then lines of pages and placements. */
    async send(actor: Actor): Promise<Result<AsyncGenerator<string>, 'forbidden'>> {
      // Its first line holds what links are judged by: rules, partners with their accounts, and short links.
      if (!JUDGED_BY.every((permission) => actor.can(permission))) return fail('forbidden')
      const { siteId } = actor
      const view = await views.of(actor)
      const { setup } = view
      const head: PlacementsHead = {
        stamp: await stampOf(siteId),
        setup,
        port: settings.port,
        paths: [...(await ownPaths(db, siteId))],
        total: await countPlacements(siteId),
        fine: [...(await listFine(db, siteId))],
      }
      async function* lines(): AsyncGenerator<string> {
        yield `${JSON.stringify(head)}\n`
        const numbers = new Map<string, number>()
        const short = new KnownShortLinks(db, siteId)
        for await (const { pages, rows } of storedPlacements(db, siteId)) {
          for (const page of pages) numbers.set(page.id, numbers.size)
          const known = short.all.length
          await learnShortLinks(short, view, rows)
          const sent = rows.map((row) => sendPlacement(numbers.get(row.page.id) ?? 0, row, row.tag.length >= TAG_MAX_CHARS))
          yield `${JSON.stringify({ pages, rows: sent, shortLinks: short.all.slice(known) })}\n`
        }
      }
      return ok(lines())
    },

    /** Marks a finding of one link as fine, or takes that back. It comes back by itself once its words, destination or marks change. */
    async markFine(actor: Actor, { pageId, ordinal, finding, reason }: FineMark): Promise<Result<null, 'forbidden' | 'not-found'>> {
      if (!actor.can('pages:edit')) return fail('forbidden')
      const list = await lists.of(actor.siteId, await views.of(actor))
      const judged = list.judged.find(({ placement }) => placement.page.id === pageId && placement.ordinal === ordinal)
      if (judged === undefined) return fail('not-found')
      const key = fineKey(judged, finding)
      return write(db, async (transaction, changes) => {
        if (reason === null) await dropFine(db, actor.siteId, key, transaction)
        else await putFine(db, { siteId: actor.siteId, pageId, key, finding, reason, personId: actor.personId }, transaction)
        changes.add(actor.siteId, 'findings', pageId, 'changed')
        await writeAudit(db, actor, reason === null ? 'findings:take-back' : 'findings:fine', pageId, { finding, reason }, transaction)
        return ok(null)
      })
    },

    /** Tells whether anything has changed since. */
    async stamp(actor: Actor): Promise<string> {
      return stampOf(actor.siteId)
    },

    /** What a filter finds as CSV (RFC 4180), with a header. Cells that a spreadsheet would take for a formula are told apart. */
    async csv(actor: Actor, filter: PlacementFilter): Promise<Result<string, 'forbidden'>> {
      if (!actor.can('exports:read')) return fail('forbidden')
      const list = await lists.of(actor.siteId, await views.of(actor))
      const rows = [...list.ask(listQuery(filter)).found].flatMap((i) => {
        const judged = list.judged[i]
        if (judged === undefined) return []
        const shown = shownPlacement(actor, judged, list.paths, list.findingsAt(i))
        return [
          {
            page: shown.page,
            title: shown.pageTitle,
            text: shown.text,
            href: shown.href,
            kind: shown.kind ?? '',
            site: shown.site ?? '',
            rel: shown.after.rel ?? '',
            target: shown.after.target ?? '',
            because: shown.because.rel,
            lands: shown.lands === null ? '' : shown.lands ? 'yes' : 'no',
            tags: shown.tags.join(', '),
            findings: shown.findings.join(', '),
          },
        ]
      })
      const columns = ['page', 'title', 'text', 'href', 'kind', 'site', 'rel', 'target', 'because', 'lands', 'tags', 'findings']
      return ok(stringify(rows, { header: true, columns, escape_formulas: true }))
    },

    /** Derives the whole index anew from the drafts. @returns how many pages, blocks and menus were read */
    async rebuild(siteId: string): Promise<number> {
      let done = 0
      for (const kind of ['page', 'block', 'menu'] as const) {
        for (let after: string | undefined; ; ) {
          const { items } = await listPages(db, { siteId, kind, after, limit: 100 })
          for (const page of items) {
            const bytes = await getBlob(db, page.draftHash)
            if (bytes === null) continue
            const content = kind === 'menu' ? readMenuContent(bytes) : readPage(bytes, page.encoding, page.path)
            await inTransaction(db, (transaction) => replacePlacements(db, [{ pageId: page.id, ...content }], transaction))
          }
          done += items.length
          after = items[items.length - 1]?.path
          if (items.length < 100) break
        }
      }
      lists.forget(siteId)
      return done
    },
  }

  async function countPlacements(siteId: string): Promise<number> {
    const { rows: found } = await db.pool.query<{ count: string }>(
      'SELECT count(*) AS count FROM placements l JOIN pages p ON p.id = l.page_id WHERE p.site_id = $1 AND p.removed_at IS NULL',
      [siteId],
    )
    return Number(found[0]?.count ?? 0)
  }
}
