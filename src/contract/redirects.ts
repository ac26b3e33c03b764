import { z } from 'zod'
import { DEVICES } from '../core/clicks/index.ts'
import { NOT_ANSWERING, QUERY_HABITS, REDIRECT_MATCHES, REDIRECT_ORDERS, REDIRECT_STATUSES } from '../core/routing/index.ts'
import { Nothing, operation } from './operation.ts'
import { Id, line, Paging, Sentence, Version } from './shared.ts'

/** Most hosts, languages and parameters that one row can name, each. */
export const NAMED_MAX = 50

export const RedirectStatus = z.union(REDIRECT_STATUSES.map((status) => z.literal(status)))
export const RedirectMatch = z.enum(REDIRECT_MATCHES)
const Query = z.enum(QUERY_HABITS)
const Host = z.string().trim().toLowerCase().max(255)

/** When a row may answer at all. */
export const RedirectWhen = z
  .strictObject({
    query: z
      .array(z.strictObject({ name: z.string().min(1).max(200), value: z.string().max(1_000).nullable() }))
      .max(NAMED_MAX)
      .optional()
      .meta({ description: 'Parameters that have to be there; null for any value' }),
    noOtherQuery: z.boolean().optional().meta({ description: 'There are no other parameters than these' }),
    languages: z
      .array(z.string().regex(/^[a-z]{2,3}$/))
      .max(NAMED_MAX)
      .optional()
      .meta({ description: 'Primary subtags, one of which is the visitor’s first language' }),
    devices: z.array(z.enum(DEVICES)).optional(),
    from: z.iso.datetime().optional().meta({ description: 'From this moment on' }),
    until: z.iso.datetime().optional().meta({ description: 'Before this moment' }),
  })
  .meta({ id: 'RedirectWhen' })
export type RedirectWhen = z.infer<typeof RedirectWhen>

const fields = {
  from: z.string().max(8_000).meta({ description: 'A path, an address of one of the site’s hosts, a URL Pattern, or an RE2 expression' }),
  to: z.string().max(8_000).meta({ description: 'A path of the site, or a full address; empty where the status leads nowhere' }),
  status: RedirectStatus,
  match: RedirectMatch,
  query: Query.meta({ description: 'Whether the query that was asked with is dropped, passed on, or merged' }),
  hosts: z.array(Host).max(NAMED_MAX).meta({ description: 'On which hosts it answers; none for all that the site’s own pages stand on' }),
  when: RedirectWhen,
  note: line(1_000),
  isOn: z.boolean(),
  beatsPages: z.boolean().meta({ description: 'Answers although a page is published there' }),
  isHidden: z.boolean().meta({ description: 'Never offered for menus, never in the sitemap; so are rows unless one says otherwise' }),
}

/** All that a row says, as people give it. */
const RedirectSays = z.object(fields)
export type RedirectSays = z.infer<typeof RedirectSays>

export const RedirectRow = z
  .object({
    id: Id,
    ...fields,
    hits: z.int().meta({ description: 'By people' }),
    otherHits: z.int().meta({ description: 'By tools, bots and prefetches, and by HEAD' }),
    lastHitOn: z.iso.date().nullable().meta({ description: 'The last day on which somebody came by (UTC)' }),
    version: Version,
    createdAt: z.iso.datetime(),
  })
  .meta({ id: 'Redirect' })
export type RedirectRow = z.infer<typeof RedirectRow>

const EvenSo = z.boolean().optional().meta({ description: 'Hide the page that is published at its address' })

export const RedirectNew = z
  .strictObject({ ...z.strictObject(fields).partial().shape, from: fields.from, host: Host.optional(), evenSo: EvenSo })
  .meta({ id: 'RedirectNew' })
export type RedirectNew = z.infer<typeof RedirectNew>

export const RedirectChange = z.strictObject({ version: Version, ...z.strictObject(fields).partial().shape, evenSo: EvenSo })
export type RedirectChange = z.infer<typeof RedirectChange>

/** Several of a facet, parted by commas. */
const Facet = z.string().max(500).optional()

export const RedirectQuery = Paging.extend({
  search: z.string().max(200).optional(),
  status: Facet.meta({ description: 'Statuses' }),
  match: Facet.meta({ description: 'Ways to match' }),
  host: Facet.meta({ description: 'Hosts; “all” for rows that are for all of them' }),
  state: Facet.meta({ description: '“on”, “off”, “never-hit”, “conditional”, “scheduled”' }),
  sort: z.enum(REDIRECT_ORDERS).optional(),
})
export type RedirectQuery = z.infer<typeof RedirectQuery>
const FacetCount = z.object({ value: z.string(), rows: z.int() })
export const RedirectList = z.object({
  items: z.array(RedirectRow),
  next: z.string().nullable(),
  total: z.int(),
})
export type RedirectList = z.infer<typeof RedirectList>

/** How many rows each choice has, of all rows. */
export const RedirectFacets = z.object({
  facets: z
    .object({ status: z.array(FacetCount), match: z.array(FacetCount), host: z.array(FacetCount), state: z.array(FacetCount) })
    .nullable()
    .meta({ description: 'Null where there are very many rows' }),
})
export type RedirectFacets = z.infer<typeof RedirectFacets>

const RedirectRevision = z.object({
  version: Version,
  at: z.iso.datetime(),
  by: z.string().nullable(),
  what: Sentence.nullable().meta({ description: 'In which step, if it was one of several rows' }),
  from: z.string(),
  to: z.string(),
  status: z.int(),
  isOn: z.boolean(),
  isRemoved: z.boolean(),
})
export const RedirectHistory = z.object({ items: z.array(RedirectRevision) })
export type RedirectHistory = z.infer<typeof RedirectHistory>

export const BenchRequest = z.strictObject({
  address: z.string().max(8_000).meta({ description: 'A path of the site’s main host, or a full address' }),
  language: z
    .string()
    .regex(/^[a-z]{2,3}$/)
    .optional()
    .meta({ description: 'The visitor’s first language, as its primary subtag' }),
  device: z.enum(DEVICES).optional(),
  draft: z.boolean().optional().meta({ description: 'As if rows that are switched off were on; not for a past day' }),
  at: z.iso.datetime().optional().meta({ description: 'How it was answered then; by the pages that are live today' }),
})
export type BenchRequest = z.infer<typeof BenchRequest>

const ConsideredRow = z.object({
  id: Id,
  match: RedirectMatch,
  from: z.string(),
  to: z.string(),
  status: RedirectStatus,
  why: z.enum(NOT_ANSWERING).nullable().meta({
    description:
      'Why it does not answer: another host, a published page, a condition, a pattern that does not match, a destination that makes no address, or a row before it; null for the one that does',
  }),
})
export type ConsideredRow = z.infer<typeof ConsideredRow>

/** One stop of an address on its way. */
const RopeStop = z.object({
  address: z.string(),
  status: z.int().nullable().meta({ description: 'Null where we do not know: outside, and where the way is given up' }),
  by: z.enum(['redirect', 'short link', 'page', 'capitals', 'nothing', 'outside', 'loop', 'too long']),
})
export const BenchAnswer = z
  .object({
    answer: z.object({ status: z.int(), location: z.string().nullable() }).nullable(),
    row: ConsideredRow.nullable().meta({ description: 'The row that answers' }),
    considered: z.array(ConsideredRow).meta({ description: 'Every row that the address brings up, in the order they are asked' }),
    rope: z.array(RopeStop),
  })
  .meta({ id: 'RedirectBench' })
export type BenchAnswer = z.infer<typeof BenchAnswer>

export const RedirectAsked = z
  .strictObject({
    id: Id.optional().meta({ description: 'A row that is kept; with `row`, what it is to say' }),
    row: RedirectNew.optional().meta({ description: 'A row that is not kept yet' }),
  })
  .refine(({ id, row }) => id !== undefined || row !== undefined)
export type RedirectAsked = z.infer<typeof RedirectAsked>

export const RedirectOutcome = z
  .object({
    state: z.enum(['answers', 'off', 'page', 'row', 'short link', 'not yet', 'over', 'unknown']).meta({
      description: 'What comes first where it does not answer; “unknown” where no address that it is for comes to mind',
    }),
    address: z.string().nullable().meta({ description: 'Which was tried' }),
    first: z.object({ id: Id, from: z.string() }).nullable().meta({ description: 'The row that answers in its place' }),
    at: z.iso.datetime().nullable().meta({ description: 'When it begins, or ended' }),
    lands: z.enum(['page', 'outside', 'gone', 'nothing', 'round']).nullable().meta({ description: 'Where visitors end whom it answers' }),
    landsOn: z.string().nullable(),
    hides: z
      .object({
        rows: z.int(),
        names: z.array(z.string()),
        visits: z.int().meta({ description: 'Of people, by those rows, in the last 30 days' }),
        isWhole: z.boolean().meta({ description: 'It catches whatever has no page' }),
        catchesRobots: z.boolean().meta({ description: 'It answers /robots.txt too' }),
      })
      .nullable()
      .meta({ description: 'Rows that are never reached for it' }),
  })
  .meta({ id: 'RedirectOutcome' })
export type RedirectOutcome = z.infer<typeof RedirectOutcome>

export const redirects = {
  outcome: operation({
    method: 'post',
    path: '/redirects/outcome',
    summary: 'What a row does for visitors, as the bench says: kept, or before it is',
    needs: ['redirects:read', 'pages:read', 'short-links:read'],
    status: 200,
    body: RedirectAsked,
    answer: RedirectOutcome,
    isQuestion: true,
  }),
  list: operation({
    method: 'get',
    path: '/redirects',
    summary: 'The table of redirects, in its order',
    needs: 'redirects:read',
    status: 200,
    query: RedirectQuery,
    answer: RedirectList,
    shows: ['redirects', 'hosts'],
  }),
  facets: operation({
    method: 'get',
    path: '/redirects/facets',
    summary: 'How many rows of the redirects there are of each kind',
    needs: 'redirects:read',
    status: 200,
    answer: RedirectFacets,
    shows: ['redirects', 'hosts'],
  }),
  create: operation({
    method: 'post',
    path: '/redirects',
    summary: 'Add a row to the redirects',
    needs: 'redirects:edit',
    status: 201,
    body: RedirectNew,
    answer: RedirectRow,
  }),
  bench: operation({
    method: 'post',
    path: '/redirects/bench',
    summary: 'How an address is answered, by which row, why not by the others, and where it leads in the end',
    needs: ['redirects:read', 'pages:read', 'short-links:read'],
    status: 200,
    body: BenchRequest,
    answer: BenchAnswer,
    isQuestion: true,
  }),
  get: operation({
    method: 'get',
    path: '/redirects/{id}',
    summary: 'One row of the redirects',
    needs: 'redirects:read',
    status: 200,
    answer: RedirectRow,
  }),
  change: operation({
    method: 'patch',
    path: '/redirects/{id}',
    summary: 'Change a row of the redirects',
    needs: 'redirects:edit',
    status: 200,
    body: RedirectChange,
    answer: RedirectRow,
  }),
  remove: operation({
    method: 'delete',
    path: '/redirects/{id}',
    summary: 'Take a row of the redirects away',
    needs: 'redirects:edit',
    status: 204,
    answer: Nothing,
  }),
  history: operation({
    method: 'get',
    path: '/redirects/{id}/history',
    summary: 'What a row of the redirects has said until now, newest first',
    needs: 'redirects:read',
    status: 200,
    answer: RedirectHistory,
    shows: ['redirects'],
  }),
  restore: operation({
    method: 'post',
    path: '/redirects/{id}/restore',
    summary: 'Make a row of the redirects say again what it said as of a version',
    needs: 'redirects:edit',
    status: 200,
    body: z.strictObject({ version: Version.meta({ description: 'As it stands now' }), of: Version }),
    answer: RedirectRow,
  }),
  putBack: operation({
    method: 'post',
    path: '/redirects/{id}/put-back',
    summary: 'Bring a row back that was taken away',
    needs: 'redirects:edit',
    status: 200,
    answer: RedirectRow,
  }),
} as const
