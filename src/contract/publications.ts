import { z } from 'zod'
import { Id } from './shared.ts'

export const PublicationNew = z.union([z.strictObject({ all: z.literal(true) }), z.strictObject({ pages: z.array(Id).min(1).max(20_000) })])
export type PublicationNew = z.infer<typeof PublicationNew>

export const Publication = z
  .object({ id: Id, number: z.int(), at: z.iso.datetime(), by: z.string().nullable(), pages: z.int(), files: z.int() })
  .meta({ id: 'Publication' })
export type Publication = z.infer<typeof Publication>

/** What differs from the live site. */
export const Unpublished = z.object({
  pages: z.array(
    z.object({ id: Id, path: z.string(), title: z.string(), isNew: z.boolean(), by: z.string().nullable(), at: z.iso.datetime() }),
  ),
  morePages: z.int(),
  files: z.int(),
})
export type Unpublished = z.infer<typeof Unpublished>
export const PublicationList = z.object({ items: z.array(Publication) })
