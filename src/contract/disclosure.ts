import { z } from 'zod'
import { DISCLOSURE_STATES } from '../core/disclosure/index.ts'
import { tell } from '../words/index.ts'
import { operation } from './operation.ts'
import { Id, line, says } from './shared.ts'

export const Disclosure = z
  .strictObject({
    text: line(2_000),
    place: z.enum(['above', 'top']).meta({ description: 'Right above the first paid link, or below the title' }),
    language: z
      .string()
      .trim()
      .regex(/^(?:[A-Za-z]{2,3}(?:-[A-Za-z0-9]{2,8})*)?$/, says(tell('field.language-tag'))),
    short: line(60).default('').meta({ description: 'In front of the words of each paid link, as it is delivered; empty for none' }),
    isDelivered: z.boolean().default(false).meta({ description: 'Pages that lack it get it as they are delivered; what is stored stays' }),
    isAtDoors: z.boolean().default(false).meta({ description: 'Pages that come through a front door get it too' }),
  })
  .meta({ id: 'Disclosure' })
export type Disclosure = z.infer<typeof Disclosure>
/** What is left out stays. */
export const DisclosureChange = z.strictObject({
  text: Disclosure.shape.text.optional(),
  place: Disclosure.shape.place.optional(),
  language: Disclosure.shape.language.optional(),
  short: line(60).optional(),
  isDelivered: z.boolean().optional(),
  isAtDoors: z.boolean().optional(),
})
export type DisclosureChange = z.infer<typeof DisclosureChange>
export const DisclosedPage = z.object({ pageId: Id, path: z.string(), title: z.string(), paid: z.int(), state: z.enum(DISCLOSURE_STATES) })
export type DisclosedPage = z.infer<typeof DisclosedPage>
export const DisclosureReview = z.object({ pages: z.array(DisclosedPage), lacking: z.int(), well: z.int(), more: z.int() })
export type DisclosureReview = z.infer<typeof DisclosureReview>
export const DisclosureMend = z.strictObject({
  pageIds: z.array(Id).max(20_000).optional().meta({ description: 'All that lack it when left out' }),
})
export const DisclosureMended = z.object({ id: Id.nullable(), pages: z.int() })
export type DisclosureMended = z.infer<typeof DisclosureMended>

export const disclosure = {
  look: operation({
    method: 'get',
    path: '/disclosure',
    summary: 'What the site tells of its paid links',
    needs: 'partners:read',
    status: 200,
    answer: Disclosure,
    shows: ['disclosure'],
  }),
  change: operation({
    method: 'put',
    path: '/disclosure',
    summary: 'Set what the site tells of its paid links',
    needs: 'partners:edit',
    status: 200,
    body: DisclosureChange,
    answer: Disclosure,
  }),
  review: operation({
    method: 'get',
    path: '/disclosure/review',
    summary: 'Pages with paid links, and whether they tell of them in time',
    needs: ['pages:read', 'partners:read', 'rules:read'],
    status: 200,
    answer: DisclosureReview,
    shows: ['disclosure', 'partners', 'pages', 'rules'],
  }),
  mend: operation({
    method: 'post',
    path: '/disclosure/mend',
    takes: 'list',
    summary: 'Add, move or update the disclosure on pages that need it, in one step that can be taken back',
    needs: 'pages:publish',
    status: 200,
    body: DisclosureMend,
    answer: DisclosureMended,
  }),
} as const
