import { z } from 'zod'
import { SNIPPET_MAX_CHARS } from '../core/partners/index.ts'
import { Nothing, operation } from './operation.ts'
import { Id, line, Sentence } from './shared.ts'

export const PartnerLinkAsked = z.strictObject({
  address: line(8_000).min(1),
  path: line(2_000).optional().meta({ description: 'Of the page that the link is to hang on: its sub-ID is made from it' }),
  shortLinkId: Id.optional(),
  nth: z.int().min(0).max(1_000).optional().meta({ description: 'Links to the same page of theirs that the page has already' }),
})
export type PartnerLinkAsked = z.infer<typeof PartnerLinkAsked>
export const PartnerLinkMade = z
  .object({
    address: z.string(),
    partner: z.string(),
    partnerId: Id,
    already: z.boolean().meta({ description: 'It was our link to begin with' }),
    otherAccount: z.string().nullable().meta({ description: 'A number that ours took the place of' }),
    sub: z.string(),
  })
  .meta({ id: 'PartnerLink' })
export type PartnerLinkMade = z.infer<typeof PartnerLinkMade>

export const TemplateAsked = z.strictObject({
  template: line(2_000),
  account: line(200).default(''),
  allows: z.enum(['any page', 'front page']).default('any page'),
  example: line(2_000).optional(),
})
export const TemplateTried = z.object({
  address: z.string().nullable(),
  fault: z.string().nullable(),
  why: Sentence.nullable(),
})
export type TemplateTried = z.infer<typeof TemplateTried>

export const SnippetAsked = z.strictObject({ html: z.string().min(1).max(SNIPPET_MAX_CHARS) })
const Picture = z.object({ src: z.string(), alt: z.string(), width: z.int().nullable(), height: z.int().nullable() })
export const Snippet = z
  .object({
    href: z.string(),
    text: z.string(),
    picture: Picture.nullable(),
    removed: z.array(z.object({ what: Sentence, why: Sentence })),
  })
  .meta({ id: 'Snippet' })
export type Snippet = z.infer<typeof Snippet>

/** Most banners of one partner, inclusive. */
export const BANNERS_MAX = 500
export const BannerNew = z.strictObject({ partnerId: Id, html: z.string().min(1).max(SNIPPET_MAX_CHARS) })
export const Banner = z
  .object({
    id: Id,
    partnerId: Id,
    href: z.string(),
    text: z.string(),
    picture: Picture.nullable(),
    usedOn: z.array(z.object({ id: Id, path: z.string(), title: z.string() })),
  })
  .meta({ id: 'Banner' })
export type Banner = z.infer<typeof Banner>
export const BannerList = z.object({ items: z.array(Banner) })
export const BannerQuery = z.object({ partnerId: Id.optional().meta({ description: 'Those of all partners when left out' }) })

export const partnerLinks = {
  create: operation({
    method: 'post',
    path: '/partners/links',
    summary: 'The partner link for any page of a partner’s',
    needs: 'partners:read',
    status: 200,
    body: PartnerLinkAsked,
    answer: PartnerLinkMade,
    isQuestion: true,
  }),
  tryTemplate: operation({
    method: 'post',
    path: '/partners/templates',
    summary: 'Check a link template while it is written, against an example',
    needs: 'partners:read',
    status: 200,
    body: TemplateAsked,
    answer: TemplateTried,
    isQuestion: true,
  }),
  cleanSnippet: operation({
    method: 'post',
    path: '/partners/snippets',
    summary: 'Clean pasted banner code to a link and its picture; nothing is kept',
    needs: 'partners:read',
    status: 200,
    body: SnippetAsked,
    answer: Snippet,
    isQuestion: true,
  }),
  banners: operation({
    method: 'get',
    path: '/partners/banners',
    summary: 'Banners of partners, with where each is used',
    needs: ['partners:read', 'pages:read'],
    status: 200,
    query: BannerQuery,
    answer: BannerList,
    shows: ['partners', 'phrases', 'pages'],
  }),
  keepBanner: operation({
    method: 'post',
    path: '/partners/banners',
    summary: 'Keep a banner of a partner’s, cleaned',
    needs: 'partners:edit',
    status: 201,
    body: BannerNew,
    answer: Banner,
  }),
  keepPicture: operation({
    method: 'post',
    path: '/partners/banners/{id}/picture',
    summary: 'Keep a copy of a banner’s picture among the site’s files, and show that from now on',
    needs: ['partners:edit', 'pages:edit'],
    status: 200,
    answer: Banner,
  }),
  removeBanner: operation({
    method: 'delete',
    path: '/partners/banners/{id}',
    summary: 'Remove a banner from the library; pages keep theirs',
    needs: 'partners:edit',
    status: 204,
    answer: Nothing,
  }),
} as const
