import { z } from 'zod'
import { operation } from './operation.ts'
import { Id, Sentence } from './shared.ts'

export const MissedAddress = z
  .object({
    id: Id,
    host: z.string(),
    path: z.string(),
    people: z.int().meta({ description: 'How often people asked for it' }),
    others: z.int().meta({ description: 'How often tools, bots and prefetches did' }),
    week: z.int().meta({ description: 'By people, in the last seven days' }),
    weekBefore: z.int(),
    firstAt: z.iso.datetime(),
    lastAt: z.iso.datetime(),
    referrers: z.array(z.object({ referrer: z.string(), visits: z.int() })),
    suggestions: z.array(z.object({ to: z.string(), score: z.number(), reason: Sentence })),
  })
  .meta({ id: 'MissedAddress' })
export type MissedAddress = z.infer<typeof MissedAddress>

export const MissedQuery = z.object({
  search: z.string().max(200).default(''),
  ignored: z.enum(['1', '0']).default('0').meta({ description: '1 for those that are to be left alone' }),
  limit: z.coerce.number().int().min(1).max(200).default(50),
  cursor: z.string().max(20).regex(/^\d+$/).optional(),
})
export type MissedQuery = z.infer<typeof MissedQuery>

export const MissedList = z.object({
  items: z.array(MissedAddress),
  next: z.string().nullable(),
  noise: z
    .array(z.object({ kind: z.string(), visits: z.int() }))
    .meta({ description: 'What scanners, icons, probes and parts of pages asked for in the last 30 days' }),
  rule: z.array(Sentence).meta({ description: 'How that is told apart, in words' }),
  score: z.array(Sentence).meta({ description: 'How suggestions are scored, in words' }),
})
export type MissedList = z.infer<typeof MissedList>

export const MissedIgnore = z.strictObject({ ids: z.array(Id).min(1).max(500), isIgnored: z.boolean() })
export type MissedIgnore = z.infer<typeof MissedIgnore>

export const missed = {
  list: operation({
    method: 'get',
    path: '/missed',
    summary: 'Addresses that were asked for in vain and still are, with pages that might be meant',
    needs: ['redirects:read', 'pages:read'],
    status: 200,
    query: MissedQuery,
    answer: MissedList,
    shows: ['missed', 'redirects', 'pages', 'files'],
  }),
  ignore: operation({
    method: 'post',
    path: '/missed/ignore',
    takes: 'list',
    summary: 'Leave missed addresses alone, or take them up again',
    needs: 'redirects:edit',
    status: 200,
    body: MissedIgnore,
    answer: z.object({ set: z.int() }),
  }),
} as const
