import { z } from 'zod'
import { BulkChangeDone } from './bulk-changes.ts'
import { operation } from './operation.ts'
import { Id, Sentence } from './shared.ts'

/** What was changed by a step; each kind is taken back in its own way. */
export const STEP_KINDS = ['links', 'short-links', 'redirects', 'partners', 'phrases', 'rules', 'earnings', 'imports'] as const
export type StepKind = (typeof STEP_KINDS)[number]

const of = <K extends StepKind, F extends z.ZodRawShape>(kind: K, facts: F) =>
  z.object({
    kind: z.literal(kind),
    id: Id,
    by: z.string().nullable(),
    at: z.iso.datetime(),
    isUndone: z.boolean(),
    canUndo: z.boolean().meta({ description: 'It can be taken back, and the caller may' }),
    ...facts,
  })

/** Something that was done to many things at once, as it is found again. */
export const Step = z
  .discriminatedUnion('kind', [
    of('links', { change: BulkChangeDone, links: z.int(), pages: z.int() }),
    of('short-links', {
      what: z.string().meta({ description: 'What of them was changed, or the campaign’s name; "list" for a list' }),
      links: z.int(),
    }),
    of('redirects', { what: Sentence, rows: z.int() }),
    of('partners', {
      partner: z.string(),
      mended: z
        .object({ address: z.string(), to: z.string() })
        .nullable()
        .meta({ description: 'Where one address was led elsewhere, not a partner’s' }),
      placements: z.int(),
      shortLinks: z.int(),
      redirects: z.int(),
    }),
    of('phrases', { destination: z.string(), phrases: z.int() }),
    of('rules', { version: z.int(), rules: z.int() }),
    of('earnings', { partner: z.string(), name: z.string(), lines: z.int() }),
    of('imports', { name: z.string(), pages: z.int(), files: z.int() }),
  ])
  .meta({ id: 'Step' })
export type Step = z.infer<typeof Step>

export const StepList = z.object({ items: z.array(Step), next: z.string().nullable() })
export type StepList = z.infer<typeof StepList>
export const StepQuery = z.object({
  kind: z.enum(STEP_KINDS).optional(),
  cursor: z.string().max(500).optional(),
  limit: z.coerce.number().int().min(1).max(100).default(30),
})
export type StepQuery = z.infer<typeof StepQuery>

export const StepUndo = z.strictObject({ kind: z.enum(STEP_KINDS), id: Id })
export type StepUndo = z.infer<typeof StepUndo>
/** What a job that takes a step back is told. */
export const StepUndoInput = z.object({ kind: z.enum(['short-links', 'imports']), step: Id })

/** What was given back, and what could not be. */
export const StepUndone = z
  .object({
    job: Id.nullable().meta({ description: 'It is under way: GET /jobs/{id} tells how far. Null where it is done' }),
    back: z.int().meta({ description: 'Things that are as they were before' }),
    left: z.array(z.object({ what: z.string(), why: Sentence })).meta({ description: 'What stays as it is, and why; the first of them' }),
    moreLeft: z.int(),
  })
  .meta({ id: 'StepUndone' })
export type StepUndone = z.infer<typeof StepUndone>

export const steps = {
  list: operation({
    method: 'get',
    path: '/steps',
    summary: 'What was changed in steps, newest first: of links, short links, redirects, partners, phrases, rules, reports, imports',
    needs: 'pages:read',
    status: 200,
    query: StepQuery,
    answer: StepList,
    shows: ['pages', 'bulk-changes', 'short-links', 'redirects', 'partners', 'phrases', 'rules', 'earnings'],
  }),
  undo: operation({
    method: 'post',
    path: '/steps/undo',
    summary: 'Take a step back, whole; what was changed since is left and told',
    needs: 'pages:read',
    status: 200,
    body: StepUndo,
    answer: StepUndone,
  }),
} as const
