import { z } from 'zod'
import { tell } from '../words/index.ts'
import { Nothing, operation } from './operation.ts'
import { Id, line, Sentence, says, Version } from './shared.ts'

const Site = line(2_000).min(1)
const Percent = z.number().min(0).max(100)
/** In the smallest unit of the partner's currency: cents for euros. */
const Minor = z.int().min(0).max(1_000_000_000_000)
export const Currency = z
  .string()
  .trim()
  .toUpperCase()
  .regex(/^[A-Z]{3}$/, says(tell('field.currency')))

/** Most partners of a site, inclusive, and most characters of a table that they come in by. */
export const PARTNERS_MAX = 2_000
export const PARTNERS_CSV_MAX_CHARS = 4_000_000

export const PARTNER_STATUSES = ['applied', 'active', 'paused', 'ended'] as const
export const PAYS_EVERY = ['month', 'quarter', 'half year', 'year'] as const

export const Commission = z.discriminatedUnion('kind', [
  z.strictObject({ kind: z.literal('unknown') }),
  z.strictObject({ kind: z.literal('percent'), percent: Percent }),
  z.strictObject({ kind: z.literal('flat'), amount: Minor }),
  z.strictObject({ kind: z.literal('recurring'), percent: Percent, months: z.int().min(1).max(600).nullable() }),
  z.strictObject({
    kind: z.literal('tiers'),
    by: z.enum(['orders', 'sales']).meta({ description: 'What is counted: orders, or their value in the smallest unit' }),
    each: z.enum(['month', 'year']),
    steps: z
      .array(z.strictObject({ from: Minor, percent: Percent }))
      .min(1)
      .max(20),
  }),
])
export type Commission = z.infer<typeof Commission>

export const Payout = z.strictObject({
  method: line(100).default(''),
  every: z.enum(PAYS_EVERY).nullable().default(null),
  day: z.int().min(1).max(31).nullable().default(null),
  afterMonths: z.int().min(0).max(24).default(1),
  threshold: Minor.default(0),
})
export type Payout = z.infer<typeof Payout>

const facts = {
  what: line(200),
  networkId: Id.nullable(),
  isNetwork: z.boolean(),
  status: z.enum(PARTNER_STATUSES),
  endsOn: z.iso.date().nullable(),
  allows: z.enum(['any page', 'front page']),
  commission: Commission,
  currency: Currency,
  cookieDays: z.int().min(0).max(3_650).nullable(),
  payout: Payout,
  contact: line(1_000),
  notes: z.string().max(20_000),
  loginUrl: line(2_000),
  isPaid: z
    .boolean()
    .nullable()
    .meta({ description: 'Whether links to it are paid where no rule and no hand speaks; null: as the site says' }),
}

export const Partner = z
  .object({
    id: Id,
    name: z.string(),
    sites: z.array(z.string()),
    template: z.string(),
    account: z.string(),
    ...facts,
    hasLogIn: z.boolean().meta({ description: 'Name and password are kept, encrypted; nothing shows them but POST /partners/{id}/log-in' }),
    version: Version,
  })
  .meta({ id: 'Partner' })
export type Partner = z.infer<typeof Partner>
export const PartnerNew = z.strictObject({
  name: line(120).min(1, says(tell('field.partner-name'))),
  sites: z.array(Site).max(100),
  template: line(2_000).optional().meta({ description: 'Of partner links: {account}, {url}, {path}, {sub}' }),
  account: line(200).optional(),
  ...z.strictObject(facts).partial().shape,
})
export type PartnerNew = z.infer<typeof PartnerNew>
export const PartnerChange = PartnerNew.extend({ version: Version })
export type PartnerChange = z.infer<typeof PartnerChange>
export const PartnerList = z.object({ items: z.array(Partner) })

/** What came in of one partner, in one currency: amounts of different ones are never added. */
export const Earned = z.object({
  currency: z.string(),
  orders: z.int(),
  pending: z.int(),
  confirmed: z.int(),
  paid: z.int(),
  reversed: z.int(),
})
export type Earned = z.infer<typeof Earned>
export const REMINDERS = ['ends soon', 'ended and in use', 'payment late', 'threshold reached', 'no report for long'] as const
export const ComparedPartner = z.object({
  partner: Partner,
  pays: Sentence.meta({ description: 'The commission in words' }),
  earned: z.array(Earned),
  clicks: z.int(),
  epc: z.number().nullable().meta({ description: 'Earned a click, in the smallest unit of its own currency; null without clicks' }),
  payDay: z.iso.date().nullable(),
  links: z.int().meta({ description: 'Placements that lead to its sites' }),
  shortLinks: z.int(),
  redirects: z.int(),
  reminders: z.array(z.object({ what: z.enum(REMINDERS), words: Sentence })),
})
export type ComparedPartner = z.infer<typeof ComparedPartner>
export const PartnerComparison = z.object({ items: z.array(ComparedPartner) })
export type PartnerComparison = z.infer<typeof PartnerComparison>

export const LogIn = z.strictObject({ name: z.string().max(300), password: z.string().max(1_000) })
export type LogIn = z.infer<typeof LogIn>
export const LogInGiven = LogIn.extend({ version: Version })

export const PartnersIn = z.object({ made: z.int(), changed: z.int(), refused: z.array(z.object({ line: z.int(), reason: Sentence })) })
export type PartnersIn = z.infer<typeof PartnersIn>

export const partners = {
  list: operation({
    method: 'get',
    path: '/partners',
    summary: 'Partners and networks with all their facts',
    needs: 'partners:read',
    status: 200,
    answer: PartnerList,
    shows: ['partners'],
  }),
  compare: operation({
    method: 'get',
    path: '/partners/comparison',
    summary: 'What each partner pays, what came in of it, where it is used, and what it reminds of',
    needs: ['partners:read', 'pages:read', 'short-links:read', 'redirects:read'],
    status: 200,
    answer: PartnerComparison,
    shows: ['partners', 'earnings', 'pages', 'short-links', 'redirects'],
  }),
  create: operation({
    method: 'post',
    path: '/partners',
    summary: 'Add a partner',
    needs: 'partners:edit',
    status: 201,
    body: PartnerNew,
    answer: Partner,
  }),
  change: operation({
    method: 'put',
    path: '/partners/{id}',
    summary: 'Change a partner; what is left out stays',
    needs: 'partners:edit',
    status: 200,
    body: PartnerChange,
    answer: Partner,
  }),
  remove: operation({
    method: 'delete',
    path: '/partners/{id}',
    summary: 'Remove a partner',
    needs: 'partners:edit',
    status: 204,
    answer: Nothing,
  }),
  reveal: operation({
    method: 'post',
    path: '/partners/{id}/log-in',
    summary: 'Name and password of a partner’s log-in page, or its network’s; each look is written down',
    needs: 'partners:edit',
    status: 200,
    answer: LogIn,
    isQuestion: true,
  }),
  keepLogIn: operation({
    method: 'put',
    path: '/partners/{id}/log-in',
    summary: 'Keep name and password of a log-in page, encrypted; both empty forgets them',
    needs: 'partners:edit',
    status: 200,
    body: LogInGiven,
    answer: Partner,
  }),
  csv: operation({
    method: 'get',
    path: '/exports/partners',
    summary: 'All partners as CSV, without log-ins',
    needs: ['exports:read', 'partners:read'],
    status: 200,
    media: { answer: 'text/csv' },
  }),
  bringIn: operation({
    method: 'post',
    path: '/partners/bulk',
    summary: 'Partners from CSV, as the export writes them; known by name',
    needs: 'partners:edit',
    status: 200,
    media: { body: 'text/csv' },
    answer: PartnersIn,
  }),
} as const
