import { type LinkTag, linkText, type Rewritten, rewriteLinks } from '../markup/index.ts'
import { changesFor, type Decision, decide } from './decide.ts'
import { factsOf, type LinkFacts, type PageAround, type SharedPart, type ShortLinkFinder, writtenLink } from './facts.ts'
import type { CompiledRule } from './rule.ts'
import type { CompiledSite, PageMarks } from './site.ts'
import { tellerOf } from './telling.ts'
import { givenBack } from './theirs.ts'

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
 * @param partAt - the shared part that stands at an offset of `html`; none where it is left out
 */
export function deliverPage(
  html: string,
  rules: readonly CompiledRule[],
  around: PageAround,
  findShortLink: ShortLinkFinder,
  partAt?: (offset: number) => SharedPart | null,
): DeliveredPage {
  const delivered: DeliveredLink[] = []
  const tell = tellerOf(around.paidWords)
  const rewritten = rewriteLinks(
    html,
    (link, page) => {
      const part = partAt?.(link.start) ?? null
      const facts = factsOf(writtenLink(html, link, page), part === null ? around : { ...around, part }, findShortLink)
      const decision = decide(rules, facts)
      delivered.push({ link, facts, decision })
      return changesFor(decision, facts, { html, attributes: link.attributes, rel: link.rel, words: () => linkText(html, link) })
    },
    (link) => {
      const renamed = around.isTheirs === true ? [] : givenBack(link.attributes)
      const decision = tell === null ? undefined : delivered.at(-1)?.decision
      return tell === null || decision === undefined || link.isForeign ? renamed : [...renamed, ...tell(decision, { html, ...link })]
    },
  )
  return { ...rewritten, delivered }
}

/** What a link would go out with that a person makes on a page now, with all of it left to the rules. */
export function foresee(site: CompiledSite, href: string, path: string, marks?: PageMarks): Decision {
  const written = { href, rel: null, target: null, byHand: '', tags: null, shows: 'text', baseHref: null, baseTarget: null } as const
  return decide(site.rules, factsOf(written, site.around(path, marks), site.findShortLink))
}
