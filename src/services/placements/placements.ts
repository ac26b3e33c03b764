import { z } from 'zod'
import { mayAsk } from '../../contract/operation.ts'
import {
  placements as calls,
  type FineMark,
  type Placement,
  type PlacementDetails,
  type PlacementFilter,
  type PlacementName,
  type PlacementQuery,
  type PlacementView,
} from '../../contract/placements.ts'
import { readMenuContent, readPage } from '../../core/content/index.ts'
import {
  fineKey,
  type JudgedPlacement,
  type PlacementQuery as ListQuery,
  type PlacementList,
  rowOf,
  type ShownPlacements,
  SORTS,
  tagWith,
} from '../../core/placements/index.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import { explain, type SiteGround, tellReason } from '../../core/rules/index.ts'
import { getBlob } from '../../data/contents.ts'
import { type Database, inTransaction } from '../../data/database.ts'
import { dropFine, putFine } from '../../data/fine-findings.ts'
import { listPages } from '../../data/pages.ts'
import { replacePlacements, tagsOf } from '../../data/placements.ts'
import { type Actor, type Context, cursorOf, readCursor, type SiteViews, write, writeAudit } from '../context.ts'
import { ledAmong } from '../redirects/index.ts'
import { type CsvPart, csvPart, type PlaceInList } from './csv.ts'
import { sendPlacements } from './feed.ts'
import { PlacementLists } from './lists.ts'
import { shownPlacement } from './shown.ts'

/** A filter as it stands in a call, as the question a list understands. */
export function listQuery({ text, finding, destination, sort, ...facets }: PlacementFilter & Pick<PlacementView, 'sort'>): ListQuery {
  return {
    text,
    finding,
    destination,
    facets: Object.fromEntries(Object.entries(facets).filter(([, value]) => value !== undefined)),
    sort: SORTS.find((each) => each === sort?.replace(/^-/, '')),
    isDown: sort?.startsWith('-') === true,
  }
}

/** Lists of large sites that are taken up at the start; others are when somebody asks. */
const TAKEN_UP_MAX = 4

export function placementsService(context: Context, views: SiteViews) {
  const { db, settings, log } = context
  const lists = new PlacementLists(db, settings.dataFolder, settings.port, (error) =>
    log.warn({ err: error }, 'a list of links was not written down'),
  )

  const listFor = async (actor: Actor): Promise<PlacementList> => lists.of(actor.siteId, await views.of(actor))

  return {
    /** Takes up what was written down of large sites, before somebody asks for it. */
    async takeUp(): Promise<void> {
      for (const siteId of (await lists.large()).slice(0, TAKEN_UP_MAX)) await lists.of(siteId, await views.of({ siteId }))
    },

    /** From which of these paths, at which no page is, redirects lead to somewhere. */
    async led(actor: Actor, paths: readonly string[]): Promise<Result<{ led: string[] }, 'forbidden'>> {
      if (!mayAsk(actor, calls.led)) return fail('forbidden')
      return ok({ led: await ledAmong(db, await views.of(actor), settings.port, paths) })
    },

    listOf: (siteId: string, view: SiteGround): Promise<PlacementList> => lists.of(siteId, view),

    async list(
      actor: Actor,
      query: PlacementQuery,
    ): Promise<Result<{ items: Placement[]; next: string | null; total: number }, 'forbidden'>> {
      if (!mayAsk(actor, calls.list)) return fail('forbidden')
      const list = await listFor(actor)
      const { cursor, limit, page, unmarked, ...filter } = query
      const { found } = list.ask({ ...listQuery(filter), page, isUnmarked: unmarked })
      const from = readCursor(cursor, z.int().positive()) ?? 0
      const items = [...found.subarray(from, from + limit)].flatMap((i) => {
        const judged = list.judgedAt(i)
        return judged === null ? [] : [shownPlacement(actor, judged, list.seenAt(i), list.findingsAt(i))]
      })
      return ok({ items, next: from + limit < found.length ? cursorOf(from + limit) : null, total: found.length })
    },

    /** A part of the list for a screen; the first part of a large one costs what every other does. */
    async view(actor: Actor, { from, count, grouped, ...filter }: PlacementView): Promise<Result<ShownPlacements, 'forbidden'>> {
      // Its counts name rules and partners.
      if (!mayAsk(actor, calls.view)) return fail('forbidden')
      const { list, number } = await lists.numbered(actor.siteId, await views.of(actor))
      const query = listQuery(filter)
      await lists.sorted(list, grouped ? 'destination' : (query.sort ?? 'page'))
      const { found, ...numbers } = list.ask(query)
      const groups = grouped ? list.group(query) : null
      const rows = grouped ? [] : [...found.subarray(from, from + count)]
      return ok({
        stamp: number,
        total: list.total,
        found: groups?.length ?? found.length,
        rows: rows.flatMap((i) => {
          const judged = list.judgedAt(i)
          return judged === null ? [] : [rowOf(judged, list.seenAt(i))]
        }),
        groups: groups?.slice(from, from + count) ?? null,
        numbers: from === 0 ? { ...numbers, links: found.length } : null,
      })
    },

    /** Everything about one link. */
    async details(actor: Actor, { pageId, ordinal }: PlacementName): Promise<Result<PlacementDetails, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.details)) return fail('forbidden')
      const list = await listFor(actor)
      // Rows may have other numbers once somebody else was waited for.
      const i = list.rowOf(pageId, ordinal)
      const [findings, fine] = [list.findingsAt(i), list.fineAt(i)]
      const [judged] = await withTags(db, actor.siteId, [list.judgedAt(i)])
      if (judged === undefined) return fail('not-found')
      return ok({
        before: judged.placement.tag,
        after: tagWith(judged, judged.decision),
        explained: explain(judged.decision).map(({ what, reason }) => ({ what, why: tellReason(reason) })),
        tags: [...judged.facts.tags],
        address: judged.facts.address,
        findings: [...findings],
        fine: [...fine],
      })
    },

    /** All placements for a screen to judge by itself; see {@link sendPlacements}. */
    send: (actor: Actor, after: number | null) => sendPlacements(context, views, actor, after),

    /** Marks a finding of one link as fine, or takes that back. It comes back by itself once its words, destination or marks change. */
    async markFine(actor: Actor, { pageId, ordinal, finding, reason }: FineMark): Promise<Result<null, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.markFine)) return fail('forbidden')
      const list = await listFor(actor)
      const judged = list.judgedAt(list.rowOf(pageId, ordinal))
      if (judged === null) return fail('not-found')
      const key = fineKey(judged, finding)
      return write(db, async (transaction, changes) => {
        if (reason === null) await dropFine(db, actor.siteId, key, transaction)
        else await putFine(db, { siteId: actor.siteId, pageId, key, finding, reason, personId: actor.personId }, transaction)
        changes.add(actor.siteId, 'findings', pageId, 'changed')
        await writeAudit(db, actor, reason === null ? 'findings:take-back' : 'findings:fine', pageId, { finding, reason }, transaction)
        return ok(null)
      })
    },

    /** Some rows of what a filter finds, as CSV; see {@link csvPart}. */
    async csv(actor: Actor, filter: PlacementFilter, after: PlaceInList | null): Promise<Result<CsvPart, 'forbidden'>> {
      if (!mayAsk(actor, calls.csv)) return fail('forbidden')
      return ok(csvPart(await listFor(actor), actor, listQuery(filter), after))
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
}

/** Judged placements with their start tags, which lists do not keep; those that are gone by now are left out. */
export async function withTags(db: Database, siteId: string, judged: readonly (JudgedPlacement | null)[]): Promise<JudgedPlacement[]> {
  const known = judged.filter((each) => each !== null)
  if (known.length === 0) return []
  const names = known.map(({ placement }) => ({ pageId: placement.page.id, ordinal: placement.ordinal }))
  const tags = new Map((await tagsOf(db, siteId, names)).map(({ pageId, ordinal, tag }) => [`${pageId} ${ordinal}`, tag]))
  return known.flatMap(({ placement, ...rest }) => {
    const tag = tags.get(`${placement.page.id} ${placement.ordinal}`)
    return tag === undefined ? [] : [{ ...rest, placement: { ...placement, tag } }]
  })
}
