import { z } from 'zod'
import { HINTS } from '../core/rules/index.ts'
import { operation } from './operation.ts'
import { PlacementFilter } from './placements.ts'
import { Id, line, Sentence } from './shared.ts'

/** Most links one bulk change takes: what a person can still review, and one transaction can carry. */
export const BULK_MAX = 100_000
const Tags = z.array(line(60).min(1)).max(20)

export const BulkChangeBody = z.discriminatedUnion('do', [
  z.strictObject({ do: z.literal('lead to'), address: line(8_000).min(1) }),
  z.strictObject({ do: z.literal('replace'), find: z.string().min(1).max(2_000), put: z.string().max(2_000) }),
  z.strictObject({
    do: z.literal('open'),
    opens: z.enum(['new tab', 'same tab']).nullable().meta({ description: 'null leaves it to the rules' }),
  }),
  z.strictObject({
    do: z.literal('tell'),
    hints: z.array(z.enum(HINTS)).max(3).nullable().meta({ description: 'null leaves it to the rules' }),
  }),
  z.strictObject({ do: z.literal('unlink') }),
  z.strictObject({ do: z.literal('tag'), add: Tags.default([]), remove: Tags.default([]) }),
  z.strictObject({ do: z.literal('noopener') }),
  z.strictObject({
    do: z.literal('take title').meta({ description: 'The destination’s title becomes the link’s words, or its picture’s' }),
  }),
  z.strictObject({ do: z.literal('https') }),
  z.strictObject({ do: z.literal('own path') }),
  z.strictObject({ do: z.literal('bake').meta({ description: 'Writes what the rules decide into the stored pages' }) }),
])
export type BulkChangeBody = z.infer<typeof BulkChangeBody>

/** Links by page and number there, or everything that a filter finds. */
export const Selection = z.union([
  z.strictObject({
    links: z
      .array(z.tuple([Id, z.int().min(0), z.int().min(0)]))
      .min(1)
      .max(BULK_MAX)
      .meta({ description: 'Page, number of the link on it, and where it starts' }),
  }),
  z.strictObject({ filter: PlacementFilter, except: z.array(Id).max(20_000).optional().meta({ description: 'Pages left out' }) }),
])
export type Selection = z.infer<typeof Selection>

const JobId = Id.optional().meta({ description: 'A new id: under it GET /jobs/{id} tells how far the change is, and DELETE stops it' })
export const BulkChangeNew = z.strictObject({
  change: BulkChangeBody,
  selection: Selection,
  dryRun: z.boolean().default(false),
  job: JobId,
})
export type BulkChangeNew = z.infer<typeof BulkChangeNew>

export const BulkItem = z.object({
  page: z.string(),
  pageId: Id,
  title: z.string(),
  text: z.string(),
  before: Sentence,
  after: Sentence,
})
export type BulkItem = z.infer<typeof BulkItem>
export const BulkReview = z
  .object({
    id: Id.nullable().meta({ description: 'Of the change that was made; null for a dry run' }),
    links: z.int(),
    pages: z.int(),
    byPage: z.array(z.object({ pageId: Id, page: z.string(), title: z.string(), links: z.int() })),
    items: z.array(BulkItem),
    moreItems: z.int(),
    skipped: z.array(z.object({ why: Sentence, links: z.int() })),
  })
  .meta({ id: 'BulkReview' })
export type BulkReview = z.infer<typeof BulkReview>

/** What was done with many pages, also by other ways than this one. */
export const BulkChangeDone = z.union([BulkChangeBody, z.strictObject({ do: z.enum(['disclose', 'repoint']) })])

export type BulkChangeDone = z.infer<typeof BulkChangeDone>

export const BulkChange = z
  .object({
    id: Id,
    change: BulkChangeDone,
    links: z.int(),
    pages: z.int(),
    by: z.string().nullable(),
    at: z.iso.datetime(),
    isUndone: z.boolean(),
  })
  .meta({ id: 'BulkChange' })
export type BulkChange = z.infer<typeof BulkChange>
export const BulkChangeList = z.object({ items: z.array(BulkChange) })
export type BulkChangeList = z.infer<typeof BulkChangeList>
export const BulkUndoQuery = z.object({ job: JobId })
export const BulkUndone = z.object({ pages: z.int(), left: z.array(z.object({ page: z.string(), why: Sentence })) })
export type BulkUndone = z.infer<typeof BulkUndone>

export const bulkChanges = {
  make: operation({
    method: 'post',
    path: '/bulk-changes',
    takes: 'list',
    summary: 'Change many links at once; with dryRun only show what would change',
    needs: 'pages:publish',
    status: 200,
    body: BulkChangeNew,
    answer: BulkReview,
  }),
  list: operation({
    method: 'get',
    path: '/bulk-changes',
    summary: 'The newest bulk changes',
    needs: 'pages:read',
    status: 200,
    answer: BulkChangeList,
    shows: ['bulk-changes'],
  }),
  undo: operation({
    method: 'post',
    path: '/bulk-changes/{id}/undo',
    summary: 'Take a bulk change back',
    needs: 'pages:publish',
    status: 200,
    query: BulkUndoQuery,
    answer: BulkUndone,
  }),
} as const
