import { z } from 'zod'
import { ADDRESS_KIND, Id, Marks, Paging, Version } from './shared.ts'

export const PageState = z.enum(['new', 'changed', 'live'])
export const Page = z
  .object({
    id: Id,
    path: z.string(),
    title: z.string(),
    encoding: z.string(),
    state: PageState.meta({ description: 'new: never published; changed: the draft differs from the live page; live: no difference' }),
    version: Version,
    address: z.string().meta({ description: 'Of the live page' }),
    links: z.int(),
    draftAt: z.iso.datetime(),
    liveAt: z.iso.datetime().nullable(),
    editedBy: z.string().nullable(),
  })
  .meta({ id: 'Page' })
export type Page = z.infer<typeof Page>

export const PageQuery = Paging.extend({
  path: z.string().max(2_000).optional().meta({ description: 'Exactly this path' }),
  search: z.string().max(200).optional().meta({ description: 'Words of the title or path' }),
  state: PageState.optional(),
})
export type PageQuery = z.infer<typeof PageQuery>
export const PageList = z.object({ items: z.array(Page), next: z.string().nullable(), total: z.int() })

export const PageSource = Page.extend({
  source: z.string().meta({ description: 'The decoded text of the draft; offsets count in its UTF-16 code units' }),
})
export type PageSource = z.infer<typeof PageSource>

const Patch = z.strictObject({ from: z.int().min(0), to: z.int().min(0), insert: z.string().max(2_000_000) })

/** Patch sets follow one another: each counts in the text that the one before leads to. */
export const PageChange = z.strictObject({ version: Version, patchSets: z.array(z.array(Patch).max(2_000)).min(1).max(1_000) })
export type PageChange = z.infer<typeof PageChange>

export const Placement = z
  .object({
    pageId: Id,
    page: z.string(),
    pageTitle: z.string(),
    start: z.int(),
    text: z.string(),
    href: z.string(),
    kind: ADDRESS_KIND.nullable(),
    site: z.string().nullable(),
    isPartner: z.boolean(),
    lands: z
      .boolean()
      .nullable()
      .meta({ description: 'Of inside destinations: whether there is such a page or file. Null where nobody has looked' }),
    before: Marks,
    after: Marks,
    because: z.object({ rel: z.string(), target: z.string() }),
    isUnmarked: z.boolean().meta({ description: 'Leads to a partner and is delivered without “sponsored”' }),
  })
  .meta({ id: 'Placement' })
export type Placement = z.infer<typeof Placement>

export const PlacementQuery = Paging.extend({
  page: z.string().max(2_000).optional(),
  site: z.string().max(253).optional(),
  unmarked: z.stringbool().optional(),
})
export type PlacementQuery = z.infer<typeof PlacementQuery>
export const PlacementList = z.object({ items: z.array(Placement), next: z.string().nullable() })
export type PageList = z.infer<typeof PageList>
export type PlacementList = z.infer<typeof PlacementList>
