import { linkText } from '../markup/index.ts'
import type { DeliveredLink } from '../rules/index.ts'

/** A link as a reader's browser gets it. */
export interface LinkAsDelivered {
  readonly text: string
  readonly href: string
  readonly rel: string | null
  readonly target: string | null
}

/** One link that differs between two versions; null where there was, or is, none. */
export interface LinkDifference {
  readonly before: LinkAsDelivered | null
  readonly after: LinkAsDelivered | null
}

/** What readers get of each link of a page. */
export function asDelivered(html: string, links: readonly DeliveredLink[]): readonly LinkAsDelivered[] {
  return links.map(({ link, decision }) => ({ text: linkText(html, link), href: link.href, rel: decision.rel, target: decision.target }))
}

const whole = ({ text, href, rel, target }: LinkAsDelivered): string => JSON.stringify([text, href, rel, target])

/**
 * What changed among the links of a page. Links that are the same are left out wherever they moved to; of the others, two
 * with the same words and the same destination, then the same words, then the same destination are one that changed.
 */
export function linkChanges(before: readonly LinkAsDelivered[], after: readonly LinkAsDelivered[]): readonly LinkDifference[] {
  let left: LinkAsDelivered[] = [...before]
  let right: LinkAsDelivered[] = [...after]
  const pairs: LinkDifference[] = []
  const pair = (key: (link: LinkAsDelivered) => string, isSame: boolean): void => {
    const open = new Map<string, LinkAsDelivered[]>()
    for (const link of left) open.set(key(link), [...(open.get(key(link)) ?? []), link])
    const taken = new Set<LinkAsDelivered>()
    right = right.filter((link) => {
      const match = open.get(key(link))?.shift()
      if (match === undefined) return true
      taken.add(match)
      if (!isSame) pairs.push({ before: match, after: link })
      return false
    })
    left = left.filter((link) => !taken.has(link))
  }
  pair(whole, true)
  pair(({ text, href }) => JSON.stringify([text, href]), false)
  pair(({ text }) => text, false)
  pair(({ href }) => href, false)
  return [...pairs, ...right.map((link) => ({ before: null, after: link })), ...left.map((link) => ({ before: link, after: null }))]
}
