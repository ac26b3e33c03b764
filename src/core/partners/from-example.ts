import { parseUrl } from '../address/index.ts'
import { decoded, nameOf, queryPairs } from './fill.ts'

/** A link template read off one of the partner's own links. */
export interface ReadExample {
  readonly template: string
  /** What stands where the number does. */
  readonly account: string
}

/** What may be a number: letters, digits and a few signs, with a digit among them. */
const NUMBER = /^(?=.*\d)[\w.-]{2,60}$/
/** Parameters whose name says that a note of one's own stands in them. */
const OWN_NOTE = /^sub(?:[-_]?id)?\d*$/i
/** Parameters that tell of a campaign and never of a partner. */
const CAMPAIGN = /^utm_/i
const CANDIDATES_MAX = 4

/**
 * Reads a template off a link that a partner, or its network, made: where the number stands, and where the page that it leads to.
 * @param account - the number, where it is known; "" for every part that may be one
 * @param sites - the partner's own hosts
 * @returns one for each place where the number may stand, the likeliest first; none for what is no such link. Never throws.
 */
export function templatesFromExample(
  example: string,
  { account, sites }: { readonly account: string; readonly sites: readonly string[] },
): readonly ReadExample[] {
  const url = parseUrl(example.trim())
  if (url === null || !/^https?:$/.test(url.protocol) || /[{}]/.test(example)) return []
  const isTheirs = (host: string): boolean => sites.some((site) => host === site || host.endsWith(`.${site}`))
  const leadsThere = isTheirs(url.hostname)
  const isNumber = (text: string): boolean => (account === '' ? NUMBER.test(text) : text === account)
  const pairs = queryPairs(url.search).map((pair) => {
    const name = nameOf(pair)
    const value = decoded(pair.slice(name.length + 1))
    const to = parseUrl(value)
    return { pair, name, value, isPage: to !== null && /^https?:$/.test(to.protocol) && (!leadsThere || isTheirs(to.hostname)) }
  })
  const segments = url.pathname.split('/')
  const written = (at: { pair?: number; segment?: number }): string => {
    const query = pairs.flatMap(({ pair, name, isPage }, i) => {
      if (i === at.pair) return [`${name}={account}`]
      if (OWN_NOTE.test(name)) return [`${name}={sub}`]
      // On a page of theirs the rest is the page's own, which the address brings along.
      if (leadsThere) return []
      return [isPage ? `${name}={url}` : pair]
    })
    const path = segments.map((segment, i) => (i === at.segment ? '{account}' : segment)).join('/')
    return `${leadsThere ? '{url}' : url.origin + path}${query.length === 0 ? '' : `?${query.join('&')}`}`
  }
  const inQuery = pairs.flatMap(({ name, value, isPage }, i) =>
    !isPage && !OWN_NOTE.test(name) && !CAMPAIGN.test(name) && isNumber(value) ? [{ template: written({ pair: i }), account: value }] : [],
  )
  const inPath = leadsThere
    ? []
    : segments.flatMap((segment, i) =>
        isNumber(decoded(segment)) ? [{ template: written({ segment: i }), account: decoded(segment) }] : [],
      )
  return [...inQuery, ...inPath].slice(0, CANDIDATES_MAX)
}
