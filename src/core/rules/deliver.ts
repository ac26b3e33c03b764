import { type LinkTag, type Rewritten, rewriteLinks } from '../markup/index.ts'
import { changesFor, type Decision, decide } from './decide.ts'
import { factsOf, type LinkFacts, type PageAround, type ShortLinkFinder, writtenLink } from './facts.ts'
import type { CompiledRule } from './rule.ts'

/** One link of a delivered page with what was decided for it. */
export interface DeliveredLink {
  readonly link: LinkTag
  readonly facts: LinkFacts
  readonly decision: Decision
}

export interface DeliveredPage extends Rewritten {
  /** In source order, one for every link of the page. */
  readonly delivered: readonly DeliveredLink[]
}

/**
 * A page as readers get it: the rules applied to every link, our own marks taken off, every other character as stored.
 * Applying it to its own answer changes nothing.
 */
export function deliverPage(
  html: string,
  rules: readonly CompiledRule[],
  around: PageAround,
  findShortLink: ShortLinkFinder,
): DeliveredPage {
  const delivered: DeliveredLink[] = []
  const rewritten = rewriteLinks(html, (link, page) => {
    const facts = factsOf(writtenLink(html, link, page), around, findShortLink)
    const decision = decide(rules, facts)
    delivered.push({ link, facts, decision })
    return changesFor(decision, facts, link.rel)
  })
  return { ...rewritten, delivered }
}
