import { normalise } from '../address/index.ts'
import type { Disclosure } from '../disclosure/index.ts'
import { PartnerLinks, type PartnerTerms } from '../partners/index.ts'
import type { PageAround, SharedPart, ShortLinkFinder } from './facts.ts'
import { type LedAway, ledAddresses } from './led.ts'
import { lowestRules, payingPartners } from './lowest.ts'
import { type CompiledRule, compileRules, type Rule } from './rule.ts'
import { paidWordsOf } from './telling.ts'

/** What rules and addresses need to know of a site, but for its short links: there may be a million of those. */
export interface SiteSetup {
  readonly siteId: string
  readonly name: string
  /** In which its pages are written, as a tag of BCP 47; English when left out. */
  readonly language?: string | undefined
  /** Main hosts first. */
  readonly hosts: readonly {
    readonly id: string
    readonly host: string
    /** "door": a front door before somebody's existing site, which answers at `origin`. */
    readonly kind: 'site' | 'short' | 'door'
    readonly prefix: string
    /** Prefixes that it had before: they still answer. */
    readonly oldPrefixes?: readonly string[]
    readonly origin?: string | null | undefined
    /** Where a missing page leads: a path or address, "page" for the page that says so, "" for what hosts of its kind do. */
    readonly missingTo?: string | undefined
  }[]
  /** Whether addresses in private networks may be asked. */
  readonly insideAllowed?: readonly string[] | undefined
  /** Whether new links to files let readers download them, rather than open them. */
  readonly downloadsFiles?: boolean | undefined
  /** How addresses are taken that are nearly those of a row of redirects; the widest when left out. */
  readonly tolerance?: { readonly ignoresCase: boolean; readonly ignoresSlash: boolean } | undefined
  /** Redirects that lead to partners; none when left out. */
  readonly ledAway?: LedAway | undefined
  /** Whether pages tell that they were looked at, and which of their links were followed. */
  readonly countsPages?: boolean | undefined
  /** What readers are told of paid links; nothing when left out. */
  readonly disclosure?: Disclosure | undefined
  readonly partners: readonly PartnerTerms[]
  /** Whether links to partners are paid where nothing else speaks; they are when left out. */
  readonly partnersArePaid?: boolean | undefined
  readonly rules: readonly Rule[]
}

/** What is known of a page besides its path. */
export interface PageMarks {
  /** Partner that it is written for. */
  readonly writtenFor?: string | null | undefined
  /** Destinations that wait for an editor, normalised. */
  readonly waiting?: readonly string[] | undefined
  readonly tags?: readonly string[] | undefined
  /** It was never written here. */
  readonly isTheirs?: boolean | undefined
  /** Origin of the host it stands on; the site's own when left out. */
  readonly origin?: string | undefined
  /** Of the links of a shared part. */
  readonly part?: SharedPart | null | undefined
}

/** A list of rules, with what holds below them. */
export interface RulesDraft {
  readonly rules: readonly Rule[]
  /** As it is in force when left out. */
  readonly partnersArePaid?: boolean | undefined
}

/** One site's set-up, compiled. */
export interface SiteGround {
  readonly setup: SiteSetup
  /** Its partners, ready to build links and to recognise them. */
  readonly partnerLinks: PartnerLinks
  readonly rules: readonly CompiledRule[]
  /** Another list of rules in place of the one in force. */
  compile(draft: RulesDraft): readonly CompiledRule[]
  /** Origin of the site's own pages, such as "http://slow-ferry.localhost:4300". */
  readonly origin: string
  /** The surroundings of a link on the page at `path`. */
  around(path: string, marks?: PageMarks): PageAround
}

/** A site that can tell where its short links lead: what links are judged by. */
export interface CompiledSite extends SiteGround {
  readonly findShortLink: ShortLinkFinder
}

/** Origin of a host as visitors type it: local names carry our port, real ones stand behind their own. */
export function originOf(host: string, port: number): string {
  if (host !== 'localhost' && !host.endsWith('.localhost')) return `https://${host}`
  return port === 80 ? `http://${host}` : `http://${host}:${port}`
}

/** A path in which nothing is written in two ways. */
const PLAIN_PATH = /^\/(?!\/)(?:[A-Za-z0-9_~/-]|(?<!\/)\.)*$/

const pageAddress = (path: string, origin: string): string => {
  if (PLAIN_PATH.test(path)) return origin + path // what parsing it would lead to
  return (path.startsWith('/') ? normalise(path, origin) : null) ?? `${origin}/`
}

/** A site with somebody who knows its short links. */
export const withShortLinks = (ground: SiteGround, findShortLink: ShortLinkFinder): CompiledSite => ({ ...ground, findShortLink })

/** @param port - the one this installation answers on */
export function compileSite(setup: SiteSetup, port: number): SiteGround {
  const siteHosts = setup.hosts.filter(({ kind }) => kind !== 'short').map(({ host }) => host)
  const shortHosts = setup.hosts
    .filter(({ kind }) => kind === 'short')
    .flatMap(({ host, prefix, oldPrefixes = [] }) => [prefix, ...oldPrefixes].map((each) => ({ host, prefix: each })))
  const partnerLinks = new PartnerLinks(setup.partners)
  const { linkSites } = partnerLinks
  const partnerSites = new Set([...setup.partners.flatMap(({ sites }) => sites), ...linkSites])
  const payerOf = (address: string, site: string): string | null => partnerLinks.payerOf(address, site)?.id ?? null
  const origin = originOf(setup.hosts.find(({ kind }) => kind === 'site')?.host ?? 'localhost', port)
  const paidWords = { own: paidWordsOf(setup.disclosure, false), theirs: paidWordsOf(setup.disclosure, true) }
  const paying = payingPartners(setup)
  const doors = new Set(setup.hosts.filter(({ kind }) => kind === 'door').map(({ host }) => host))
  const led = setup.ledAway && ledAddresses(setup.ledAway, setup.tolerance, doors)
  const compile: SiteGround['compile'] = ({ rules, partnersArePaid = setup.partnersArePaid }) => [
    ...compileRules(rules),
    ...lowestRules({ ...setup, partnersArePaid }),
  ]
  return {
    setup,
    partnerLinks,
    rules: compile(setup),
    compile,
    origin,
    around: (path, { writtenFor, waiting, tags, part, isTheirs, origin: host = origin } = {}) => ({
      siteHosts,
      shortHosts,
      partnerSites,
      payerOf,
      linkSites,
      led,
      paying,
      tags,
      part,
      isTheirs,
      paidWords: isTheirs === true ? paidWords.theirs : paidWords.own,
      port,
      // A link of a shared part is looked at as if it stood on the front page.
      page: pageAddress(path, host),
      sponsor: writtenFor === null || writtenFor === undefined ? undefined : setup.partners.find(({ id }) => id === writtenFor),
      waiting: waiting === undefined ? undefined : new Set(waiting),
    }),
  }
}
