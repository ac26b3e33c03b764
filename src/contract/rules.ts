import { z } from 'zod'
import { CONDITION_MAX_DEPTH, type Condition, EFFECTS, PART_KINDS, REFERRER_POLICIES, type Rule } from '../core/rules/index.ts'
import { tell } from '../words/index.ts'
import { operation } from './operation.ts'
import { ADDRESS_KIND, Id, line, Marks, Sentence, says, VERSION_MAX, Version } from './shared.ts'

/** Most rules a site can have: a list that a person can still read. */
export const RULES_MAX = 200

const Site = line(253)
  .toLowerCase()
  .regex(/^[^\s/:?#]+\.[^\s/:?#]+$|^localhost$/, says(tell('field.site')))
const some = <T extends z.ZodType>(of: T, most: number) =>
  z
    .array(of)
    .min(1, says(tell('field.choose')))
    .max(most)

const TestBody = z.discriminatedUnion('is', [
  z.strictObject({ is: z.literal('kind'), of: some(ADDRESS_KIND, 8) }),
  z.strictObject({ is: z.literal('site'), of: some(Site, 500) }),
  z.strictObject({ is: z.literal('partner'), of: z.array(Id).max(100).optional() }),
  z.strictObject({ is: z.literal('address'), like: line(500).min(1) }),
  z.strictObject({ is: z.literal('origin'), of: z.enum(['written here', 'imported']) }),
  z.strictObject({ is: z.literal('shows'), of: z.enum(['text', 'picture']) }),
  z.strictObject({ is: z.literal('under'), of: some(line(500).startsWith('/', says(tell('field.path'))), 50) }),
  z.strictObject({ is: z.literal('part'), of: some(z.enum(PART_KINDS), 3), named: z.array(line(60)).max(50).optional() }),
  z.strictObject({ is: z.literal('tag'), of: some(line(60).min(1), 50) }),
  z.strictObject({ is: z.literal('sponsored page') }),
])
const conditionOf = (depth: number): z.ZodType<Condition> =>
  depth === 0
    ? TestBody
    : z.union([
        TestBody,
        z.strictObject({ all: z.array(conditionOf(depth - 1)).max(50) }),
        z.strictObject({ any: z.array(conditionOf(depth - 1)).max(50) }),
        z.strictObject({ not: conditionOf(depth - 1) }),
      ])
/** Which links a rule means: tests, combined with all, any and not. */
export const ConditionBody = conditionOf(CONDITION_MAX_DEPTH)

export const RuleBody: z.ZodType<Rule> = z
  .strictObject({
    id: z.string().min(1).max(60),
    name: line(120).min(1, says(tell('field.rule-name'))),
    isOn: z.boolean(),
    isBinding: z.boolean(),
    when: ConditionBody,
    what: z
      .strictObject({
        hints: z
          .array(z.enum(['sponsored', 'nofollow', 'ugc']))
          .max(3)
          .optional(),
        opens: z.enum(['new tab', 'same tab']).optional(),
        noopener: z.boolean().optional(),
        noreferrer: z.boolean().optional(),
        referrer: z.enum(REFERRER_POLICIES).optional(),
        mark: z.boolean().optional(),
        spoken: line(120).optional(),
        title: line(300).optional(),
      })
      .refine((what) => Object.values(what).some((value) => value !== undefined), says(tell('field.rule-does'))),
  })
  .meta({ id: 'Rule' })

/** What holds below the rules, where neither they nor a hand speak. */
const partnersArePaid = z.boolean().meta({ description: 'Links to partners are paid (sponsored nofollow) where nothing else speaks' })

export const RuleList = z.object({ version: z.int().min(0), rules: z.array(RuleBody), partnersArePaid }).meta({ id: 'RuleList' })
export type RuleList = z.infer<typeof RuleList>
export const RulesChange = z.strictObject({
  version: z.int().min(0).max(VERSION_MAX).meta({ description: 'The version the change was made on' }),
  rules: z.array(RuleBody).max(RULES_MAX),
  partnersArePaid: partnersArePaid.optional(),
})
export type RulesChange = z.infer<typeof RulesChange>

export const ImpactRequest = z.strictObject({ rules: z.array(RuleBody).max(RULES_MAX), partnersArePaid: partnersArePaid.optional() })
const ShareBody = z.object({ name: z.string(), links: z.int() })
const ReasonBody = z.discriminatedUnion('by', [
  z.object({ by: z.literal('rule'), id: z.string(), number: z.int(), name: z.string() }),
  z.object({ by: z.literal('hand') }),
  z.object({ by: z.literal('sponsor'), name: z.string() }),
  z.object({ by: z.literal('queue') }),
  z.object({ by: z.literal('lowest') }),
  z.object({ by: z.literal('source') }),
])
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
    byPage: z.array(ShareBody),
    bySite: z.array(ShareBody),
    rules: z.array(
      z.object({
        id: z.string(),
        means: z.int().meta({ description: 'Links that the rule means' }),
        decides: z.int().meta({ description: 'Links for which it decides something' }),
        instead: z.array(z.object({ reason: ReasonBody, links: z.int() })),
      }),
    ),
    conflicts: z.array(z.object({ effect: z.enum(EFFECTS), heard: z.int(), unheard: z.int(), links: z.int() })),
  })
  .meta({ id: 'Impact' })
export type ImpactAnswer = z.infer<typeof ImpactAnswer>

export const RuleVersion = z.object({ version: Version, by: z.string().nullable(), at: z.iso.datetime(), rules: z.int() })
export type RuleVersion = z.infer<typeof RuleVersion>
export const RuleVersionList = z.object({ items: z.array(RuleVersion) })
export const RuleVersionQuery = z.object({ version: z.coerce.number().int().positive().max(VERSION_MAX) })

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
      because: z.object({ rel: Sentence, target: Sentence }),
    }),
  ),
})
export type RewriteAnswer = z.infer<typeof RewriteAnswer>

export const rules = {
  list: operation({
    method: 'get',
    path: '/rules',
    summary: 'The rule list in force',
    needs: 'rules:read',
    status: 200,
    answer: RuleList,
    shows: ['rules'],
  }),
  save: operation({
    method: 'put',
    path: '/rules',
    takes: 'list',
    summary: 'Save a new version of the rule list',
    needs: 'rules:edit',
    status: 200,
    body: RulesChange,
    answer: RuleList,
  }),
  impact: operation({
    method: 'post',
    path: '/rules/impact',
    takes: 'list',
    summary: 'What a rule list would change, before it is saved',
    needs: 'rules:read',
    status: 200,
    body: ImpactRequest,
    answer: ImpactAnswer,
    isQuestion: true,
  }),
  history: operation({
    method: 'get',
    path: '/rules/history',
    summary: 'Versions of the rule list, newest first',
    needs: 'rules:read',
    status: 200,
    answer: RuleVersionList,
    shows: ['rules'],
  }),
  version: operation({
    method: 'get',
    path: '/rules/version',
    summary: 'An earlier version of the rules',
    needs: 'rules:read',
    status: 200,
    query: RuleVersionQuery,
    answer: RuleList,
  }),
  rewrite: operation({
    method: 'post',
    path: '/rewrite',
    takes: 'source',
    summary: 'Apply the rules in force to any HTML; nothing is stored',
    needs: 'rules:read',
    status: 200,
    body: RewriteRequest,
    answer: RewriteAnswer,
    isQuestion: true,
  }),
} as const
