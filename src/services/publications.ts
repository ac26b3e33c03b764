import type { Publication, PublicationNew, Unpublished } from '../contract/publications.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { type ListedPublication, listPublications, publish, unpublishedFiles, unpublishedPages } from '../data/publications.ts'
import { type Actor, announce, type Context, write, writeAudit } from './context.ts'

const shown = (row: ListedPublication): Publication => ({ ...row, at: new Date(row.at).toISOString() })

/** Pages named one by one; the rest are counted. */
const NAMED_PAGES = 200

export function publicationsService({ db }: Context) {
  return {
    /** What differs from the live site. */
    async unpublished(actor: Actor): Promise<Result<Unpublished, 'forbidden'>> {
      if (!actor.can('pages:read')) return fail('forbidden')
      const { pages, total } = await unpublishedPages(db, actor.siteId, NAMED_PAGES)
      return ok({
        pages: pages.map((page) => ({ ...page, at: new Date(page.at).toISOString() })),
        morePages: total - pages.length,
        files: await unpublishedFiles(db, actor.siteId),
      })
    },

    /** Makes drafts live: all of them, or the pages named and the files. Visitors see them at once. */
    async create(actor: Actor, wanted: PublicationNew): Promise<Result<Publication, 'forbidden' | 'nothing-to-publish'>> {
      if (!actor.can('pages:publish')) return fail('forbidden')
      const saved = await write(db, async (transaction) => {
        const id = await publish(db, actor.siteId, 'all' in wanted ? null : wanted.pages, actor.personId, transaction)
        if (id === null) return fail('nothing-to-publish')
        await announce(db, transaction)
        await writeAudit(db, actor, 'pages:publish', id, 'all' in wanted ? { all: true } : { pages: wanted.pages.length }, transaction)
        return ok(id)
      })
      if (!saved.ok) return saved
      const [made] = await listPublications(db, actor.siteId, saved.value, 1)
      if (made === undefined) throw new Error('A publication vanished as it was made')
      return ok(shown(made))
    },

    async list(actor: Actor): Promise<Result<{ items: Publication[] }, 'forbidden'>> {
      if (!actor.can('pages:read')) return fail('forbidden')
      return ok({ items: (await listPublications(db, actor.siteId, null, 50)).map(shown) })
    },
  }
}
