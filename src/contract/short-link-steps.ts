import { z } from 'zod'
import { UTM_MAX_CHARS } from '../core/utm/index.ts'
import { operation } from './operation.ts'
import { Id, line, Sentence } from './shared.ts'
import { ShortLink, ShortLinkStatus, Tags } from './short-links.ts'

/** Most short links that are changed in one step. */
export const STEP_MAX = 2_000
/** Most links of a campaign: one a channel. */
export const CHANNELS_MAX = 30

export const ShortLinkStepChange = z.strictObject({
  addTags: Tags.optional(),
  removeTags: Tags.optional(),
  status: ShortLinkStatus.optional(),
  replace: z
    .strictObject({ from: z.string().min(1).max(2_000), to: z.string().max(2_000) })
    .optional()
    .meta({ description: 'A part of their destinations that is written otherwise from now on' }),
  isRemoved: z.literal(true).optional(),
})
export type ShortLinkStepChange = z.infer<typeof ShortLinkStepChange>

export const ShortLinkStepNew = z.strictObject({
  ids: z.array(Id).min(1).max(STEP_MAX),
  change: ShortLinkStepChange,
  dryRun: z.boolean().optional(),
})
export type ShortLinkStepNew = z.infer<typeof ShortLinkStepNew>

export const ShortLinkStepDone = z
  .object({
    step: Id.nullable().meta({ description: 'By which it is taken back; null where nothing changed' }),
    changed: z.int(),
    refused: z.array(z.object({ slug: z.string(), why: Sentence })),
    items: z.array(z.object({ slug: z.string(), before: Sentence, after: Sentence })).meta({ description: 'The first of them' }),
  })
  .meta({ id: 'ShortLinkStepDone' })
export type ShortLinkStepDone = z.infer<typeof ShortLinkStepDone>

export const ShortLinkStepUndone = z.object({
  back: z.int(),
  left: z.int().meta({ description: 'Changed again since, and left as they are' }),
})
export type ShortLinkStepUndone = z.infer<typeof ShortLinkStepUndone>

const UtmValue = line(UTM_MAX_CHARS)
export const CampaignNew = z
  .strictObject({
    destination: z.string().max(100_000),
    name: line(60).min(1).meta({ description: 'utm_campaign, and a tag of its links' }),
    host: z.string().max(255).optional(),
    channels: z
      .array(z.strictObject({ source: UtmValue.min(1), medium: UtmValue, slug: z.string().max(200).optional() }))
      .min(1)
      .max(CHANNELS_MAX),
  })
  .meta({ id: 'CampaignNew' })
export type CampaignNew = z.infer<typeof CampaignNew>
export const CampaignMade = z.object({ step: Id, items: z.array(ShortLink) }).meta({ id: 'CampaignMade' })
export type CampaignMade = z.infer<typeof CampaignMade>

export const UtmValues = z.object({ items: z.array(z.object({ name: z.string(), value: z.string(), uses: z.int() })) })
export type UtmValues = z.infer<typeof UtmValues>

export const shortLinkSteps = {
  create: operation({
    method: 'post',
    path: '/short-links/steps',
    takes: 'list',
    summary: 'Change many short links in one step that can be taken back',
    needs: 'short-links:edit',
    status: 200,
    body: ShortLinkStepNew,
    answer: ShortLinkStepDone,
  }),
  undo: operation({
    method: 'post',
    path: '/short-links/steps/{id}/undo',
    summary: 'Take a step back; what was changed again since stays',
    needs: 'short-links:edit',
    status: 200,
    answer: ShortLinkStepUndone,
  }),
  campaign: operation({
    method: 'post',
    path: '/short-links/campaigns',
    takes: 'list',
    summary: 'Several short links of one destination, one a channel',
    needs: 'short-links:edit',
    status: 201,
    body: CampaignNew,
    answer: CampaignMade,
  }),
  utmValues: operation({
    method: 'get',
    path: '/short-links/utm-values',
    summary: 'What the site usually writes into UTM parameters',
    needs: 'short-links:read',
    status: 200,
    answer: UtmValues,
    shows: ['short-links'],
  }),
} as const
