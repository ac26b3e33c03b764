import { z } from 'zod'
import { operation } from './operation.ts'
import { RedirectChange, RedirectNew } from './redirects.ts'
import { Id, JobStarted, line, Sentence } from './shared.ts'

/** Most rows that one call makes, changes or takes away; longer lists come in with `bulk`. */
export const STEP_ITEMS_MAX = 2_000

export const RedirectStepNew = z
  .strictObject({
    what: line(200).min(1).meta({ description: 'In words, as people find it again' }),
    items: z
      .array(
        z.discriminatedUnion('do', [
          z.strictObject({ do: z.literal('make'), row: RedirectNew }),
          z.strictObject({ do: z.literal('change'), id: Id, change: RedirectChange }),
          z.strictObject({ do: z.literal('remove'), id: Id }),
        ]),
      )
      .min(1)
      .max(STEP_ITEMS_MAX),
    dryRun: z.boolean().optional().meta({ description: 'Only tells what would become of each' }),
  })
  .meta({ id: 'RedirectStepNew' })
export type RedirectStepNew = z.infer<typeof RedirectStepNew>
export type RedirectStepItem = RedirectStepNew['items'][number]

export const RedirectStepDone = z
  .object({
    step: Id.nullable().meta({ description: 'By which it can be taken back; null where nothing was done' }),
    made: z.int(),
    changed: z.int(),
    removed: z.int(),
    rows: z.array(Id).meta({ description: 'Those that were made' }),
    refused: z.array(z.object({ index: z.int(), reason: Sentence })),
  })
  .meta({ id: 'RedirectStepDone' })
export type RedirectStepDone = z.infer<typeof RedirectStepDone>

export const RedirectStepList = z.object({
  items: z.array(
    z.object({
      id: Id,
      what: Sentence,
      rows: z.int(),
      by: z.string().nullable(),
      at: z.iso.datetime(),
      isUndone: z.boolean(),
    }),
  ),
})
export type RedirectStepList = z.infer<typeof RedirectStepList>

/** What a job of this kind is told. */
export const RedirectUndoInput = z.object({ step: Id })

/** What became of a step that was taken back. */
export const RedirectUndoReport = z
  .object({
    givenBack: z.int().meta({ description: 'Rows that are what they were before' }),
    changedSince: z.int().meta({ description: 'Rows that were changed after the step, and are left as they are' }),
  })
  .meta({ id: 'RedirectUndoReport' })
export type RedirectUndoReport = z.infer<typeof RedirectUndoReport>

export const redirectSteps = {
  list: operation({
    method: 'get',
    path: '/redirects/steps',
    summary: 'Rows of redirects that were made, changed or taken away together, newest first',
    needs: 'redirects:read',
    status: 200,
    answer: RedirectStepList,
    shows: ['redirects'],
  }),
  create: operation({
    method: 'post',
    path: '/redirects/steps',
    takes: 'list',
    summary: 'Make, change or take away several rows of redirects in one step that can be taken back',
    needs: 'redirects:edit',
    status: 200,
    body: RedirectStepNew,
    answer: RedirectStepDone,
  }),
  undo: operation({
    method: 'post',
    path: '/redirects/steps/{id}/undo',
    summary: 'Take a step back: its rows are what they were before, unless somebody changed them since',
    needs: 'redirects:edit',
    status: 202,
    answer: JobStarted,
  }),
} as const
