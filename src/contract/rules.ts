import { z } from 'zod'
import type { Rule } from '../core/rules/index.ts'
import { ADDRESS_KIND, Id, line, Marks, Version } from './shared.ts'

/** Most rules a site can have: a list that a person can still read. */
export const RULES_MAX = 200

export const RuleBody: z.ZodType<Rule> = z
  .strictObject({
    id: z.string().min(1).max(60),
    name: line(120).min(1, 'Give the rule a name'),
    isOn: z.boolean(),
    isBinding: z.boolean(),
    where: z.strictObject({ under: z.array(line(500).startsWith('/', 'A path starts with “/”')).max(50).optional() }),
    which: z.strictObject({
      kinds: z.array(ADDRESS_KIND).max(8).optional(),
      sites: z
        .array(
          line(253)
            .toLowerCase()
            .regex(/^[^\s/:?#]+\.[^\s/:?#]+$|^localhost$/, 'Write the site alone, such as gannet-line.example'),
        )
        .max(500)
        .optional(),
      partner: z.boolean().optional(),
      address: line(500).optional(),
      origin: z.enum(['written here', 'imported']).optional(),
      shows: z.enum(['text', 'picture']).optional(),
    }),
    what: z
      .strictObject({
        hints: z
          .array(z.enum(['sponsored', 'nofollow', 'ugc']))
          .max(3)
          .optional(),
        opens: z.enum(['new tab', 'same tab']).optional(),
        noopener: z.boolean().optional(),
        noreferrer: z.boolean().optional(),
      })
      .refine((what) => Object.values(what).some((value) => value !== undefined), 'Choose what the rule is to do'),
  })
  .meta({ id: 'Rule' })

export const RuleList = z.object({ version: z.int().min(0), rules: z.array(RuleBody) }).meta({ id: 'RuleList' })
export const RulesChange = z.strictObject({
  version: z.int().min(0).meta({ description: 'The version the change was made on' }),
  rules: z.array(RuleBody).max(RULES_MAX),
})
export type RulesChange = z.infer<typeof RulesChange>

export const ImpactRequest = z.strictObject({ rules: z.array(RuleBody).max(RULES_MAX) })
export const ImpactAnswer = z
  .object({
    looked: z.int(),
    links: z.int(),
    pages: z.int(),
    groups: z.array(
      z.object({
        before: Marks,
        after: Marks,
        links: z.int(),
        pages: z.int(),
        examples: z.array(z.object({ page: z.string(), pageId: Id, text: z.string(), tagBefore: z.string(), tagAfter: z.string() })),
      }),
    ),
  })
  .meta({ id: 'Impact' })
export type ImpactAnswer = z.infer<typeof ImpactAnswer>

export const RuleVersion = z.object({ version: Version, by: z.string().nullable(), at: z.iso.datetime(), rules: z.int() })

export const RewriteRequest = z.object({
  html: z.string().max(20_000_000),
  host: z.string().max(255).optional(),
  path: z.string().max(2_000).optional(),
})
export const RewriteAnswer = z.object({
  html: z.string(),
  links: z.array(
    z.object({
      text: z.string(),
      href: z.string(),
      kind: ADDRESS_KIND.nullable(),
      before: Marks,
      after: Marks,
      because: z.object({ rel: z.string(), target: z.string() }),
    }),
  ),
})
export type RewriteAnswer = z.infer<typeof RewriteAnswer>
