import { type DisclosedPage, Disclosure, type DisclosureMended, type DisclosureReview } from '../contract/disclosure.ts'
import { disclosureOf, mendDisclosure } from '../core/disclosure/index.ts'
import { decodeSource, patchBytes, writableIn } from '../core/markup/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { hintsOf, relTokens } from '../core/rules/index.ts'
import { type BulkPage, insertBulkChange } from '../data/bulk-changes.ts'
import { readDrafts, updateDrafts } from '../data/drafts.ts'
import { readDisclosure, writeDisclosure } from '../data/phrases.ts'
import { newContent } from './content.ts'
import { type Actor, type Context, type SiteViews, write, writeAudit } from './context.ts'
import type { placementsService } from './placements.ts'

const SHOWN_MAX = 500

/** What the site tells its readers of paid links, and which pages do. */
export function disclosureService({ db }: Context, views: SiteViews, placements: ReturnType<typeof placementsService>) {
  const told = async (siteId: string): Promise<Disclosure> => Disclosure.parse(await readDisclosure(db, siteId))

  /** Pages with paid links, and where the first of each begins. */
  async function paidPages(actor: Actor): Promise<ReadonlyMap<string, { first: number; paid: number }>> {
    const list = await placements.listOf(actor.siteId, await views.of(actor))
    const pages = new Map<string, { first: number; paid: number }>()
    for (const i of list.ask({}).found) {
      const judged = list.judgedAt(i)
      if (judged === null || judged.placement.page.kind !== 'page') continue
      if (!judged.facts.isPartner && !hintsOf(relTokens(judged.decision.rel)).includes('sponsored')) continue
      const { page, start } = judged.placement
      const known = pages.get(page.id)
      pages.set(page.id, { first: Math.min(start, known?.first ?? start), paid: (known?.paid ?? 0) + 1 })
    }
    return pages
  }

  return {
    async look(actor: Actor): Promise<Result<Disclosure, 'forbidden'>> {
      return actor.can('partners:read') ? ok(await told(actor.siteId)) : fail('forbidden')
    },

    async change(actor: Actor, disclosure: Disclosure): Promise<Result<Disclosure, 'forbidden'>> {
      if (!actor.can('partners:edit')) return fail('forbidden')
      return write(db, async (transaction, changes) => {
        await writeDisclosure(db, actor.siteId, disclosure, transaction)
        changes.add(actor.siteId, 'disclosure', actor.siteId, 'changed')
        await writeAudit(db, actor, 'disclosure:edit', null, disclosure, transaction)
        return ok(disclosure)
      })
    },

    /** Those that have to tell and do not, or too late, come first. */
    async review(actor: Actor): Promise<Result<DisclosureReview, 'forbidden'>> {
      if (!actor.can('pages:read')) return fail('forbidden')
      const disclosure = await told(actor.siteId)
      const paid = await paidPages(actor)
      const pages: DisclosedPage[] = []
      let well = 0
      for await (const drafts of readDrafts(db, actor.siteId, [...paid.keys()]))
        for (const { page, bytes } of drafts) {
          const { state } = disclosureOf(decodeSource(bytes, page.encoding), disclosure, paid.get(page.id)?.first ?? null)
          if (state === 'well') well++
          else pages.push({ pageId: page.id, path: page.path, title: page.title, paid: paid.get(page.id)?.paid ?? 0, state })
        }
      return ok({ pages: pages.slice(0, SHOWN_MAX), lacking: pages.length, well, more: Math.max(0, pages.length - SHOWN_MAX) })
    },

    /** Puts pages right in one transaction, taken back like any change of many links. */
    async mend(
      actor: Actor,
      pageIds: readonly string[] | undefined,
    ): Promise<Result<DisclosureMended, 'forbidden' | 'moved-on' | 'disclosure-empty' | 'nothing-to-change'>> {
      if (!actor.can('pages:publish')) return fail('forbidden')
      const disclosure = await told(actor.siteId)
      if (disclosure.text === '') return fail('disclosure-empty')
      const paid = await paidPages(actor)
      const wanted = pageIds === undefined ? [...paid.keys()] : pageIds.filter((id) => paid.has(id))
      return write(db, async (transaction, changes) => {
        const done: BulkPage[] = []
        for await (const drafts of readDrafts(db, actor.siteId, wanted)) {
          const mended = drafts.flatMap(({ page, bytes }) => {
            const text = decodeSource(bytes, page.encoding)
            const patches = mendDisclosure(text, disclosure, paid.get(page.id)?.first ?? null)
            if (patches.length === 0) return []
            const patched = patchBytes(
              bytes,
              page.encoding,
              text,
              patches.map((patch) => ({ ...patch, insert: writableIn(patch.insert, page.encoding) })),
            )
            return patched.ok
              ? [
                  {
                    page,
                    content: newContent(patched.value, page.title, {
                      encoding: page.encoding,
                      kind: page.kind,
                      path: page.path,
                      notes: page,
                    }),
                  },
                ]
              : []
          })
          if (mended.length === 0) continue
          const moved = await updateDrafts(
            db,
            mended.map(({ page, content }) => ({ pageId: page.id, version: page.version, content })),
            { personId: actor.personId, madeBy: 'bulk' },
            transaction,
          )
          if (moved !== null)
            return fail('moved-on', { why: `“${mended.find(({ page }) => page.id === moved)?.page.title}” was saved in the meantime.` })
          for (const { page, content } of mended)
            done.push({ pageId: page.id, beforeHash: page.draftHash, beforeEncoding: page.encoding, afterHash: content.hash })
        }
        if (done.length === 0) return fail('nothing-to-change')
        const id = await insertBulkChange(
          db,
          { siteId: actor.siteId, change: { do: 'disclose' }, links: done.length, personId: actor.personId, pages: done },
          transaction,
        )
        changes.add(
          actor.siteId,
          'pages',
          done.map(({ pageId }) => pageId),
          'changed',
        )
        changes.add(actor.siteId, 'bulk-changes', id, 'made')
        await writeAudit(db, actor, 'disclosure:mend', id, { pages: done.length }, transaction)
        return ok({ id, pages: done.length })
      })
    },
  }
}
