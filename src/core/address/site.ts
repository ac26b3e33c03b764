import { getDomain } from 'tldts'

/**
 * The site a host belongs to: its registrable domain by the public suffix list, private section included
 * (two people's pages on one hosting company are two sites).
 * @param host - a host name in any case, without port; an IP address is its own site
 * @returns lower case; the host itself where no registrable domain exists (`localhost`, an IP address, a bare suffix)
 */
export function siteOfHost(host: string): string {
  const known = sites.get(host)
  if (known !== undefined) return known
  const lower = host.toLowerCase().replace(/\.$/, '')
  const site = getDomain(lower, { allowPrivateDomains: true }) ?? lower
  if (sites.size >= REMEMBERED_HOSTS_MAX) sites.clear()
  sites.set(host, site)
  return site
}

/** Hosts remembered: a site links to few, again and again, and the suffix list takes a microsecond a look. */
const REMEMBERED_HOSTS_MAX = 4_096
const sites = new Map<string, string>()

/**
 * The site an address leads to.
 * @param address - absolute; anything else answers null
 * @returns see {@link siteOfHost}; null for addresses without a host (mail, phone, relative)
 */
export function siteOf(address: string): string | null {
  const url = parseUrl(address)
  return url === null || url.hostname === '' ? null : siteOfHost(url.hostname)
}

/** `new URL` as a value: null where it would throw. */
export function parseUrl(address: string, base?: string): URL | null {
  // An exception costs ten times what both take together, and of a site's own links most are no addresses by themselves.
  return URL.canParse(address, base) ? new URL(address, base) : null
}

/**
 * Where somebody may be sent on to within one origin: as browsers resolve it, so that no tab, backslash or doubled slash
 * leads elsewhere (WHATWG URL).
 * @returns path, query and fragment; "/" for anything that leads out of the origin
 */
export function withinOrigin(address: string, origin: string): string {
  const url = parseUrl(address, origin)
  // "//" at the front of a path that was resolved would be read as a host the second time.
  return url === null || url.origin !== new URL(origin).origin || url.pathname.startsWith('//') ? '/' : url.pathname + url.search + url.hash
}

/** Reads the address of a website as people write it, with or without its scheme. @returns null where it is none of the web */
export function siteAddress(typed: string): URL | null {
  const text = typed.trim()
  const url = parseUrl(/^[a-z][a-z\d+.-]*:\/\//i.test(text) ? text : `https://${text}`)
  return url !== null && /^https?:$/.test(url.protocol) ? url : null
}
