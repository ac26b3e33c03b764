import { z } from 'zod'
import { operation } from './operation.ts'
import { Sentence } from './shared.ts'

/** Stretches of time that are looked at, in days. */
export const RESULT_DAYS = [7, 30, 90, 365] as const

export const ShortLinkResultsQuery = z.object({
  days: z.coerce
    .number()
    .pipe(z.union([z.literal(7), z.literal(30), z.literal(90), z.literal(365)]))
    .default(30),
})
export type ShortLinkResultsQuery = z.infer<typeof ShortLinkResultsQuery>

const Sources = z.array(z.object({ value: z.string().meta({ description: '"" where nothing was said' }), clicks: z.int() }))
const Share = z.object({ share: z.number(), low: z.number(), high: z.number() })

export const ShortLinkResults = z
  .object({
    zone: z.string().meta({ description: 'The site’s time zone, in which days and hours are told' }),
    days: z
      .array(z.object({ day: z.iso.date(), people: z.int(), others: z.int(), before: z.int() }))
      .meta({ description: 'Each day of the stretch, with the clicks of people on the day as long before' }),
    hours: z.array(z.object({ hour: z.iso.datetime(), people: z.int(), others: z.int() })).meta({ description: 'Of the last two days' }),
    byHour: z.array(z.int()).length(24).meta({ description: 'Clicks of people in the stretch by the hour of the day' }),
    total: z.object({
      people: z.int(),
      others: z.int(),
      before: z.int(),
      visitors: z.int().meta({ description: 'Different people, told apart within a day (UTC) and added up; counted every ten minutes' }),
    }),
    placements: z
      .array(z.object({ host: z.string(), path: z.string(), nth: z.int(), people: z.int() }))
      .meta({ description: 'Links on pages by which it was followed, where the site counts its pages' }),
    bots: z.array(z.object({ visit: z.string(), clicks: z.int() })).meta({ description: 'The others, by what they were' }),
    referrers: Sources,
    devices: Sources,
    languages: Sources,
    split: z
      .array(
        z.object({
          to: z.string(),
          weight: z.int(),
          clicks: z.int(),
          share: Share.meta({ description: 'Of the clicks, with the interval in which the true share lies in 95 cases of a hundred' }),
          orders: z.int().nullable().meta({ description: 'That partners reported for its sub-ID; null for whoever may not see partners' }),
          earns: Share.meta({ description: 'Orders a click, with its interval' }),
        }),
      )
      .nullable(),
    verdict: Sentence.meta({ description: 'Of the split, in a sentence; "" without one' }),
    changes: z.array(z.object({ day: z.iso.date(), words: Sentence })).meta({ description: 'What was done with the link in the stretch' }),
  })
  .meta({ id: 'ShortLinkResults' })
export type ShortLinkResults = z.infer<typeof ShortLinkResults>

export const shortLinkResults = {
  look: operation({
    method: 'get',
    path: '/short-links/{id}/results',
    summary: 'Who followed a short link: by day, hour and source, people and others apart, beside the stretch before',
    needs: 'short-links:read',
    status: 200,
    query: ShortLinkResultsQuery,
    answer: ShortLinkResults,
    shows: ['short-links'],
  }),
} as const
