import { z } from 'zod'
import { CASES_MAX, ENDINGS, QUERY_HABITS, REFERRER_POLICIES, SPLIT_MAX, WEIGHT_MAX } from '../core/routing/index.ts'
import { RedirectWhen } from './redirects.ts'

const Destination = z.string().max(8_000)
const Weight = z.int().min(0).max(WEIGHT_MAX)

/** Who of a short link's visitors is sent where, and when. */
export const ShortLinkCourse = z
  .strictObject({
    query: z.enum(QUERY_HABITS).meta({ description: 'Whether the query that was asked with is dropped, passed on, or merged' }),
    cases: z
      .array(z.strictObject({ when: RedirectWhen, to: Destination }))
      .max(CASES_MAX)
      .meta({ description: 'Other destinations under conditions, a time among them; the first that holds answers' }),
    split: z
      .strictObject({
        main: Weight,
        others: z
          .array(z.strictObject({ to: Destination, weight: Weight }))
          .min(1)
          .max(SPLIT_MAX),
      })
      .nullable()
      .meta({ description: 'Shares of the visitors: one visitor always gets the same' }),
    startsAt: z.iso.datetime().nullable(),
    endsAt: z.iso.datetime().nullable(),
    clickLimit: z.int().max(1_000_000_000).nullable().meta({ description: 'So many clicks of people, and then it is over' }),
    ending: z
      .enum(ENDINGS)
      .meta({ description: 'What visitors of one that is over get: a page that says so, 410, or another destination' }),
    endingTo: Destination,
    fallback: Destination.meta({ description: 'Where visitors are sent while the destination does not answer' }),
    isIndexed: z.boolean().meta({ description: 'Without X-Robots-Tag: noindex, nofollow' }),
    referrer: z.enum(REFERRER_POLICIES).meta({ description: 'Referrer-Policy of the answer; "" for none' }),
  })
  .meta({ id: 'ShortLinkCourse' })
export type ShortLinkCourse = z.infer<typeof ShortLinkCourse>
