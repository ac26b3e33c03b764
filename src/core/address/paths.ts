/** A folder's path for that of its index file: "/islands/" for "/islands/index.html"; others as they are. */
export const withoutIndex = (path: string): string => path.replace(/\/index\.html?$/i, '/')

/**
 * Paths under which what a path names may be filed: people name a page with and without its closing slash, or by its index
 * file. The path itself first.
 */
export function pathSpellings(path: string): readonly string[] {
  const folder = withoutIndex(path)
  if (folder !== path) return [path, folder]
  return [path, path.endsWith('/') ? path.replace(/(.)\/$/, '$1') : `${path}/`]
}
