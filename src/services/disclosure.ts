import { stopIfUnwanted, Turns } from '../apart/index.ts'
import {
  disclosure as calls,
  type DisclosedPage,
  Disclosure,
  type DisclosureChange,
  type DisclosureMended,
  type DisclosureReview,
} from '../contract/disclosure.ts'
import { mayAsk } from '../contract/operation.ts'
import { disclosureOf, mendDisclosure } from '../core/disclosure/index.ts'
import { decodeSource } from '../core/markup/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { readDrafts } from '../data/drafts.ts'
import { draftVersionsOf } from '../data/pages.ts'
import { readDisclosure, writeDisclosure } from '../data/phrases.ts'
import { BulkDrafts, patchPage } from './bulk-changes/index.ts'
import { defined } from './conditions.ts'
import { type Actor, type Context, type SiteViews, write, writeAudit } from './context.ts'
import type { placementsService } from './placements/index.ts'

const SHOWN_MAX = 500

interface Looked {
  readonly sign: string
  readonly page: DisclosedPage
}

/** What the site tells its readers of paid links, and which pages do. */
export function disclosureService({ db }: Context, views: SiteViews, placements: ReturnType<typeof placementsService>) {
  /** By site and page: what was found, and of what. */
  const looked = new Map<string, ReadonlyMap<string, Looked>>()
  const told = async (siteId: string): Promise<Disclosure> => Disclosure.parse(await readDisclosure(db, siteId))

  /** Pages with paid links, and where the first of each begins. Of a site's links those that are paid are looked at, and no others. */
  async function paidPages(actor: Actor): Promise<ReadonlyMap<string, { first: number; paid: number }>> {
    const list = await placements.listOf(actor.siteId, await views.of(actor))
    const rows = list.ask({ facets: { strand: 'sponsored' } }).found
    const pages = new Map<string, { first: number; paid: number }>()
    for (const i of rows) {
      const judged = list.judgedAt(i)
      if (judged === null || judged.placement.page.kind !== 'page') continue
      const { page, start } = judged.placement
      const known = pages.get(page.id)
      pages.set(page.id, { first: Math.min(start, known?.first ?? start), paid: (known?.paid ?? 0) + 1 })
    }
    return pages
  }

  return {
    async look(actor: Actor): Promise<Result<Disclosure, 'forbidden'>> {
      return mayAsk(actor, calls.look) ? ok(await told(actor.siteId)) : fail('forbidden')
    },

    async change(actor: Actor, change: DisclosureChange): Promise<Result<Disclosure, 'forbidden'>> {
      if (!mayAsk(actor, calls.change)) return fail('forbidden')
      return write(db, async (transaction, changes) => {
        const disclosure = { ...(await told(actor.siteId)), ...defined(change) }
        await writeDisclosure(db, actor.siteId, disclosure, transaction)
        changes.add(actor.siteId, 'disclosure', actor.siteId, 'changed')
        await writeAudit(db, actor, 'disclosure:edit', null, disclosure, transaction)
        return ok(disclosure)
      })
    },

    /** Those that have to tell and do not, or too late, come first. */
    async review(actor: Actor): Promise<Result<DisclosureReview, 'forbidden'>> {
      if (!mayAsk(actor, calls.review)) return fail('forbidden')
      const disclosure = await told(actor.siteId)
      const paid = await paidPages(actor)
      const there = await draftVersionsOf(db, actor.siteId, [...paid.keys()])
      const signOf = (id: string, version: number): string => `${version} ${paid.get(id)?.first} ${disclosure.text}`
      const before = looked.get(actor.siteId) ?? new Map<string, Looked>()
      const now = new Map<string, Looked>()
      for (const { id, version } of there) {
        const known = before.get(id)
        if (known?.sign === signOf(id, version)) now.set(id, known)
      }
      const turns = new Turns()
      // A page that is as it was when it was last looked at is not read again.
      for await (const drafts of readDrafts(
        db,
        actor.siteId,
        there.flatMap(({ id }) => (now.has(id) ? [] : [id])),
      ))
        for (const { page, bytes } of drafts) {
          const { id: pageId, path, title, version } = page
          const { first = null, paid: links = 0 } = paid.get(pageId) ?? {}
          const { state } = disclosureOf(decodeSource(bytes, page.encoding), disclosure, first)
          now.set(pageId, { sign: signOf(pageId, version), page: { pageId, path, title, paid: links, state } })
          stopIfUnwanted()
          if (turns.isOver) await turns.next()
        }
      looked.set(actor.siteId, now)
      const pages = there.flatMap(({ id }) => {
        const found = now.get(id)?.page
        return found === undefined || found.state === 'well' ? [] : [{ ...found, paid: paid.get(id)?.paid ?? 0 }]
      })
      const well = there.length - pages.length
      return ok({ pages: pages.slice(0, SHOWN_MAX), lacking: pages.length, well, more: Math.max(0, pages.length - SHOWN_MAX) })
    },

    /** Puts pages right in one transaction, taken back like any change of many links. */
    async mend(
      actor: Actor,
      pageIds: readonly string[] | undefined,
    ): Promise<Result<DisclosureMended, 'forbidden' | 'moved-on' | 'disclosure-empty' | 'nothing-to-change'>> {
      if (!mayAsk(actor, calls.mend)) return fail('forbidden')
      const disclosure = await told(actor.siteId)
      if (disclosure.text === '') return fail('disclosure-empty')
      const paid = await paidPages(actor)
      const wanted = pageIds === undefined ? [...paid.keys()] : pageIds.filter((id) => paid.has(id))
      return write(db, async (transaction, changes) => {
        const bulk = new BulkDrafts(db, actor, transaction)
        for await (const drafts of readDrafts(db, actor.siteId, wanted)) {
          const put = await bulk.put(
            drafts.flatMap(({ page, bytes }) => {
              const text = decodeSource(bytes, page.encoding)
              const patches = mendDisclosure(text, disclosure, paid.get(page.id)?.first ?? null)
              const patched = patches.length === 0 ? null : patchPage(page, bytes, text, patches)
              return patched === null ? [] : [{ page, bytes: patched }]
            }),
          )
          if (!put.ok) return put
        }
        if (bulk.pages === 0) return fail('nothing-to-change')
        const id = await bulk.close({ do: 'disclose' }, bulk.pages, changes)
        await writeAudit(db, actor, 'disclosure:mend', id, { pages: bulk.pages }, transaction)
        return ok({ id, pages: bulk.pages })
      })
    },
  }
}
