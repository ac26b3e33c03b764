import { mayAsk } from '../../contract/operation.ts'
import {
  BANNERS_MAX,
  type Banner,
  partnerLinks as calls,
  type PartnerLinkAsked,
  type PartnerLinkMade,
  type Snippet,
  type TemplateTried,
} from '../../contract/partner-links.ts'
import { toldOf } from '../../contract/problems.ts'
import { type AddressFault, parseUrl, repair } from '../../core/address/index.ts'
import {
  buildLink,
  type CleanSnippet,
  cleanSnippet,
  type PartnerLinkFault,
  readTemplate,
  type SnippetPicture,
  subIdOf,
} from '../../core/partners/index.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import type { SiteGround } from '../../core/rules/index.ts'
import type { Database } from '../../data/database.ts'
import { pageIdAt } from '../../data/pages.ts'
import {
  type BannerRow,
  countBanners,
  insertBanner,
  keepSubs,
  listBanners,
  pagesLinkingTo,
  removeBanner,
  type SubRow,
  setBannerPicture,
} from '../../data/partner-links.ts'
import { insideAllowed } from '../../data/sites.ts'
import { askOutside } from '../../outside/index.ts'
import { tell } from '../../words/index.ts'
import { type Actor, type Context, type SiteViews, write, writeAudit } from '../context.ts'
import type { FileFault, filesService } from '../files.ts'

const EXAMPLE_ACCOUNT = '4471'

/** A partner link that was built for a place, and what its sub-ID stands for; null where it has none. */
export interface PlacedLink {
  readonly link: PartnerLinkMade
  readonly place: SubRow | null
}

/** Builds a partner link for a place: by its sub-ID earnings find their way back to it. */
export function linkForPlace(
  view: SiteGround,
  address: string,
  { pageId, shortLinkId, nth }: { readonly pageId: string | null; readonly shortLinkId: string | null; readonly nth: number },
): Result<PlacedLink, PartnerLinkFault> {
  const links = view.partnerLinks
  const place = pageId ?? shortLinkId
  const destination = links.recognise(address, 'any')?.destination ?? address
  const made = links.link(address, place === null ? '' : subIdOf(place, destination, nth))
  if (!made.ok) return made
  const { partner, already, otherAccount } = made.value
  const sub = links.recognise(made.value.address)?.sub ?? ''
  const partnerId = partner.id
  return ok({
    link: { address: made.value.address, partner: partner.name, partnerId, already, otherAccount, sub },
    place: sub === '' || place === null ? null : { sub, partnerId, pageId, shortLinkId, destination },
  })
}

/** Remembers what the sub-ID of a link stands for that is put somewhere now. */
export const keepPlace = (db: Database, { setup }: SiteGround, { place }: PlacedLink): Promise<void> =>
  keepSubs(db, setup.siteId, place === null ? [] : [place])

const shownBanner = ({ id, partnerId, href, text, picture }: BannerRow, usedOn: Banner['usedOn']): Banner => ({
  ...{ id, partnerId, href, text, usedOn },
  picture: picture as SnippetPicture | null,
})
const shownSnippet = ({ href, text, picture, removed }: CleanSnippet): Snippet => ({ href, text, picture, removed: [...removed] })

/** Largest picture of a banner that is kept, and how long it may take to come. */
const PICTURE_MAX_BYTES = 4 * 1024 * 1024
const PICTURE_MAX_MS = 15_000
const PICTURE_ENDINGS: Readonly<Record<string, string>> = {
  'image/png': 'png',
  'image/jpeg': 'jpg',
  'image/gif': 'gif',
  'image/webp': 'webp',
  'image/avif': 'avif',
}

export function partnerLinksService(context: Context, views: SiteViews, files: ReturnType<typeof filesService>) {
  const { db } = context
  return {
    async create(
      actor: Actor,
      {
        address,
        path,
        shortLinkId = null,
        nth = 0,
      }: Omit<PartnerLinkAsked, 'shortLinkId'> & { readonly shortLinkId?: string | null | undefined },
    ): Promise<Result<PartnerLinkMade, PartnerLinkFault | AddressFault | 'forbidden'>> {
      if (!mayAsk(actor, calls.create)) return fail('forbidden')
      const view = await views.of(actor)
      const mended = repair(address, view.around(path ?? '/'))
      if (!mended.ok) return mended
      const pageId = path === undefined ? null : await pageIdAt(db, actor.siteId, path)
      const placed = linkForPlace(view, mended.value.address, { pageId, shortLinkId, nth })
      if (!placed.ok) return placed
      // Who may put it nowhere is told the link, and nothing is noted.
      if (actor.can('pages:edit')) await keepPlace(db, view, placed.value)
      return ok(placed.value.link)
    },

    async tryTemplate(
      actor: Actor,
      {
        template,
        account,
        allows,
        example,
      }: { template: string; account: string; allows: 'any page' | 'front page'; example?: string | undefined },
    ): Promise<Result<TemplateTried, 'forbidden'>> {
      if (!mayAsk(actor, calls.tryTemplate)) return fail('forbidden')
      const told = (fault: string, detail: Readonly<Record<string, unknown>>): TemplateTried => ({
        ...{ address: null, fault, why: toldOf(fault, detail) },
      })
      const read = readTemplate(template, allows)
      if (!read.ok) return ok(told(read.fault, read.detail ?? {}))
      const facts = {
        account: account === '' ? EXAMPLE_ACCOUNT : account,
        destination: example ?? 'https://shop.example/a/page?colour=tar',
        sub: 'k2f9x7ab',
      }
      const built = buildLink(read.value, facts)
      return ok(built.ok ? { address: built.value, fault: null, why: null } : told(built.fault, built.detail ?? {}))
    },

    cleanSnippet(actor: Actor, html: string): Result<Snippet, 'forbidden' | 'no-link-left' | 'snippet-too-long'> {
      if (!mayAsk(actor, calls.cleanSnippet)) return fail('forbidden')
      const clean = cleanSnippet(html)
      return clean.ok ? ok(shownSnippet(clean.value)) : clean
    },

    async banners(actor: Actor, partnerId: string | undefined): Promise<Result<{ items: Banner[] }, 'forbidden'>> {
      if (!mayAsk(actor, calls.banners)) return fail('forbidden')
      const found = await listBanners(db, actor.siteId, partnerId === undefined ? {} : { partnerId }, BANNERS_MAX)
      const used = await pagesLinkingTo(
        db,
        actor.siteId,
        found.map(({ href }) => href),
      )
      return ok({
        items: found.map((banner) =>
          shownBanner(
            banner,
            used.filter(({ href }) => href === banner.href).map(({ id, path, title }) => ({ id, path, title })),
          ),
        ),
      })
    },

    /** Keeps what is left of pasted code; its link becomes the partner link where it is a page of theirs. */
    async keepBanner(
      actor: Actor,
      { partnerId, html }: { partnerId: string; html: string },
    ): Promise<Result<Banner, 'forbidden' | 'not-found' | 'no-link-left' | 'snippet-too-long' | 'banners-too-many'>> {
      if (!mayAsk(actor, calls.keepBanner)) return fail('forbidden')
      const clean = cleanSnippet(html)
      if (!clean.ok) return clean
      const links = (await views.of(actor)).partnerLinks
      const made = links.link(clean.value.href, '')
      const href = made.ok && made.value.partner.id === partnerId ? made.value.address : clean.value.href
      return write(db, async (transaction, changes) => {
        if ((await countBanners(db, actor.siteId, partnerId, transaction)) >= BANNERS_MAX) return fail('banners-too-many')
        const row = await insertBanner(
          db,
          actor.siteId,
          { partnerId, href, text: clean.value.text, picture: clean.value.picture },
          transaction,
        )
        if (row === null) return fail('not-found')
        changes.add(actor.siteId, 'phrases', row.id, 'made')
        await writeAudit(db, actor, 'partners:keep-banner', partnerId, { href }, transaction)
        return ok(shownBanner(row, []))
      })
    },

    /** Fetches a banner's picture and keeps it as a file: pages that show it from now on ask nobody else. */
    async keepPicture(actor: Actor, id: string): Promise<Result<Banner, 'forbidden' | 'not-found' | 'picture-away' | FileFault>> {
      if (!mayAsk(actor, calls.keepPicture)) return fail('forbidden')
      const [banner] = await listBanners(db, actor.siteId, { id }, 1)
      if (banner === undefined) return fail('not-found')
      const picture = banner.picture as SnippetPicture | null
      const source = picture === null || picture.src.startsWith('/') ? null : parseUrl(picture.src)
      if (picture === null || source === null) return ok(shownBanner(banner, []))
      const asked = await askOutside(source, await insideAllowed(db, actor.siteId), {
        maxBytes: PICTURE_MAX_BYTES,
        totalMs: PICTURE_MAX_MS,
      })
      const answer = asked.ok ? asked.value : null
      const ending = PICTURE_ENDINGS[answer?.type.split(';', 1)[0]?.trim().toLowerCase() ?? '']
      if (answer === null || answer.status !== 200)
        return fail('picture-away', {
          why: answer === null ? tell('picture.nobody-answered') : tell('picture.answered', { status: answer.status }),
        })
      if (ending === undefined) return fail('picture-away', { why: tell('picture.none') })
      if (answer.body.length >= PICTURE_MAX_BYTES) return fail('picture-away', { why: tell('picture.too-large') })
      const name = `${/([^/]+?)(?:\.[a-z0-9]+)?$/i.exec(source.pathname)?.[1] ?? 'banner'}.${ending}`
      const file = await files.upload(actor, { name, bytes: answer.body })
      if (!file.ok) return file
      return write(db, async (transaction, changes) => {
        const row = await setBannerPicture(db, actor.siteId, id, { ...picture, src: file.value.path }, transaction)
        if (row === null) return fail('not-found')
        changes.add(actor.siteId, 'phrases', id, 'changed')
        await writeAudit(db, actor, 'partners:keep-picture', id, { path: file.value.path }, transaction)
        return ok(shownBanner(row, []))
      })
    },

    async removeBanner(actor: Actor, id: string): Promise<Result<null, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.removeBanner)) return fail('forbidden')
      return write(db, async (transaction, changes) => {
        if (!(await removeBanner(db, actor.siteId, id, transaction))) return fail('not-found')
        changes.add(actor.siteId, 'phrases', id, 'removed')
        await writeAudit(db, actor, 'partners:remove-banner', id, {}, transaction)
        return ok(null)
      })
    },
  }
}
