import { parseUrl, siteOfHost } from './site.ts'

/** Where an address leads, seen from one site. */
export const ADDRESS_KINDS = ['inside page', 'section', 'outside', 'file', 'mail', 'phone', 'short link', 'partner'] as const
export type AddressKind = (typeof ADDRESS_KINDS)[number]

/** What the site calls its own, so that an address can be told inside from outside. */
export interface Surroundings {
  /** Host names of the site's own pages, lower case, without port; the first is the main one. */
  readonly siteHosts: readonly string[]
  /** Short hosts with their prefix ("go", or "" for none). */
  readonly shortHosts: readonly { readonly host: string; readonly prefix: string }[]
  /** Registrable domains of partners' sites. */
  readonly partnerSites: ReadonlySet<string>
  /** The port this installation answers on, when it is not the scheme's own. */
  readonly port?: number
  /** Absolute address of the page the link hangs on (or the site's front page). */
  readonly page: string
}

const PAGE_EXTENSIONS = new Set(['html', 'htm', 'xhtml', 'shtml', 'php', 'asp', 'aspx', 'jsp', 'cgi'])

/** Tells whether a path names a page (no extension, or a page's) rather than a file to download. */
export function isPagePath(pathname: string): boolean {
  const name = pathname.slice(pathname.lastIndexOf('/') + 1)
  const dot = name.lastIndexOf('.')
  if (dot <= 0) return true
  const extension = name.slice(dot + 1).toLowerCase()
  return PAGE_EXTENSIONS.has(extension) || !/^[a-z0-9]{1,5}$/.test(extension) || /^\d+$/.test(extension)
}

/** Tells whether `url` is on one of the site's own page hosts. */
export function isOwnHost(url: URL, around: Surroundings): boolean {
  return around.siteHosts.includes(url.hostname) && isOwnPort(url, around)
}

/** The slug when `url` is one of the site's short links (not whether it exists); null otherwise. */
export function shortLinkSlug(url: URL, around: Surroundings): { host: string; slug: string } | null {
  if (!isOwnPort(url, around)) return null
  for (const { host, prefix } of around.shortHosts) {
    if (url.hostname !== host) continue
    const start = prefix === '' ? '/' : `/${prefix}/`
    const slug = url.pathname.slice(start.length).replace(/\/$/, '')
    if (url.pathname.startsWith(start) && slug !== '' && !slug.includes('/')) return { host, slug: slug.toLowerCase() }
  }
  return null
}

/**
 * Says what an address is, read from the page it stands on.
 * @param address - absolute or relative
 * @returns null when it is no address, or one with a scheme that is no link a reader can follow
 */
export function classify(address: string, around: Surroundings): AddressKind | null {
  const url = parseUrl(address, around.page)
  return url === null ? null : classifyUrl(url, address, around)
}

/** {@link classify} for an address that is parsed already; `written` is how it stands in the source. */
export function classifyUrl(url: URL, written: string, around: Surroundings): AddressKind | null {
  switch (url.protocol) {
    case 'mailto:':
      return 'mail'
    case 'tel:':
    case 'sms:':
      return 'phone'
    case 'ftp:':
      return 'outside'
    case 'http:':
    case 'https:':
      break
    default:
      return null
  }
  if (shortLinkSlug(url, around) !== null) return 'short link'
  if (isOwnHost(url, around)) {
    if (/^\s*#/.test(written) || (url.hash !== '' && isSamePage(url, around.page))) return 'section'
    return isPagePath(url.pathname) ? 'inside page' : 'file'
  }
  return around.partnerSites.size > 0 && around.partnerSites.has(siteOfHost(url.hostname)) ? 'partner' : 'outside'
}

function isOwnPort(url: URL, around: Surroundings): boolean {
  return url.port === '' || Number(url.port) === around.port
}

function isSamePage(url: URL, page: string): boolean {
  const hash = page.indexOf('#')
  return url.href.slice(0, url.href.indexOf('#')) === (hash === -1 ? page : page.slice(0, hash))
}
