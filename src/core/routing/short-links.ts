import { parseUrl } from '../address/index.ts'

/** One short link as delivery needs it. */
export interface ShortLinkRoute {
  readonly id: string
  readonly host: string
  /** Path segment before the slug, without slashes; "" for none. */
  readonly prefix: string
  /** Lower case. */
  readonly slug: string
  readonly destination: string
  /** For people; not needed to answer. */
  readonly title?: string | undefined
  readonly status: 301 | 302 | 307 | 308
}

/** A short link made ready to answer with. */
export interface CompiledShortLink {
  readonly id: string
  readonly status: number
  /** Ready for the `Location` header: ASCII only (RFC 9110 §10.2.2). */
  readonly location: string
  readonly destination: string
}

export interface ShortLinkTable {
  /** What answers a request's path (as sent, without query); null when no short link does. One look-up, however many rows. */
  match(host: string, path: string): CompiledShortLink | null
  find(host: string, slug: string): CompiledShortLink | null
}

/** Longest path looked at; no slug is near as long. */
const PATH_MAX_CHARS = 200

/** Compiles the short links of all hosts. A destination that is no address any more is left out. */
export function compileShortLinks(routes: readonly ShortLinkRoute[]): ShortLinkTable {
  const bySlug = new Map<string, Map<string, CompiledShortLink>>()
  const prefixes = new Map<string, string>()
  for (const { id, host, prefix, slug, destination, status } of routes) {
    const url = parseUrl(destination)
    if (url === null) continue
    let slugs = bySlug.get(host)
    if (slugs === undefined) {
      slugs = new Map()
      bySlug.set(host, slugs)
      prefixes.set(host, prefix === '' ? '/' : `/${prefix}/`)
    }
    slugs.set(slug, { id, status, location: url.href, destination })
  }
  const find = (host: string, slug: string): CompiledShortLink | null => bySlug.get(host)?.get(slug) ?? null
  return {
    find,
    match(host, path) {
      const start = prefixes.get(host)
      if (start === undefined || path.length > PATH_MAX_CHARS || !path.startsWith(start)) return null
      const end = path.endsWith('/') ? path.length - 1 : path.length
      const slug = path.slice(start.length, end)
      // Most requests are spelt as meant; only the others pay for being made plain.
      return find(host, slug) ?? find(host, plainSlug(slug))
    },
  }
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
