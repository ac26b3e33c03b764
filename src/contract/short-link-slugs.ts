import { z } from 'zod'
import { SLIPS } from '../core/slugs/index.ts'
import { operation } from './operation.ts'
import { Sentence, Version } from './shared.ts'
import { ShortLink, SLUGS_MAX, SlugName } from './short-links.ts'

/** A slug as people will say, hear and type it. */
export const SlugLook = z
  .object({
    slug: z.string(),
    score: z.number().meta({ description: 'From 0 to 100' }),
    syllables: z.int(),
    reasons: z.array(z.object({ what: Sentence, isGood: z.boolean() })),
    aloud: z.string(),
    spelled: z.string(),
    fault: Sentence.nullable().meta({
      description: 'Why it cannot be used: what is wrong with it, or what has it already; null where it can',
    }),
    near: z
      .array(z.object({ slug: z.string(), slip: z.enum(SLIPS), leadsTo: z.string() }))
      .meta({ description: 'Slugs of other short links that are one slip away' }),
    further: z
      .array(z.object({ slug: z.string(), slip: z.enum(SLIPS) }))
      .meta({ description: 'Free spellings one slip away, the likeliest first' }),
  })
  .meta({ id: 'SlugLook' })
export type SlugLook = z.infer<typeof SlugLook>

export const SlugLookQuery = z.object({
  slug: z.string().max(200),
  host: z.string().max(255).optional(),
  of: z.string().max(60).optional().meta({ description: 'The short link that is looked at: its own slugs are nobody else’s' }),
})

export const SlugsChange = z
  .strictObject({
    version: Version,
    main: SlugName,
    further: z.array(SlugName).max(SLUGS_MAX - 1),
  })
  .meta({ id: 'ShortLinkSlugs' })
export type SlugsChange = z.infer<typeof SlugsChange>

export const shortLinkSlugs = {
  look: operation({
    method: 'get',
    path: '/short-links/slugs',
    summary: 'How well a slug is said, what it would be taken for, and which other spellings are free',
    needs: 'short-links:read',
    status: 200,
    query: SlugLookQuery,
    answer: SlugLook,
    shows: ['short-links', 'redirects', 'hosts'],
  }),
  change: operation({
    method: 'put',
    path: '/short-links/{id}/slugs',
    summary: 'All the slugs a short link answers to; one that is left out answers no longer',
    needs: 'short-links:edit',
    status: 200,
    body: SlugsChange,
    answer: ShortLink,
  }),
} as const
