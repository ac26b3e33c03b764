import { z } from 'zod'
import { operation } from './operation.ts'
import { Sentence } from './shared.ts'

export const DESTINATION_KIND = z.enum(['inside page', 'section', 'file', 'short link', 'redirect', 'partner'])

/** Somewhere of the site's own to link to, found by words. */
export const Destination = z
  .object({
    kind: DESTINATION_KIND,
    address: z.string().meta({ description: 'What to write into the link' }),
    title: z.string(),
    note: Sentence,
    pageId: z.uuid().nullable().meta({ description: 'Of a page or the page of a section' }),
    start: z.int().nullable().meta({ description: 'Of a section without a name: where its heading starts' }),
  })
  .meta({ id: 'Destination' })
export type Destination = z.infer<typeof Destination>

export const DestinationQuery = z.object({
  text: z.string().max(300).default(''),
  page: z.string().max(2_000).optional().meta({ description: 'Path of the page the link is to stand on' }),
  limit: z.coerce.number().int().min(1).max(50).default(12),
})
export type DestinationQuery = z.infer<typeof DestinationQuery>
export const DestinationList = z.object({ items: z.array(Destination) })
export type DestinationList = z.infer<typeof DestinationList>

export const destinations = {
  find: operation({
    method: 'get',
    path: '/destinations',
    summary: 'What words may mean as a destination, best first',
    needs: 'pages:read',
    status: 200,
    query: DestinationQuery,
    answer: DestinationList,
  }),
} as const
