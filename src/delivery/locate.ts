import { normalise, pathSpellings, placesOfPage } from '../core/address/index.ts'
import { TOLERANCE } from '../core/routing/index.ts'
import type { HostEntry, StoredFile, StoredPage, StoreView } from './store/index.ts'

/** What a path names: something, or where that stands whose path differs by a closing slash or by capitals. */
export type Place = { page: StoredPage } | { file: StoredFile } | { moved: string }

/** Nothing in such a path could be written otherwise; to parse an address costs more than all look-ups. */
const PLAIN = /^(?:\/(?!\.\.?(?:\/|$))[\w.~-]+)*\/?$/

/**
 * Finds what a path names, tolerant of percent-encoding, index files, the closing slash and, where the site is, capitals. One that begins
 * with two slashes is a path all the same, and never read as a host.
 */
export function locate(view: StoreView, entry: HostEntry, path: string): Place | null {
  const { origin } = entry.ground
  const as = (each: string): Place | null => {
    const page = view.page(entry, each)
    if (page !== null) return { page }
    const file = view.file(entry, each)
    return file === null ? null : { file }
  }
  const asSent = as(path)
  if (asSent !== null) return asSent
  const plain = PLAIN.test(path) ? path : pathnameOf(normalise(origin + path) ?? path)
  const found = plain === path ? null : as(plain)
  if (found !== null) return found
  const [, bare = plain, other = ''] = placesOfPage(plain)
  const index = bare === plain ? null : view.page(entry, bare)
  if (index !== null) return { page: index }
  if (other !== '' && view.page(entry, other) !== null) return { moved: other }
  if (!ignoresCase(entry)) return null
  for (const each of pathSpellings(plain)) {
    const moved = view.pathByCapitals(entry, each)
    if (moved !== null && moved !== path) return { moved }
  }
  return null
}

const ignoresCase = ({ ground: { setup } }: HostEntry): boolean => (setup.tolerance ?? TOLERANCE).ignoresCase

const pathnameOf = (address: string): string => (address.startsWith('/') ? address : new URL(address).pathname)
