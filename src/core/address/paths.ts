/** Where robots look for what a site has (sitemaps.org protocol 0.9). A page or file of the site's own of this name comes before ours. */
export const SITEMAP_PATH = '/sitemap.xml'
/** Where they look first (RFC 9309 §2.3). A file of the site's own, or a row for it, comes before ours. */
export const ROBOTS_PATH = '/robots.txt'

/** A folder's path for that of its index file: "/islands/" for "/islands/index.html"; others as they are. */
export const withoutIndex = (path: string): string => path.replace(/\/index\.html?$/i, '/')

/**
 * Paths at which a page may stand that is asked for by this one, in the order in which they are looked at: this, its folder for an index
 * file, and with a slash at the end more or less, where it is then led to. May have one twice.
 */
export const placesOfPage = (path: string): readonly string[] => [
  path,
  withoutIndex(path),
  path.endsWith('/') ? path.slice(0, -1) : `${path}/`,
]

/**
 * Paths under which what a path names may be filed: people name a page with and without its closing slash, or by its index
 * file. The path itself first.
 */
export function pathSpellings(path: string): readonly string[] {
  const folder = withoutIndex(path)
  if (folder !== path) return [path, folder]
  return [path, path.endsWith('/') ? path.replace(/(.)\/$/, '$1') : `${path}/`]
}
