import { z } from 'zod'
import { isTold, type Said, type Told } from '../words/index.ts'

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

/**
 * What a person is told: words in an answer. Below the screen it is a name and facts, put into words as it goes out; what was kept by
 * an earlier version stands in words already.
 */
export const Sentence = z.union([z.string(), z.custom<Told>(isTold)]).meta({ type: 'string' })

/** What is told where something does not pass a check, as the message of that check: a text, in which {@link toldBy} finds it again. */
export const says = (told: Told): string => JSON.stringify(told)

/** What a check tells. What the schemas themselves say where nothing else is said is in words. */
export function toldBy({ message }: { readonly message: string }): Said {
  if (!message.startsWith('{"tell":')) return message
  const told: unknown = JSON.parse(message)
  return isTold(told) ? told : message
}

/** What a call that begins long work answers: under this id the job can be asked after. */
export const JobStarted = z.object({ job: Id })
