import { z } from 'zod'
import { Nothing, operation } from './operation.ts'
import { Id } from './shared.ts'

/** A contributor's new outside link that no editor has looked at. */
export const WaitingLink = z
  .object({
    id: Id,
    pageId: Id,
    path: z.string(),
    title: z.string(),
    address: z.string(),
    words: z.string(),
    sentence: z.string(),
    flags: z.array(z.enum(['many', 'new site'])),
    by: z.string().nullable(),
    at: z.iso.datetime(),
  })
  .meta({ id: 'WaitingLink' })
export type WaitingLink = z.infer<typeof WaitingLink>
export const WaitingList = z.object({ items: z.array(WaitingLink) })
export type WaitingList = z.infer<typeof WaitingList>
export const WaitingDecision = z.strictObject({ accept: z.boolean() })

export const waiting = {
  list: operation({
    method: 'get',
    path: '/waiting',
    summary: 'Contributors’ outside links that wait for an editor',
    needs: 'pages:read',
    status: 200,
    answer: WaitingList,
    shows: ['waiting'],
  }),
  decide: operation({
    method: 'post',
    path: '/waiting/{id}',
    summary: 'Accept a link that waits, or refuse it',
    needs: 'pages:publish',
    status: 204,
    body: WaitingDecision,
    answer: Nothing,
  }),
} as const
