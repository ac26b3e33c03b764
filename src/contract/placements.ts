import { z } from 'zod'
import { FACETS, FINDINGS, SORTS } from '../core/placements/index.ts'
import { ADDRESS_KIND, Id, Marks, Paging } from './shared.ts'

export const Placement = z
  .object({
    pageId: Id,
    page: z.string(),
    pageTitle: z.string(),
    ordinal: z.int().meta({ description: 'Counts the links of its page from 0' }),
    start: z.int(),
    text: z.string(),
    href: z.string(),
    kind: ADDRESS_KIND.nullable(),
    site: z.string().nullable(),
    isPartner: z.boolean(),
    tags: z.array(z.string()),
    lands: z
      .boolean()
      .nullable()
      .meta({ description: 'Of inside destinations: whether there is such a page or file. Null where nobody has looked' }),
    before: Marks,
    after: Marks,
    because: z.object({ rel: z.string(), target: z.string() }),
    explained: z
      .array(z.object({ what: z.string(), why: z.string() }))
      .meta({ description: 'Each attribute that was decided, and by whom' }),
    findings: z.array(z.enum(FINDINGS)),
    isUnmarked: z.boolean().meta({ description: 'Leads to a partner and is delivered without “sponsored”' }),
  })
  .meta({ id: 'Placement' })
export type Placement = z.infer<typeof Placement>

const facet = z.string().max(500).optional()
const Facets = z.object(Object.fromEntries(FACETS.map((name) => [name, facet])) as Record<(typeof FACETS)[number], typeof facet>)

/** Which placements are wanted, as it stands in the address of a screen or call. */
export const PlacementFilter = Facets.extend({
  text: z.string().max(300).optional().meta({ description: 'Words of the anchor text, address or page, all of them' }),
  finding: z.enum(FINDINGS).optional(),
  destination: z.string().max(8_000).optional(),
})
export type PlacementFilter = z.infer<typeof PlacementFilter>

/** The order of a list: by page and place, or by one of its columns, from its end where it begins with "-". */
const SortBy = z
  .enum([...SORTS, ...SORTS.map((sort) => `-${sort}` as const)])
  .optional()
  .meta({ description: 'A column of the list; with “-” before it from its end. By page and place where it is left out' })

export const PlacementQuery = Paging.extend(PlacementFilter.shape).extend({
  page: z.string().max(2_000).optional().meta({ description: 'Path of one page' }),
  unmarked: z.stringbool().optional(),
  sort: SortBy,
})
export type PlacementQuery = z.infer<typeof PlacementQuery>
export const PlacementList = z.object({ items: z.array(Placement), next: z.string().nullable(), total: z.int() })
export type PlacementList = z.infer<typeof PlacementList>

/** A part of a list as the screen shows it: rows by their place in it. */
export const PlacementView = PlacementFilter.extend({
  sort: SortBy,
  from: z.coerce.number().int().min(0).max(10_000_000).default(0),
  count: z.coerce.number().int().min(0).max(500).default(200),
  grouped: z.stringbool().default(false),
})
export type PlacementView = z.infer<typeof PlacementView>

/** One placement. */
export const PlacementName = z.object({ pageId: Id, ordinal: z.coerce.number().int().min(0) })
export type PlacementName = z.infer<typeof PlacementName>

/** Everything that is shown of one placement for the asking. */
export const PlacementDetails = z.object({
  before: z.string().meta({ description: 'Its start tag as written' }),
  after: z.string(),
  explained: z.array(z.object({ what: z.string(), why: z.string() })),
  tags: z.array(z.string()),
  findings: z.array(z.enum(FINDINGS)),
  fine: z.array(z.object({ finding: z.enum(FINDINGS), reason: z.string(), by: z.string().nullable() })),
})
export type PlacementDetails = z.infer<typeof PlacementDetails>

/** Since when somebody follows a site's links. */
export const PlacementsSince = z.object({ after: z.coerce.number().int().min(0).optional() })

/** Somebody's word that a finding is fine as it is, with the reason; or that it no longer is. */
export const FineMark = z.strictObject({
  pageId: Id,
  ordinal: z.int().min(0),
  finding: z.enum(FINDINGS),
  reason: z.string().trim().min(1).max(300).nullable().meta({ description: 'null takes the mark back' }),
})
export type FineMark = z.infer<typeof FineMark>
