import { parseUrl, siteOfHost } from '../address/index.ts'
import { fail, ok, type Result } from '../result.ts'
import { type LinkApart, takeApart } from './apart.ts'
import { buildLink } from './fill.ts'
import { type LinkTemplate, readTemplate } from './template.ts'

/** What of a partner decides how its links look. */
export interface PartnerTerms {
  readonly id: string
  readonly name: string
  /** Registrable domains, the main one first. */
  readonly sites: readonly string[]
  /** "" for partners whose plain addresses count. */
  readonly template: string
  readonly account: string
  /** Any page when left out. */
  readonly allows?: 'any page' | 'front page' | undefined
  readonly isEnded?: boolean | undefined
  /** Whether links to it are paid where nothing else speaks; null or left out: as the site says. */
  readonly isPaid?: boolean | null | undefined
}

export type PartnerLinkFault = 'no-partner' | 'programme-ended' | 'deep-link-refused' | 'template-not-an-address'

export interface PartnerLink<P extends PartnerTerms = PartnerTerms> {
  readonly address: string
  readonly partner: P
  /** It was the partner's link before, with the site's own number. */
  readonly already: boolean
  /** Of the link that was given: somebody else's number, or an old one, that the own one took the place of; null where none was. */
  readonly otherAccount: string | null
}

interface Ready<P> {
  readonly partner: P
  readonly template: LinkTemplate | null
  readonly home: string
}

/** The host that a template's links lead through; none where it begins with the partner's page. */
const hostOf = (template: string): string | undefined => /^https?:\/\/([^/?#{:]+)/i.exec(template)?.[1]?.toLowerCase()

/** All partners of a site, ready to build links and to recognise them. Looking one up costs the same however many there are. */
export class PartnerLinks<P extends PartnerTerms = PartnerTerms> {
  readonly #bySite = new Map<string, Ready<P>>()
  readonly #byId = new Map<string, Ready<P>>()
  /** By the host that links lead through. */
  readonly #byHost = new Map<string, Ready<P>[]>()
  readonly #linkSites = new Map<string, P>()

  constructor(partners: readonly P[]) {
    for (const partner of partners) {
      const read = partner.template === '' ? null : readTemplate(partner.template, partner.allows)
      const ready = { partner, template: read?.ok === true ? read.value : null, home: `https://${partner.sites[0] ?? 'site.invalid'}` }
      this.#byId.set(partner.id, ready)
      for (const site of partner.sites) this.#bySite.set(site, ready)
      const host = hostOf(partner.template)
      if (host !== undefined) this.#byHost.set(host, [...(this.#byHost.get(host) ?? []), ready])
    }
    for (const [host, [first]] of this.#byHost) {
      const site = siteOfHost(host)
      if (first !== undefined && !this.#bySite.has(site) && !this.#linkSites.has(site)) this.#linkSites.set(site, first.partner)
    }
  }

  /** Registrable domains that links lead through and that are no partner's own, such as a network's. */
  get linkSites(): ReadonlySet<string> {
    return new Set(this.#linkSites.keys())
  }

  /** Hosts that links with a place for a sub-ID name: of the link itself, or of the partner's pages. */
  get hostsWithSubs(): readonly string[] {
    const hosts = [...this.#byId.values()].flatMap(({ partner, template }) => {
      if (template === null || !partner.template.includes('{sub}') || partner.isEnded === true) return []
      const host = hostOf(partner.template)
      return host === undefined ? partner.sites : [host]
    })
    return [...new Set(hosts)]
  }

  /**
   * Who pays for a link: the partner whose site it leads to, or through whose network it goes.
   * @param site - registrable domain of the address
   */
  payerOf(address: string, site: string): P | null {
    const own = this.#bySite.get(site)
    if (own !== undefined) return own.partner
    const through = this.#linkSites.get(site)
    return through === undefined ? null : (this.recognise(address, 'any')?.partner ?? through)
  }

  /**
   * Tells which partner an address is a link of, and what it was built from.
   * @param account - "own": only with the site's number. "any": also with another one
   */
  recognise(address: string, account: 'own' | 'any' = 'own'): (LinkApart & { readonly partner: P }) | null {
    const url = parseUrl(address)
    if (url === null) return null
    const there = this.#bySite.get(siteOfHost(url.hostname))
    for (const { partner, template, home } of [...(there === undefined ? [] : [there]), ...(this.#byHost.get(url.hostname) ?? [])]) {
      if (template === null || (account === 'own' && partner.account === '')) continue
      const apart = takeApart(template, address, { account: account === 'own' ? partner.account : null, home })
      if (apart !== null) return { ...apart, partner }
    }
    return null
  }

  /** Whose page an address is; null where it is nobody's. */
  partnerOf(address: string): P | null {
    const url = parseUrl(address)
    return url === null ? null : (this.#bySite.get(siteOfHost(url.hostname))?.partner ?? null)
  }

  /**
   * The partner link for what was pasted: a page of a partner's, a link that is one already, or one with another number.
   * @param sub - "" for none
   */
  link(address: string, sub: string): Result<PartnerLink<P>, PartnerLinkFault> {
    const own = this.recognise(address)
    if (own !== null) return ok({ address, partner: own.partner, already: true, otherAccount: null })
    const other = this.recognise(address, 'any')
    const partner = other?.partner ?? this.partnerOf(address)
    if (partner === null) return fail('no-partner', { address })
    return this.linkTo(partner, other?.destination ?? address, {
      sub: sub === '' ? (other?.sub ?? '') : sub,
      otherAccount: other?.account ?? null,
    })
  }

  /** The link of a partner, one of these, to one of its pages. */
  linkTo(
    partner: P,
    destination: string,
    { sub, otherAccount = null }: { readonly sub: string; readonly otherAccount?: string | null },
  ): Result<PartnerLink<P>, PartnerLinkFault> {
    if (partner.isEnded === true) return fail('programme-ended', { partner: partner.name })
    if (partner.template === '') return ok({ address: destination, partner, already: true, otherAccount })
    const url = parseUrl(destination)
    if (partner.allows === 'front page' && url !== null && (url.pathname !== '/' || url.search !== ''))
      return fail('deep-link-refused', { partner: partner.name, address: destination })
    const template = this.#byId.get(partner.id)?.template ?? null
    if (template === null) return fail('template-not-an-address', { template: partner.template })
    const built = buildLink(template, { account: partner.account, destination, sub })
    return built.ok ? ok({ address: built.value, partner, already: false, otherAccount }) : built
  }
}
