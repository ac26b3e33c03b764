import { parseUrl } from '../address/index.ts'

/** What answers on a short link's address. */
export interface ShortLinkTarget {
  readonly id: string
  readonly destination: string
  readonly status: 301 | 302 | 307 | 308
}

/** A short link made ready to answer with. */
export interface CompiledShortLink extends ShortLinkTarget {
  /** Ready for the `Location` header: ASCII only (RFC 9110 §10.2.2). */
  readonly location: string
}

/** @returns null where the destination is no address any more */
export function compileShortLink({ id, destination, status }: ShortLinkTarget): CompiledShortLink | null {
  const url = parseUrl(destination)
  return url === null ? null : { id, destination, status, location: url.href }
}

/** Longest path looked at; no slug is near as long. */
const PATH_MAX_CHARS = 200

/**
 * What answers a request's path on a short host. At most two look-ups, however many short links there are.
 * @param path - as sent, without query
 * @param prefix - path segment before the slug, without slashes; "" for none
 * @param find - by slug, lower case; null where there is none
 */
export function matchShortLink<T>(path: string, prefix: string, find: (slug: string) => T | null): T | null {
  const start = prefix === '' ? '/' : `/${prefix}/`
  if (path.length > PATH_MAX_CHARS || !path.startsWith(start)) return null
  const end = path.endsWith('/') ? path.length - 1 : path.length
  const slug = path.slice(start.length, end)
  if (slug === '') return null
  // Most requests are spelt as meant; only the others pay for being made plain.
  const found = find(slug)
  if (found !== null) return found
  const plain = plainSlug(slug)
  return plain === slug || plain === '' ? null : find(plain)
}

/** Percent-encoding and capitals are tolerated; a full stop or comma picked up from the sentence too. */
function plainSlug(slug: string): string {
  let plain = slug
  try {
    plain = decodeURIComponent(slug)
  } catch {
    // Not decodable, so it is compared as it came.
  }
  return plain.toLowerCase().replace(/[.,;:!?)\]'"’”]+$/, '')
}
