import { parseUrl } from '../address/index.ts'
import { encodedPath, pathKey, plainPath, TOLERANCE, type Tolerance } from '../routing/index.ts'

/** A path of the site's own from which a redirect leads to a partner, and where it leads. Plain: see `plainPath`. */
export type LedAway = readonly [from: string, to: string]

/** Most of them that links are held against; see `led_away` in the schema. */
export const LED_AWAY_MAX = 5_000

/** Finds where addresses of our own lead that redirects answer. */
export interface LedAddresses {
  /** @param address - absolute, of a host of the site's pages. @returns null for one that is answered otherwise */
  find(address: string): string | null
  /** Whether a link that is written so may be one of them: by the end of its path alone, so that most are told at once. */
  mayBe(href: string): boolean
}

/** What ends a path: its last segment, in small letters. */
function endOf(href: string): string {
  let end = href.search(/[?#]/)
  if (end === -1) end = href.length
  while (end > 0 && href[end - 1] === '/') end--
  return href.slice(href.lastIndexOf('/', end - 1) + 1, end).toLowerCase()
}
/** A link that is written so says nothing of where it ends. */
const DOTS: readonly string[] = ['', '.', '..']

/** @returns undefined where there are none */
export function ledAddresses(led: readonly LedAway[] = [], tolerance: Tolerance = TOLERANCE): LedAddresses | undefined {
  if (led.length === 0) return undefined
  const byKey = new Map(led.map(([from, to]) => [pathKey(plainPath(from), tolerance), to]))
  const ends = new Set([...DOTS, ...led.flatMap(([from]) => [endOf(from), endOf(encodedPath(from))])])
  const mayBe = (href: string): boolean => href.includes('%') || href.includes('&') || ends.has(endOf(href))
  return {
    mayBe,
    find(address) {
      if (!mayBe(address)) return null
      const path = parseUrl(address)?.pathname
      return path === undefined ? null : (byKey.get(pathKey(plainPath(path), tolerance)) ?? null)
    },
  }
}
