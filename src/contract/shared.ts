import { z } from 'zod'

export const Id = z.uuid()
/** The next one still fits into the integer of PostgreSQL. */
export const VERSION_MAX = 2_147_483_646
export const Version = z.int().positive().max(VERSION_MAX)

/** Lists come in pages: `cursor` is what the page before said in `next`. */
export const Paging = z.object({
  cursor: z.string().max(500).optional(),
  limit: z.coerce.number().int().min(1).max(500).default(100),
})

export const ADDRESS_KIND = z.enum(['inside page', 'section', 'outside', 'file', 'mail', 'phone', 'short link', 'partner'])

/** `rel` and `target` of a link; null where the attribute is absent. */
export const Marks = z.object({ rel: z.string().nullable(), target: z.string().nullable() })

/** A text of sensible length, without white space at its ends. */
export const line = (most: number): z.ZodString => z.string().trim().max(most)

/** What a call that begins long work answers: under this id the job can be asked after. */
export const JobStarted = z.object({ job: Id })
