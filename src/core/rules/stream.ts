import { linkText, MarkupStream, type PatchSet, readAttributes, scanLinks, type StreamedTag, tagPatches, valueNamed } from '../markup/index.ts'
import { changesFor, decide } from './decide.ts'
import { factsOf, type PageAround, type ShortLinkFinder, BY_HAND, TAGS } from './facts.ts'
import { type CompiledRule, needsOf } from './rule.ts'

/** Tags remembered for one list of rules: a site's navigation, footer and favourite shops stand on every page of it. */
const REMEMBERED_MAX = 20_000
const remembered = new WeakMap<readonly CompiledRule[], Map<string, PatchSet>>()
const NONE: PatchSet = []

/**
 * A stream that applies rules to a page as it passes.
 * @param encoding - of the page, by the Encoding standard, lower case
 */
export function ruleStream(rules: readonly CompiledRule[], around: PageAround, find: ShortLinkFinder, encoding: string): MarkupStream {
  const needs = needsOf(rules)
  let known = remembered.get(rules)
  if (known === undefined) {
    known = new Map()
    remembered.set(rules, known)
  }
  const kept = known
  // What is decided for an absolute address does not depend on the page, unless a rule or the page itself asks where it stands.
  const isSharable = !needs.place && !needs.content && around.sponsor === undefined && (around.waiting === undefined || around.waiting.size === 0)
  const rewrite = (met: StreamedTag): PatchSet => {
    const { tag, element } = met
    const isShared = isSharable && element === 'a' && met.baseHref === null && met.baseTarget === null && /\shref="https?:[^"#]*"/.test(tag)
    if (isShared) {
      const before = kept.get(tag)
      if (before !== undefined) return before
    }
    const patches = patchesFor(met)
    if (isShared) {
      if (kept.size >= REMEMBERED_MAX) kept.clear()
      kept.set(tag, patches)
    }
    return patches
  }
  const patchesFor = ({ tag, element, content, isForeign, baseHref, baseTarget }: StreamedTag): PatchSet => {
    const nameEnd = element.length + 1
    const attributes = readAttributes(tag, nameEnd)
    const value = (name: string): string | null => valueNamed(tag, attributes, name)
    const href = value('href') ?? (isForeign ? value('xlink:href') : null)
    if (href === null) return NONE
    const whole = content === null ? null : `${tag}${content}</a>`
    const link = whole === null ? undefined : scanLinks(whole).links[0]
    const facts = factsOf(
      {
        href: href.trim(),
        rel: value('rel'),
        target: value('target'),
        byHand: value(BY_HAND),
        tags: value(TAGS),
        shows: element === 'area' || (link?.hasPicture === true && !link.hasText) ? 'picture' : 'text',
        baseHref,
        baseTarget,
      },
      around,
      find,
    )
    const words = (): string => (whole === null || link === undefined ? '' : linkText(whole, link))
    const changes = changesFor(decide(rules, facts), facts, { html: tag, attributes, rel: value('rel'), words })
    return tagPatches(tag, { attributes, nameEnd }, changes)
  }
  return new MarkupStream(rewrite, { encoding, needsContent: needs.content })
}
