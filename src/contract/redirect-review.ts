import { z } from 'zod'
import { FINDING_KINDS } from '../core/routing/index.ts'
import { operation } from './operation.ts'
import { RedirectStepDone } from './redirect-steps.ts'
import { RedirectMatch, RedirectStatus } from './redirects.ts'
import { Id, line, Sentence, Version } from './shared.ts'

export const FindingKind = z.enum(FINDING_KINDS)

/** A row as findings show it. */
const FoundRow = z.object({
  id: Id,
  from: z.string(),
  to: z.string(),
  status: RedirectStatus,
  match: RedirectMatch,
  isOn: z.boolean(),
  version: Version,
})

export const RedirectFinding = z
  .object({
    kind: FindingKind.meta({
      description:
        'loop: leads in a circle; chain: leads on in several steps; shadowed: another row always comes before it; duplicate, contradictory: it stands there twice; dead: no page where it leads; over-page: a published page comes before it; insecure: leads from https to http; host-differs: leads to another host, as it was asked',
    }),
    row: FoundRow,
    stops: z.array(z.string()),
    other: FoundRow.nullable().meta({ description: 'Another row that has to do with it' }),
    mend: z
      .union([z.object({ to: z.string() }), z.object({ isOn: z.literal(false) }), z.object({ isRemoved: z.literal(true) })])
      .nullable()
      .meta({ description: 'What mends it; null where only a person can say what was meant' }),
    suggestion: z.string().nullable().meta({ description: 'Where it might lead in place of nowhere' }),
  })
  .meta({ id: 'RedirectFinding' })
export type RedirectFinding = z.infer<typeof RedirectFinding>

export const RedirectReviewQuery = z.object({
  kind: FindingKind.optional(),
  cursor: z.coerce.number().int().min(0).max(10_000_000).default(0),
})

export const RedirectReviewAnswer = z
  .object({
    rows: z.int(),
    counts: z.array(z.object({ kind: FindingKind, rows: z.int(), mendable: z.int() })),
    items: z.array(RedirectFinding),
    total: z.int().meta({ description: 'Of the kind that was asked for' }),
    areSuggestionsComing: z.boolean().meta({ description: 'The pages of the site are being read; suggestions are there at a later look' }),
    next: z.string().nullable(),
  })
  .meta({ id: 'RedirectReview' })
export type RedirectReviewAnswer = z.infer<typeof RedirectReviewAnswer>

/** Most rows mended in one step. */
export const MENDED_MAX = 5_000

export const RedirectMend = z.strictObject({
  kinds: z.array(FindingKind).optional().meta({ description: 'All of these kinds; every kind when left out' }),
  rows: z.array(Id).max(MENDED_MAX).optional().meta({ description: 'Of these rows alone' }),
  dryRun: z.boolean().optional(),
})
export type RedirectMend = z.infer<typeof RedirectMend>

export const RedirectMended = RedirectStepDone.extend({
  items: z.array(
    z.object({
      kind: FindingKind,
      id: Id,
      from: z.string(),
      before: z.string(),
      after: Sentence.meta({ description: 'In words or as an address' }),
    }),
  ),
})
export type RedirectMended = z.infer<typeof RedirectMended>

export const RedirectSuggestRequest = z.strictObject({
  from: z.array(z.string().max(8_000)).min(1).max(500),
  title: line(300).optional().meta({ description: 'Of the page that once stood there, where only one address is asked about' }),
})
export type RedirectSuggestRequest = z.infer<typeof RedirectSuggestRequest>

export const RedirectSuggestion = z.object({
  to: z.string(),
  score: z.number().meta({ description: 'From 0 to 1' }),
  reason: Sentence,
})
export const RedirectSuggestAnswer = z
  .object({ items: z.array(z.object({ from: z.string(), suggestions: z.array(RedirectSuggestion) })) })
  .meta({ id: 'RedirectSuggestions' })
export type RedirectSuggestAnswer = z.infer<typeof RedirectSuggestAnswer>

export const redirectReview = {
  look: operation({
    method: 'get',
    path: '/redirects/review',
    summary: 'What is wrong in the table of redirects, each with its mend',
    needs: ['redirects:read', 'pages:read'],
    status: 200,
    query: RedirectReviewQuery,
    answer: RedirectReviewAnswer,
    shows: ['redirects', 'pages', 'files', 'hosts', 'sites'],
  }),
  mend: operation({
    method: 'post',
    path: '/redirects/review/mend',
    takes: 'list',
    summary: 'Carry the mends of a review out in one step that can be taken back, or only tell what they would do',
    needs: ['redirects:edit', 'pages:read'],
    status: 200,
    body: RedirectMend,
    answer: RedirectMended,
  }),
  suggest: operation({
    method: 'post',
    path: '/redirects/suggest',
    takes: 'list',
    summary: 'Pages for addresses that nobody answers, best first',
    needs: ['redirects:read', 'pages:read'],
    status: 200,
    body: RedirectSuggestRequest,
    answer: RedirectSuggestAnswer,
    isQuestion: true,
  }),
} as const
