import { z } from 'zod'
import { Nothing, operation } from './operation.ts'
import { Id, JobStarted, line, Paging, Sentence, Version } from './shared.ts'
import { ShortLinkCourse } from './short-link-course.ts'

export const ShortLinkStatus = z.union([z.literal(301), z.literal(302), z.literal(307), z.literal(308)])

/** Slugs of one short link, the main one among them. */
export const SLUGS_MAX = 40
export const Note = z.string().trim().max(2_000)
/** Words by which short links are found together; each in small letters, once. */
export const Tags = z
  .array(line(60).toLowerCase().min(1))
  .max(20)
  .transform((tags) => [...new Set(tags)])
/** A slug, on the main short host where none is named. */
export const SlugName = z.strictObject({ slug: z.string().max(200), host: z.string().max(255).optional() })

export const ShortLinkState = z
  .enum(['answers', 'not yet', 'over', 'down'])
  .meta({ description: 'down: its destination does not answer, and visitors go to its fallback' })
export const SHORT_LINK_SORTS = ['newest', 'clicks', 'ending'] as const
/** Short links that are put in the order of their clicks, or of their ends; more have to be narrowed first. */
export const SORTED_MAX = 10_000

export const ShortLink = z
  .object({
    id: Id,
    address: z.string(),
    slug: z.string(),
    host: z.string(),
    destination: z.string(),
    title: z.string(),
    status: ShortLinkStatus,
    slugs: z
      .array(z.object({ host: z.string(), slug: z.string(), address: z.string() }))
      .meta({ description: 'All it answers to, the main one first' }),
    note: z.string(),
    tags: z.array(z.string()),
    course: ShortLinkCourse,
    state: ShortLinkState,
    clicks: z.int().meta({ description: 'By people; bots, prefetches and HEAD requests are not counted' }),
    otherClicks: z.int().meta({ description: 'By tools, bots and prefetches, and by HEAD: kept apart' }),
    partner: z.string().nullable().meta({ description: 'The partner that it leads to' }),
    strand: z.enum(['vouched', 'nofollow', 'sponsored', 'ugc']).meta({ description: 'What search engines are told of a link to it' }),
    version: Version,
    createdAt: z.iso.datetime(),
  })
  .meta({ id: 'ShortLink' })
export type ShortLink = z.infer<typeof ShortLink>

export const ShortLinkNew = z.strictObject({
  destination: z.string().max(100_000),
  slug: z.string().max(200).optional().meta({ description: 'The best suggestion when left out' }),
  host: z.string().max(255).optional().meta({ description: 'The site’s first short host when left out' }),
  title: line(300).optional(),
  status: ShortLinkStatus.optional(),
  note: Note.optional(),
  tags: Tags.optional(),
  course: ShortLinkCourse.partial().optional(),
  further: z.array(SlugName).max(SLUGS_MAX).optional().meta({ description: 'Further slugs, for other spellings' }),
})
export type ShortLinkNew = z.infer<typeof ShortLinkNew>

export const ShortLinkChange = z.strictObject({
  version: Version,
  destination: z.string().max(100_000).optional(),
  title: line(300).optional(),
  status: ShortLinkStatus.optional(),
  note: Note.optional(),
  tags: Tags.optional(),
  course: ShortLinkCourse.partial().optional().meta({ description: 'What of it is left out stays' }),
})
export type ShortLinkChange = z.infer<typeof ShortLinkChange>

export const ShortLinkQuery = Paging.extend({
  slug: z.string().max(200).optional(),
  search: z.string().max(200).optional(),
  tag: z.string().max(60).optional(),
  state: ShortLinkState.optional(),
  host: z.string().max(255).optional(),
  partner: Id.optional().meta({ description: 'Those that lead to one of its sites' }),
  sort: z.enum(SHORT_LINK_SORTS).optional().meta({ description: 'newest where it is left out; ending: those that end, the soonest first' }),
})
export type ShortLinkQuery = z.infer<typeof ShortLinkQuery>
export const ShortLinkList = z.object({ items: z.array(ShortLink), next: z.string().nullable(), total: z.int() })

export const SuggestRequest = z.strictObject({
  destination: z.string().max(100_000),
  title: line(300).optional(),
  host: z.string().max(255).optional(),
})
export const SuggestAnswer = z.object({
  destination: z.string(),
  repairs: z.array(z.object({ what: Sentence, from: z.string(), to: z.string() })),
  offers: z.array(z.object({ what: Sentence, from: z.string(), to: z.string() })),
  stem: z.string().meta({ description: 'What stands before the slug' }),
  suggestions: z.array(
    z.object({ slug: z.string(), why: Sentence, score: z.number().meta({ description: 'How well it is said, from 0 to 100' }) }),
  ),
})
export type SuggestAnswer = z.infer<typeof SuggestAnswer>
export type ShortLinkList = z.infer<typeof ShortLinkList>

/** Rows of a list that the report names one by one; the rest are counted. */
export const BULK_NAMED_MAX = 1_000

export const ShortLinksBulkQuery = z.object({
  dryRun: z
    .enum(['1', '0', 'true', 'false'])
    .optional()
    .transform((said) => said === '1' || said === 'true')
    .meta({ description: 'Only tells what would become of each row' }),
})

export const ShortLinksBulkItem = z.object({
  line: z.int().meta({ description: 'In the file; its header is line 1' }),
  slug: z.string(),
  destination: z.string(),
  outcome: z.enum(['changed', 'refused']),
  reason: Sentence.meta({ description: 'Why it is refused, or where it led before' }),
})

/** What becomes of a list of short links, row by row. */
export const ShortLinksBulkReport = z
  .object({
    isDryRun: z.boolean(),
    new: z.int(),
    changed: z.int(),
    same: z.int(),
    refused: z.int(),
    items: z.array(ShortLinksBulkItem).meta({ description: 'Refused and changed rows, the first of them' }),
    moreItems: z.int(),
  })
  .meta({ id: 'ShortLinksBulkReport' })
export type ShortLinksBulkReport = z.infer<typeof ShortLinksBulkReport>

/** What a job of this kind is told. */
export const ShortLinksBulkInput = z.object({ upload: Id, dryRun: z.boolean() })

/** Short links as addresses name them. */
export const NamedRequest = z.strictObject({
  links: z.array(z.strictObject({ host: z.string().max(255), slug: z.string().max(200) })).max(200),
})
/** Where they lead; those that there are not are left out. */
export const NamedShortLinks = z.object({ items: z.array(z.object({ host: z.string(), slug: z.string(), destination: z.string() })) })
export type NamedShortLinks = z.infer<typeof NamedShortLinks>

/** Pages that lead to a short link, the first of them by name. */
export const ShortLinkUses = z.object({ items: z.array(z.object({ id: Id, title: z.string(), path: z.string() })), total: z.int() })
export type ShortLinkUses = z.infer<typeof ShortLinkUses>

/** What a short link said as of a version. */
export const ShortLinkHistory = z.object({
  items: z.array(
    z.object({
      version: Version,
      at: z.iso.datetime(),
      by: z.string().nullable(),
      destination: z.string(),
      title: z.string(),
      status: ShortLinkStatus,
      course: ShortLinkCourse,
    }),
  ),
})
export type ShortLinkHistory = z.infer<typeof ShortLinkHistory>

export const ShortLinkTags = z.object({ items: z.array(z.object({ tag: z.string(), links: z.int() })) })
export type ShortLinkTags = z.infer<typeof ShortLinkTags>

export const shortLinks = {
  list: operation({
    method: 'get',
    path: '/short-links',
    summary: 'Short links, newest first',
    needs: 'short-links:read',
    status: 200,
    query: ShortLinkQuery,
    answer: ShortLinkList,
    shows: ['short-links', 'rules', 'partners', 'hosts'],
  }),
  create: operation({
    method: 'post',
    path: '/short-links',
    summary: 'Make a short link',
    needs: 'short-links:edit',
    status: 201,
    body: ShortLinkNew,
    answer: ShortLink,
  }),
  bulk: operation({
    method: 'post',
    path: '/short-links/bulk',
    summary: 'Many short links at once, as CSV with a header: destination, slug, and optionally host, title, status',
    needs: 'short-links:edit',
    status: 202,
    query: ShortLinksBulkQuery,
    answer: JobStarted,
    media: { body: 'text/csv' },
  }),
  named: operation({
    method: 'post',
    path: '/short-links/named',
    takes: 'list',
    summary: 'Where short links lead that are named in addresses',
    needs: 'short-links:read',
    status: 200,
    body: NamedRequest,
    answer: NamedShortLinks,
    isQuestion: true,
  }),
  suggest: operation({
    method: 'post',
    path: '/short-links/suggest',
    summary: 'Mend a destination and suggest free slugs',
    needs: 'short-links:read',
    status: 200,
    body: SuggestRequest,
    answer: SuggestAnswer,
    isQuestion: true,
  }),
  get: operation({
    method: 'get',
    path: '/short-links/{id}',
    summary: 'One short link',
    needs: 'short-links:read',
    status: 200,
    answer: ShortLink,
    shows: ['short-links', 'rules', 'partners', 'hosts'],
  }),
  change: operation({
    method: 'patch',
    path: '/short-links/{id}',
    summary: 'Change where a short link leads',
    needs: 'short-links:edit',
    status: 200,
    body: ShortLinkChange,
    answer: ShortLink,
  }),
  remove: operation({
    method: 'delete',
    path: '/short-links/{id}',
    summary: 'Take a short link away',
    needs: 'short-links:edit',
    status: 204,
    answer: Nothing,
  }),
  history: operation({
    method: 'get',
    path: '/short-links/{id}/history',
    summary: 'What a short link has said until now, newest first',
    needs: 'short-links:read',
    status: 200,
    answer: ShortLinkHistory,
    shows: ['short-links'],
  }),
  tags: operation({
    method: 'get',
    path: '/short-links/tags',
    summary: 'The tags of the site’s short links',
    needs: 'short-links:read',
    status: 200,
    answer: ShortLinkTags,
    shows: ['short-links'],
  }),
  csv: operation({
    method: 'get',
    path: '/exports/short-links.csv',
    summary: 'All short links as CSV, with their clicks',
    needs: ['short-links:read', 'exports:read'],
    status: 200,
    media: { answer: 'text/csv' },
  }),
  uses: operation({
    method: 'get',
    path: '/short-links/{id}/uses',
    summary: 'The pages that lead to a short link',
    needs: ['short-links:read', 'pages:read'],
    status: 200,
    answer: ShortLinkUses,
    shows: ['pages'],
  }),
  putBack: operation({
    method: 'post',
    path: '/short-links/{id}/put-back',
    summary: 'Bring a short link back that was taken away',
    needs: 'short-links:edit',
    status: 200,
    answer: ShortLink,
  }),
} as const
