import { addresses } from './addresses.ts'
import { blocks } from './blocks.ts'
import { bulkChanges } from './bulk-changes.ts'
import { changes } from './changes.ts'
import { checks } from './checks.ts'
import { counting } from './counting.ts'
import { desk } from './desk.ts'
import { destinations } from './destinations.ts'
import { disclosure } from './disclosure.ts'
import { earnings } from './earnings.ts'
import { siteExports } from './exports.ts'
import { files } from './files.ts'
import { frontDoors } from './front-doors.ts'
import { hosts } from './hosts.ts'
import { imports } from './imports.ts'
import { jobs } from './jobs.ts'
import { menus } from './menus.ts'
import { missed } from './missed.ts'
import type { Operation } from './operation.ts'
import { pages } from './pages.ts'
import { partnerLinks } from './partner-links.ts'
import { partnerMoves } from './partner-moves.ts'
import { partners } from './partners.ts'
import { people } from './people.ts'
import { phrases } from './phrases.ts'
import { placements } from './placements.ts'
import { publications } from './publications.ts'
import { redirectLists } from './redirect-lists.ts'
import { redirectReview } from './redirect-review.ts'
import { redirectSteps } from './redirect-steps.ts'
import { redirectTrials } from './redirect-trials.ts'
import { redirects } from './redirects.ts'
import { rules } from './rules.ts'
import { shortLinkCodes } from './short-link-codes.ts'
import { shortLinkResults } from './short-link-results.ts'
import { shortLinkSlugs } from './short-link-slugs.ts'
import { shortLinkSteps } from './short-link-steps.ts'
import { shortLinks } from './short-links.ts'
import { sites } from './sites.ts'
import { steps } from './steps.ts'
import { tokens } from './tokens.ts'
import { visits } from './visits.ts'
import { waiting } from './waiting.ts'

/** Every call of the API by its name: a capability, and what is done there. */
export const API = {
  ...named('addresses', addresses),
  ...named('blocks', blocks),
  ...named('bulk-changes', bulkChanges),
  ...named('changes', changes),
  ...named('checks', checks),
  ...named('desk', desk),
  ...named('destinations', destinations),
  ...named('disclosure', disclosure),
  ...named('earnings', earnings),
  ...named('exports', siteExports),
  ...named('files', files),
  ...named('front-doors', frontDoors),
  ...named('hosts', hosts),
  ...named('imports', imports),
  ...named('jobs', jobs),
  ...named('menus', menus),
  ...named('missed', missed),
  ...named('pages', pages),
  ...named('partner-links', partnerLinks),
  ...named('partner-moves', partnerMoves),
  ...named('partners', partners),
  ...named('people', people),
  ...named('phrases', phrases),
  ...named('placements', placements),
  ...named('publications', publications),
  ...named('redirects', redirects),
  ...named('redirect-lists', redirectLists),
  ...named('redirect-review', redirectReview),
  ...named('redirect-steps', redirectSteps),
  ...named('redirect-trials', redirectTrials),
  ...named('rules', rules),
  ...named('short-links', shortLinks),
  ...named('short-link-codes', shortLinkCodes),
  ...named('short-link-results', shortLinkResults),
  ...named('short-link-slugs', shortLinkSlugs),
  ...named('short-link-steps', shortLinkSteps),
  ...named('sites', sites),
  ...named('steps', steps),
  ...named('counting', counting),
  ...named('tokens', tokens),
  ...named('visits', visits),
  ...named('waiting', waiting),
} as const

/** "short-links.list" */
export type OperationName = keyof typeof API
/** The operation of a name. */
export type OperationNamed<N extends OperationName> = (typeof API)[N]

/** All of them with their names, in the order of the capabilities. */
export const OPERATIONS = Object.entries(API) as readonly (readonly [name: OperationName, operation: Operation])[]

function named<const C extends string, O extends Readonly<Record<string, Operation>>>(
  capability: C,
  operations: O,
): { readonly [V in keyof O & string as `${C}.${V}`]: O[V] } {
  return Object.fromEntries(Object.entries(operations).map(([verb, each]) => [`${capability}.${verb}`, each])) as {
    readonly [V in keyof O & string as `${C}.${V}`]: O[V]
  }
}
