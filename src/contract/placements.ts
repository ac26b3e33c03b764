import { z } from 'zod'
import { VERDICTS } from '../core/checks/index.ts'
import { FACETS, FINDINGS, SORTS } from '../core/placements/index.ts'
import { Nothing, operation } from './operation.ts'
import { ADDRESS_KIND, Id, Marks, Paging, Sentence } from './shared.ts'

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
    lands: z.boolean().nullable().meta({
      description: 'Whether a visitor lands there: of our own pages as they are now, of all else as it was seen. Null where nobody knows',
    }),
    verdict: z.enum(VERDICTS).nullable().meta({ description: 'What was seen there the last time; null where nobody has looked' }),
    before: Marks,
    after: Marks,
    because: z.object({ rel: Sentence, target: Sentence }),
    explained: z.array(z.object({ what: Sentence, why: Sentence })).meta({ description: 'Each attribute that was decided, and by whom' }),
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

const ShownRow = z.object({
  pageId: Id,
  page: z.string(),
  title: z.string(),
  pageKind: z.enum(['page', 'block', 'menu']),
  ordinal: z.int(),
  start: z.int(),
  text: z.string(),
  href: z.string(),
  leads: z.string().meta({ description: 'Site it leads to, or the path of an inside page' }),
  strand: z.enum(['vouched', 'nofollow', 'sponsored', 'ugc']),
  end: z.enum(['new tab', 'same tab', 'file']),
  lands: z.boolean().nullable(),
  verdict: z.enum(VERDICTS).nullable(),
  isShort: z.boolean(),
  isPartner: z.boolean(),
  state: Sentence.meta({ description: 'What it is and who says so, in a few words' }),
  isFaulty: z.boolean(),
})
const Counts = z.array(z.tuple([z.string(), z.int()]))

/** A part of a list of links, as its screen shows it. */
export const PlacementsShown = z.object({
  stamp: z.int().meta({ description: 'Newest change that is in it: parts of one list have the same' }),
  total: z.int(),
  found: z.int().meta({ description: 'Links found, or groups of them' }),
  rows: z.array(ShownRow),
  groups: z.array(z.object({ destination: z.string(), links: z.int(), pages: z.int() })).nullable(),
  numbers: z
    .object({
      links: z.int(),
      pages: z.int(),
      counts: z.object(Object.fromEntries(FACETS.map((name) => [name, Counts])) as Record<(typeof FACETS)[number], typeof Counts>),
      findings: z.partialRecord(z.enum(FINDINGS), z.int()),
    })
    .nullable()
    .meta({ description: 'Told with the first part' }),
})

/** One placement. */
export const PlacementName = z.object({ pageId: Id, ordinal: z.coerce.number().int().min(0) })
export type PlacementName = z.infer<typeof PlacementName>

/** Everything that is shown of one placement for the asking. */
export const PlacementDetails = z.object({
  before: z.string().meta({ description: 'Its start tag as written' }),
  after: z.string(),
  explained: z.array(z.object({ what: Sentence, why: Sentence })),
  tags: z.array(z.string()),
  address: z.string().nullable().meta({ description: 'Where it leads, absolute' }),
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

/** Paths that are asked about in one call. */
export const LED_MAX = 1_000
/** Longer ones are not asked about: no row is found by them. */
export const LED_PATH_MAX_CHARS = 2_000

/** Columns of the links as a file, in their order. */
export const LINKS_CSV_COLUMNS = [
  'page',
  'title',
  'text',
  'href',
  'kind',
  'site',
  'rel',
  'target',
  'because',
  'lands',
  'verdict',
  'tags',
  'findings',
] as const

export const placements = {
  list: operation({
    method: 'get',
    path: '/placements',
    summary: 'Every link of every page, with what is delivered and why',
    needs: 'pages:read',
    status: 200,
    query: PlacementQuery,
    answer: PlacementList,
  }),
  markFine: operation({
    method: 'post',
    path: '/placements/fine',
    summary: 'Say that a finding is fine as it is, until something about it changes',
    needs: 'pages:edit',
    status: 204,
    body: FineMark,
    answer: Nothing,
  }),
  send: operation({
    method: 'get',
    path: '/placements/all',
    summary:
      'Every placement with what is needed to judge it, or those of pages that changed since, as lines of JSON; none of a very large site',
    needs: ['pages:read', 'rules:read', 'partners:read', 'short-links:read'],
    status: 200,
    query: PlacementsSince,
    media: { answer: 'application/x-ndjson' },
  }),
  led: operation({
    method: 'post',
    path: '/placements/led',
    takes: 'list',
    summary: 'From which addresses without a page redirects lead to somewhere: links to them land',
    needs: ['pages:read', 'rules:read', 'partners:read', 'short-links:read'],
    status: 200,
    body: z.strictObject({ paths: z.array(z.string().max(LED_PATH_MAX_CHARS).startsWith('/')).max(LED_MAX) }),
    answer: z.object({ led: z.array(z.string()) }),
    isQuestion: true,
  }),
  view: operation({
    method: 'get',
    path: '/placements/view',
    summary: 'A part of a list of links as its screen shows it, with how many there are of what',
    needs: ['pages:read', 'rules:read', 'partners:read', 'short-links:read'],
    status: 200,
    query: PlacementView,
    answer: PlacementsShown,
  }),
  details: operation({
    method: 'get',
    path: '/placements/details',
    summary: 'One link: its tag before and after, and who decided what',
    needs: ['pages:read', 'rules:read'],
    status: 200,
    query: PlacementName,
    answer: PlacementDetails,
  }),
  csv: operation({
    method: 'get',
    path: '/exports/links.csv',
    summary: 'The links that a filter finds, as CSV',
    needs: 'exports:read',
    status: 200,
    query: PlacementFilter,
    media: { answer: 'text/csv' },
  }),
} as const
