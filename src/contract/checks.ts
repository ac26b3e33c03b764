import { z } from 'zod'
import { VERDICTS } from '../core/checks/index.ts'
import { operation } from './operation.ts'
import { Repointed } from './partner-moves.ts'
import { Id, JobStarted, Sentence } from './shared.ts'

/** What is said of a destination, with what it was told by. */
export const Checked = z
  .object({
    id: Id,
    address: z.string(),
    host: z.string(),
    verdict: z.enum(VERDICTS).nullable().meta({ description: 'The worst that is true; null where it was not looked at yet' }),
    also: z.array(z.enum(VERDICTS)).meta({ description: 'What else is true' }),
    isBroken: z.boolean().meta({ description: 'A visitor who is sent there finds nothing' }),
    since: z.iso.datetime().nullable(),
    seenAt: z.iso.datetime().nullable(),
    isInDoubt: z.boolean().meta({ description: 'The last look found it broken; it is looked at again before that is said' }),
    dueAt: z.iso.datetime().nullable().meta({ description: 'When it is looked at next; null where it is not to be visited' }),
    evidence: z
      .object({
        hops: z.array(z.object({ address: z.string(), status: z.int().nullable(), ms: z.int() })),
        title: z.string().nullable(),
        says: Sentence.meta({ description: 'What was seen, in words' }),
      })
      .nullable(),
    better: z.string().nullable().meta({ description: 'The address to take instead, where the site says one' }),
    uses: z.int().meta({ description: 'Links, short links, redirects and banners that lead there' }),
    fine: z
      .object({ reason: z.string(), at: z.iso.datetime() })
      .nullable()
      .meta({ description: 'Somebody finds it fine as it is; that counts until something else is said of it' }),
  })
  .meta({ id: 'Checked' })
export type Checked = z.infer<typeof Checked>

export const ChecksQuery = z.object({
  verdict: z.enum(VERDICTS).optional(),
  address: z.string().max(8_000).optional().meta({ description: 'One address, as addresses are compared' }),
  host: z.string().max(300).optional(),
  broken: z.enum(['1']).optional().meta({ description: 'Those alone at which visitors find nothing' }),
  limit: z.coerce.number().int().min(1).max(200).default(50),
  cursor: z.string().max(200).optional(),
})
export type ChecksQuery = z.infer<typeof ChecksQuery>

export const ChecksList = z.object({
  items: z.array(Checked),
  next: z.string().nullable(),
  total: z.int().meta({ description: 'How many the question finds' }),
  counts: z
    .array(z.object({ verdict: z.enum(VERDICTS).nullable(), destinations: z.int() }))
    .meta({ description: 'Of all destinations of the site' }),
})
export type ChecksList = z.infer<typeof ChecksList>

/** Of one destination what was said of it when, newest first, and what uses it. */
export const CheckDetails = Checked.extend({
  past: z.array(
    z.object({ verdict: z.enum(VERDICTS), also: z.array(z.enum(VERDICTS)), from: z.iso.datetime(), until: z.iso.datetime().nullable() }),
  ),
  usedBy: z.array(z.object({ kind: z.enum(['page', 'short-link', 'redirect', 'partner']), id: Id, name: z.string(), links: z.int() })),
})
export type CheckDetails = z.infer<typeof CheckDetails>

const ADDRESSES_MAX = 2_000
export const CheckRequest = z.union([
  z.strictObject({ addresses: z.array(z.string().min(1).max(8_000)).min(1).max(ADDRESSES_MAX) }),
  z.strictObject({ page: Id }),
  z.strictObject({ partner: Id }),
  z.strictObject({ all: z.literal(true) }),
])
export type CheckRequest = z.infer<typeof CheckRequest>

export const CheckReport = z.object({ looked: z.int(), verdicts: z.partialRecord(z.enum(VERDICTS), z.int()) }).meta({ id: 'CheckReport' })
export type CheckReport = z.infer<typeof CheckReport>

export const CheckFine = z.strictObject({
  reason: z.string().trim().min(1).max(500).nullable().meta({ description: 'Null to take it back' }),
})
export type CheckFine = z.infer<typeof CheckFine>

/** Everything that leads to one address is to lead to another. */
export const MendAsked = z.strictObject({
  address: z.string().min(1).max(8_000),
  to: z.string().min(1).max(8_000),
  dryRun: z.boolean().default(false),
})
export type MendAsked = z.infer<typeof MendAsked>
export const Mended = Repointed.omit({ placements: true, pages: true, shortLinks: true, redirects: true }).extend({
  links: z.int(),
  changed: z.object({ pages: z.int(), shortLinks: z.int(), redirects: z.int() }),
})
export type Mended = z.infer<typeof Mended>

const SHOWS = ['checks', 'pages', 'short-links', 'redirects', 'partners'] as const

export const checks = {
  list: operation({
    method: 'get',
    path: '/checks',
    summary: 'Every destination of the site, and what was seen there; the worst first',
    needs: 'pages:read',
    status: 200,
    query: ChecksQuery,
    answer: ChecksList,
    shows: SHOWS,
  }),
  get: operation({
    method: 'get',
    path: '/checks/{id}',
    summary: 'One destination: what is said of it, what was, and what leads there',
    needs: 'pages:read',
    status: 200,
    answer: CheckDetails,
    shows: SHOWS,
  }),
  start: operation({
    method: 'post',
    path: '/checks',
    takes: 'list',
    summary: 'Look at destinations now, within the pace of their sites',
    needs: 'pages:edit',
    status: 202,
    body: CheckRequest,
    answer: JobStarted,
  }),
  mend: operation({
    method: 'post',
    path: '/checks/mend',
    summary:
      'Lead everything that leads to an address to another one, in one step; pages as drafts. With dryRun only show what would change',
    needs: ['pages:publish', 'short-links:edit', 'redirects:edit'],
    status: 200,
    body: MendAsked,
    answer: Mended,
  }),
  fine: operation({
    method: 'put',
    path: '/checks/{id}/fine',
    summary: 'Say that what is said of a destination is fine, until something else is',
    needs: 'pages:edit',
    status: 200,
    body: CheckFine,
    answer: Checked,
  }),
} as const
