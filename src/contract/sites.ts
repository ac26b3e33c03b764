import { z } from 'zod'
import { isInsideEntry } from '../core/address/index.ts'
import { tell } from '../words/index.ts'
import { HostName, Prefix } from './hosts.ts'
import { operation } from './operation.ts'
import { Email, NewPassword, PersonName } from './people.ts'
import { line, says, Version } from './shared.ts'

/** IANA time zone, as this runtime knows them. */
export const TimeZone = line(60).refine(
  (zone) => {
    try {
      return new Intl.DateTimeFormat('en', { timeZone: zone }).resolvedOptions().timeZone !== ''
    } catch {
      return false
    }
  },
  says(tell('field.time-zone')),
)
/** Language tag (BCP 47) in its usual spelling. */
export const Language = line(35).transform((tag, context) => {
  try {
    return Intl.getCanonicalLocales(tag)[0] ?? tag
  } catch {
    context.issues.push({ code: 'custom', message: says(tell('field.language')), input: tag })
    return z.NEVER
  }
})
export const SiteName = line(120).min(1, says(tell('field.site-name')))

/** How addresses are taken that are nearly those of a row of redirects. */
const tolerance = {
  ignoresCase: z.boolean().meta({ description: 'Redirects take /Old for /old' }),
  ignoresSlash: z.boolean().meta({ description: 'Redirects take /old/ for /old' }),
}

/** Most entries, inclusive. */
const INSIDE_MAX = 50
const InsideEntry = z
  .string()
  .trim()
  .toLowerCase()
  .max(253)
  .refine(isInsideEntry, { error: ({ input }) => says(tell('field.not-inside', { input: String(input) })) })
const inside = {
  insideAllowed: z
    .array(InsideEntry)
    .max(INSIDE_MAX)
    .meta({ description: 'Hosts, addresses and ranges inside one’s own network that may be asked from here' }),
}

/** A pattern of addresses: "*" stands for any stretch of it. */
const Pattern = z
  .string()
  .trim()
  .max(300)
  .refine((pattern) => /[^*\s/:.]/.test(pattern), { error: ({ input }) => says(tell('field.every-address', { input: String(input) })) })
const visiting = {
  neverAsked: z.array(Pattern).max(INSIDE_MAX).meta({ description: 'Patterns of addresses that are never visited; "*" for any stretch' }),
  asksAs: z
    .union([z.literal(''), line(200).regex(/^https?:\/\/[^\s()]+$/, says(tell('field.full-address')))])
    .meta({ description: 'The address that visited sites are told; empty for the site’s own' }),
}

export const Site = z
  .object({
    name: z.string(),
    language: z.string(),
    timeZone: z.string(),
    ...tolerance,
    insideAllowed: z.array(z.string()),
    neverAsked: z.array(z.string()),
    asksAs: z.string(),
    version: Version,
  })
  .meta({ id: 'Site' })
export type Site = z.infer<typeof Site>
export const SiteChange = z.strictObject({
  version: Version,
  name: SiteName.optional(),
  language: Language.optional(),
  timeZone: TimeZone.optional(),
  ...z.strictObject({ ...tolerance, ...inside, ...visiting }).partial().shape,
})
export type SiteChange = z.infer<typeof SiteChange>

/** All that an empty installation has to be told. */
export const SetUp = z
  .object({
    name: SiteName,
    language: Language,
    timeZone: TimeZone,
    host: HostName,
    shortHost: z.union([z.literal(''), HostName]).meta({ description: '"" for none yet' }),
    prefix: Prefix,
    ownerName: PersonName,
    email: Email.pipe(z.email(says(tell('field.mail')))),
    password: NewPassword,
  })
  .refine(({ host, shortHost }) => host !== shortHost, {
    path: ['shortHost'],
    message: says(tell('field.two-hosts')),
  })
export type SetUp = z.infer<typeof SetUp>

export const sites = {
  get: operation({
    method: 'get',
    path: '/site',
    summary: 'What the site is called and written in',
    needs: 'hosts:read',
    status: 200,
    answer: Site,
    shows: ['sites'],
  }),
  change: operation({
    method: 'patch',
    path: '/site',
    summary: 'Call the site otherwise, or set its language or time zone',
    needs: 'hosts:edit',
    status: 200,
    body: SiteChange,
    answer: Site,
  }),
} as const
