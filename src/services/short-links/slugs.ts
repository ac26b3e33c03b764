import { mayAsk } from '../../contract/operation.ts'
import { toldOf } from '../../contract/problems.ts'
import { shortLinkSlugs as calls, type SlugLook, type SlugsChange } from '../../contract/short-link-slugs.ts'
import type { ShortLink } from '../../contract/short-links.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import { neighboursOf, type SlugFault, sayabilityOf, slugFault } from '../../core/slugs/index.ts'
import { asOfNow } from '../../data/delivered.ts'
import { slugsInUse } from '../../data/short-link-slugs.ts'
import { updateShortLink } from '../../data/short-links.ts'
import { tell } from '../../words/index.ts'
import { type Actor, type Context, type SiteViews, write, writeAudit } from '../context.ts'
import { redirectsUnder, shortHost, takeSlugs, wantedSlugs } from './look-up.ts'
import type { shortLinksService } from './short-links.ts'

/** Free spellings that are offered. */
const OFFERED = 12

/** The slugs of short links: how they are said, what they are taken for, and who has them. */
export function shortLinkSlugsService({ db }: Context, views: SiteViews, shortLinks: ReturnType<typeof shortLinksService>) {
  return {
    /** Judges a slug. Its neighbours are looked up, never all slugs that there are. */
    async look(
      actor: Actor,
      { slug: typed, host, of }: { slug: string; host?: string | undefined; of?: string | undefined },
    ): Promise<Result<SlugLook, 'forbidden' | 'no-short-host'>> {
      if (!mayAsk(actor, calls.look)) return fail('forbidden')
      const view = await views.of(actor)
      const short = shortHost(view, host)
      if (short === null) return fail('no-short-host', { host: host ?? null })
      const slug = typed.trim().toLowerCase()
      const unusable = slugFault(slug)
      const neighbours = unusable === 'slug-too-long' ? [] : neighboursOf(slug)
      const asked = [slug, ...neighbours.map((each) => each.slug)].map((each) => ({ hostId: short.id, slug: each }))
      return asOfNow(db, async (transaction) => {
        const used = new Map((await slugsInUse(db, asked, transaction)).map((each) => [each.asked, each]))
        const taken = used.get(slug)
        const hidden = await redirectsUnder(db, actor.siteId, unusable === null ? [{ ...short, slug }] : [], transaction)
        const under = hidden.get(`${short.host}/${slug}`) ?? null
        const fault =
          unusable !== null
            ? toldOf(unusable, { slug })
            : taken !== undefined && taken.id !== of
              ? tell('slug.taken', { destination: taken.destination })
              : under !== null
                ? tell('slug.hides', { from: under.from })
                : null
        return ok({
          slug,
          ...sayabilityOf(slug),
          reasons: sayabilityOf(slug).reasons.map((each) => ({ ...each })),
          fault,
          near: neighbours.flatMap(({ slug: each, slip }) => {
            const other = used.get(each)
            return other === undefined || other.id === of ? [] : [{ slug: each, slip, leadsTo: other.destination }]
          }),
          further: neighbours.filter((each) => !used.has(each.slug) && slugFault(each.slug) === null).slice(0, OFFERED),
        })
      })
    },

    /** Sets all the slugs of a short link. The main one may be another from now on; where the old one is among the further ones, it still answers. */
    async change(
      actor: Actor,
      id: string,
      { version, main, further }: SlugsChange,
    ): Promise<
      Result<
        ShortLink,
        SlugFault | 'forbidden' | 'not-found' | 'moved-on' | 'slug-taken' | 'slug-hides-redirect' | 'slug-of-two' | 'no-short-host'
      >
    > {
      if (!mayAsk(actor, calls.change)) return fail('forbidden')
      const before = await shortLinks.get(actor, id)
      if (!before.ok) return before
      const slugs = wantedSlugs(await views.of(actor), [main, ...further])
      if (!slugs.ok) return slugs
      const saved = await write(db, async (transaction, changes) => {
        const { siteId, personId } = actor
        if (!(await updateShortLink(db, { siteId, id, version, personId }, transaction))) return fail('moved-on')
        const taken = await takeSlugs(db, siteId, id, slugs.value, transaction)
        if (!taken.ok) return taken
        changes.add(siteId, 'short-links', id, 'changed')
        const names = slugs.value.map(({ host, slug }) => `${host}/${slug}`)
        await writeAudit(
          db,
          actor,
          'short-links:slugs',
          id,
          { from: before.value.slugs.map(({ address }) => address), to: names },
          transaction,
        )
        return ok(null)
      })
      if (!saved.ok && saved.fault !== 'moved-on') return saved
      const now = await shortLinks.get(actor, id)
      return saved.ok || !now.ok ? now : fail('moved-on', { current: now.value })
    },
  }
}
