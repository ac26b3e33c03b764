import { z } from 'zod'
import { operation } from './operation.ts'
import { Id, line, Sentence } from './shared.ts'

/** A partner whose links are to lead elsewhere: built anew, or all to one address. */
export const RepointAsked = z.strictObject({
  partnerId: Id,
  oldTemplate: line(2_000).optional().meta({ description: 'How links were built before; as the partner has it when left out' }),
  oldAccount: line(200).optional(),
  to: z.discriminatedUnion('do', [
    z.strictObject({ do: z.literal('build anew') }).meta({ description: 'By the partner’s template and account as they are now' }),
    z.strictObject({ do: z.literal('plain') }).meta({ description: 'The page of theirs itself, without our number' }),
    z.strictObject({ do: z.literal('lead to'), address: line(8_000).min(1) }),
  ]),
  dryRun: z.boolean().default(false),
})
export type RepointAsked = z.infer<typeof RepointAsked>
export const Repointed = z.object({
  id: Id.nullable(),
  placements: z.int(),
  pages: z.int(),
  shortLinks: z.int(),
  redirects: z.int(),
  items: z.array(z.object({ where: Sentence, before: z.string(), after: z.string() })),
  more: z.int(),
  left: z.array(Sentence).meta({ description: 'What could not be changed, and why' }),
})
export type Repointed = z.infer<typeof Repointed>
export const RepointUndone = z.object({ pages: z.int(), shortLinks: z.int(), redirects: z.int(), left: z.array(Sentence) })
export type RepointUndone = z.infer<typeof RepointUndone>

export const partnerMoves = {
  make: operation({
    method: 'post',
    path: '/partners/moves',
    summary: 'Point every link, short link and redirect of a partner elsewhere, in one step; with dryRun only show what would change',
    needs: ['partners:edit', 'pages:publish', 'short-links:edit', 'redirects:edit'],
    status: 200,
    body: RepointAsked,
    answer: Repointed,
  }),
  undo: operation({
    method: 'post',
    path: '/partners/moves/{id}/undo',
    summary: 'Take such a step back',
    needs: ['partners:edit', 'pages:publish', 'short-links:edit', 'redirects:edit'],
    status: 200,
    answer: RepointUndone,
  }),
} as const
