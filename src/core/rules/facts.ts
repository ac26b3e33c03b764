import {
  type AddressKind,
  classifyUrl,
  isOwnHost,
  isPagePath,
  normalise,
  parseUrl,
  type Surroundings,
  shortLinkSlug,
  siteOfHost,
} from '../address/index.ts'
import { type LinkTag, type PageLinks, valueNamed } from '../markup/index.ts'
import type { LedAddresses } from './led.ts'
import { type RelTokens, relTokens } from './rel.ts'
import type { PaidWords } from './telling.ts'

/**
 * Attribute by which a page's source says that a link was made or decided here by a person: the names of the answers that
 * are hand-set ("hints", "opens"), or nothing when all is left to the rules. Never delivered.
 */
export const BY_HAND = 'data-by-hand'

/** Attribute that holds the tags a person gave a link, with commas between them. Never delivered. */
export const TAGS = 'data-tags'

/** Tags as they are written: parted by commas, white space folded, none twice. */
export function readTags(text: string | null): readonly string[] {
  if (text === null || text === '') return []
  return [...new Set(text.split(',').map((tag) => tag.replace(/\s+/g, ' ').trim()))].filter((tag) => tag !== '')
}

export const ANSWERS = ['hints', 'opens'] as const
export type Answer = (typeof ANSWERS)[number]

export const PART_KINDS = ['page', 'block', 'menu'] as const
export type PartKind = (typeof PART_KINDS)[number]

/** What a rule can know about one link. */
export interface LinkFacts {
  readonly kind: AddressKind | null
  /** Absolute, as parsed; null when the destination is no address. */
  readonly address: string | null
  /** Registrable domain it leads to. Of one of our short links, or of an address that a redirect answers: where that leads. Null for mail, phone and the unreadable. */
  readonly site: string | null
  /** Host of the address itself; "" for short links and where there is none. */
  readonly host: string
  /** `site` belongs to a partner. */
  readonly isPartner: boolean
  /** That partner's id; null also where the partners are not known by id. */
  readonly partner: string | null
  /** Links to that partner are paid, as far as neither a rule nor a hand says otherwise. */
  readonly pays: boolean
  /** Readers leave the site by it: straight, by one of our short links, or by a redirect to a partner. */
  readonly isOutside: boolean
  /** Path of the page the link hangs on. */
  readonly page: string
  /** The shared part it stands in; null in the page itself. */
  readonly part: SharedPart | null
  /** The link's own tags and those of its page. */
  readonly tags: readonly string[]
  /** The link's own, as written; null for none. */
  readonly linkTags: string | null
  /** The page is written for a partner, be it another one's. */
  readonly isSponsoredPage: boolean
  readonly origin: 'written here' | 'imported'
  readonly shows: 'text' | 'picture'
  readonly handSet: readonly Answer[]
  /** Name of the partner that the page is written for, when the link leads to a site of theirs. */
  readonly writtenFor: string | null
  /** A contributor made it and no editor has looked at it. */
  readonly isWaiting: boolean
  readonly rel: RelTokens
  /** As written; null when absent. */
  readonly target: string | null
  readonly baseTarget: string | null
}

/** A block or menu that pages share. */
export interface SharedPart {
  readonly kind: Exclude<PartKind, 'page'>
  readonly name: string
}

/** Where a link stands: the surroundings of its address, and what is known of its page. */
export interface PageAround extends Surroundings {
  /** The page was never written here: what looks like our marks in it is somebody else's. */
  readonly isTheirs?: boolean | undefined
  /** The partner that the page is written for. */
  readonly sponsor?: { readonly name: string; readonly sites: readonly string[] } | undefined
  /** Destinations on this page that wait for an editor, normalised. */
  readonly waiting?: ReadonlySet<string> | undefined
  /** Who pays for a link to an address of this registrable domain: a partner's id. */
  readonly payerOf?: ((address: string, site: string) => string | null) | undefined
  /** Addresses of our own from which redirects lead to partners; none where it is left out. */
  readonly led?: LedAddresses | undefined
  /** Sites whose links are told apart by more than where they lead: several partners' links go through them. */
  readonly linkSites?: ReadonlySet<string> | undefined
  /** Ids of those to whom links are paid where nothing else speaks. */
  readonly paying?: ReadonlySet<string> | undefined
  /** Of the page. */
  readonly tags?: readonly string[] | undefined
  readonly part?: SharedPart | null | undefined
  /** What the page says at its paid links. */
  readonly paidWords?: PaidWords | undefined
}

/** Finds the destination of one of the site's short links; null when there is none of that name. */
export type ShortLinkFinder = (host: string, slug: string) => string | null

/** What a link's source says, before anybody looks at where it leads. The columns of a stored placement. */
export interface WrittenLink {
  readonly href: string
  readonly rel: string | null
  readonly target: string | null
  /** Value of {@link BY_HAND}; null when absent. */
  readonly byHand: string | null
  /** Value of {@link TAGS}; null when absent. */
  readonly tags: string | null
  readonly shows: 'text' | 'picture'
  readonly baseHref: string | null
  readonly baseTarget: string | null
}

/** Reads a scanned link. */
export function writtenLink(html: string, link: LinkTag, page: Pick<PageLinks, 'baseHref' | 'baseTarget'>): WrittenLink {
  return {
    href: link.href,
    rel: link.rel,
    target: link.target,
    byHand: valueNamed(html, link.attributes, BY_HAND),
    tags: valueNamed(html, link.attributes, TAGS),
    shows: link.element === 'area' || (link.hasPicture && !link.hasText) ? 'picture' : 'text',
    baseHref: page.baseHref,
    baseTarget: page.baseTarget,
  }
}

const NO_TAGS: readonly string[] = []

/** Where any link stands that stands here. */
export const placeOf = (around: PageAround): Pick<LinkFacts, 'page' | 'part' | 'isSponsoredPage'> => ({
  page: pathOf(around.page),
  part: around.part ?? null,
  isSponsoredPage: around.sponsor !== undefined,
})

/** Puts a link into its surroundings. `around.page` is the page's own address, before `base`. */
export function factsOf(link: WrittenLink, around: PageAround, findShortLink: ShortLinkFinder): LinkFacts {
  const base = link.baseHref === null ? around.page : (parseUrl(link.baseHref.trim(), around.page)?.href ?? around.page)
  const { address, hostname, kind, url } = readHref(link.href, base, around)
  const short = kind === 'short link' && url !== null ? shortDestination(url, around, findShortLink) : null
  const led = ledElsewhere(kind, short?.href ?? address, around, findShortLink)
  const leadsTo = led?.hostname ?? (kind === 'short link' ? (short?.hostname ?? '') : hostname)
  const site = leadsTo === '' ? null : siteOfHost(leadsTo)
  const byHand = around.isTheirs === true ? null : link.byHand
  const linkTags = around.isTheirs === true ? null : link.tags
  const hand = relTokens(byHand)
  const leads = led?.href ?? (kind === 'short link' ? (short?.href ?? null) : address)
  const partner = site === null || leads === null || !around.partnerSites.has(site) ? null : (around.payerOf?.(leads, site) ?? null)
  return {
    kind,
    address,
    site,
    host: kind === 'short link' ? '' : hostname,
    isPartner: site !== null && around.partnerSites.has(site),
    partner,
    pays: partner !== null && around.paying?.has(partner) === true,
    isOutside: kind === 'outside' || kind === 'partner' || led !== null || (short !== null && !isOwnHost(short, around)),
    page: pathOf(around.page),
    part: around.part ?? null,
    tags: linkTags === null ? (around.tags ?? NO_TAGS) : [...readTags(linkTags), ...(around.tags ?? NO_TAGS)],
    linkTags,
    isSponsoredPage: around.sponsor !== undefined,
    origin: byHand === null ? 'imported' : 'written here',
    shows: link.shows,
    handSet: ANSWERS.filter((answer) => hand.includes(answer)),
    writtenFor: site !== null && around.sponsor?.sites.includes(site) === true ? around.sponsor.name : null,
    isWaiting:
      address !== null && around.waiting !== undefined && around.waiting.size > 0 && around.waiting.has(normalise(address) ?? address),
    rel: relTokens(link.rel),
    target: link.target,
    baseTarget: link.baseTarget,
  }
}

/** Most hops on the way of one link that are looked at, inclusive: browsers stop at 20 (Fetch, "HTTP-redirect fetch"). */
const LED_HOPS_MAX = 20

/**
 * To which partner redirects lead readers of one of our own addresses, be it by way of others and of short links.
 * @param address - of the link, or where its short link leads
 * @returns null where none does
 */
function ledElsewhere(kind: AddressKind | null, address: string | null, around: PageAround, find: ShortLinkFinder): URL | null {
  const { led } = around
  if (led === undefined || address === null || (kind !== 'inside page' && kind !== 'file' && kind !== 'short link')) return null
  const waiting = [address]
  for (let hop = 0; hop < LED_HOPS_MAX; hop++) {
    const next = waiting.shift()
    if (next === undefined) return null
    const url = parseUrl(next)
    if (url === null) continue
    const short = shortDestination(url, around, find)
    if (short !== null) waiting.push(short.href)
    else if (!isOwnHost(url, around)) {
      if (hop > 0 && around.partnerSites.has(siteOfHost(url.hostname))) return url
    } else if (led.mayBe(next)) waiting.push(...led.waysOn(url))
  }
  return null
}

interface ReadHref {
  /** Absolute; null for what is no address. */
  readonly address: string | null
  /** "" where the address has none. */
  readonly hostname: string
  readonly kind: AddressKind | null
  /** Null also where there was no need to parse one. */
  readonly url: URL | null
}

/** Destinations remembered for one site: its pages name the same ones over and over, and parsing is what costs. */
const REMEMBERED_MAX = 4_096
const remembered = new WeakMap<ReadonlySet<string>, Map<string, ReadHref>>()

/** Parses and classifies. What an absolute address without a fragment is does not depend on the page it stands on. */
function readHref(href: string, base: string, around: Surroundings): ReadHref {
  const read = (): ReadHref => {
    const url = parseUrl(href, base)
    if (url === null) return { address: null, hostname: '', kind: null, url }
    return { address: url.href, hostname: url.hostname, kind: classifyUrl(url, base === around.page ? href : '', around), url }
  }
  if (!href.startsWith('http') || href.includes('#')) return (base === around.page ? readRelative(href, around) : null) ?? read()
  let known = remembered.get(around.partnerSites) // one set a compiled site, and a new one when anything of it changes
  if (known === undefined) {
    known = new Map()
    remembered.set(around.partnerSites, known)
  }
  const found = known.get(href)
  if (found !== undefined) return found
  const made = read()
  if (known.size >= REMEMBERED_MAX) known.clear()
  known.set(href, made)
  return made
}

/** A plain path, with nothing in it that the URL parser would write otherwise, and perhaps a fragment. */
const PLAIN_PATH = /^(?:\.\.\/)*(?!\/\/)[A-Za-z0-9_~/-][A-Za-z0-9_~/.-]*(?:#[A-Za-z0-9_-]*)?$|^#[A-Za-z0-9_-]+$/

interface OwnPage {
  readonly page: string
  readonly hostname: string
  readonly origin: string
  /** Folders of the page's path, outermost first. */
  readonly folders: readonly string[]
  readonly pathname: string
  /** It is on a host of the site's pages that has no short links. */
  readonly isPlain: boolean
}
let lastOwnPage: OwnPage | null = null

function ownPage(around: Surroundings): OwnPage {
  if (lastOwnPage?.page === around.page) return lastOwnPage
  const url = parseUrl(around.page)
  const isPlain =
    url !== null &&
    url.search === '' &&
    url.hash === '' &&
    isOwnHost(url, around) &&
    !around.shortHosts.some(({ host }) => host === url.hostname)
  lastOwnPage = {
    page: around.page,
    hostname: url?.hostname ?? '',
    origin: url?.origin ?? '',
    folders: url?.pathname.split('/').slice(1, -1) ?? [],
    pathname: url?.pathname ?? '/',
    isPlain,
  }
  return lastOwnPage
}

/** The host of a page of ours whose relative addresses are all pages, files and sections of it; null for any other page. */
export function plainHost(around: Surroundings): string | null {
  const { isPlain, hostname } = ownPage(around)
  return isPlain ? hostname : null
}

/**
 * What {@link classifyUrl} and the URL parser would say of a plain relative address on a page of ours, at a tenth of the
 * cost: most links of a site are like that. Null where it takes the parser.
 */
function readRelative(href: string, around: Surroundings): ReadHref | null {
  let up = 0
  while (href.startsWith('../', up * 3)) up++
  if (!PLAIN_PATH.test(href) || href.includes('/.', up * 3)) return null
  const { hostname, origin, folders, pathname, isPlain } = ownPage(around)
  if (!isPlain) return null
  const hash = href.indexOf('#')
  const path = hash === -1 ? href : href.slice(0, hash)
  let whole = pathname
  if (path.startsWith('/')) whole = path
  else if (path !== '') {
    const kept = folders.slice(0, Math.max(0, folders.length - up))
    whole = `/${kept.length === 0 ? '' : `${kept.join('/')}/`}${path.slice(up * 3)}`
  }
  const isSection = hash !== -1 && (hash === 0 || (whole === pathname && hash < href.length - 1))
  const kind = isSection ? 'section' : isPagePath(whole) ? 'inside page' : 'file'
  return { address: origin + whole + (hash === -1 ? '' : href.slice(hash)), hostname, kind, url: null }
}

function shortDestination(url: URL, around: Surroundings, find: ShortLinkFinder): URL | null {
  const short = shortLinkSlug(url, around)
  const destination = short === null ? null : find(short.host, short.slug)
  return destination === null ? null : parseUrl(destination)
}

/** The page is the same for all of its links, one after the other. */
let lastPage = { address: '', path: '/' }
function pathOf(address: string): string {
  if (lastPage.address !== address) lastPage = { address, path: parseUrl(address)?.pathname ?? '/' }
  return lastPage.path
}
