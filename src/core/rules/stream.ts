import {
  linkText,
  MarkupStream,
  type PatchSet,
  readAttributes,
  type StreamedTag,
  scanLinks,
  tagPatches,
  valueNamed,
} from '../markup/index.ts'
import { changesFor, decide } from './decide.ts'
import { BY_HAND, factsOf, isPlaceless, type PageAround, type ShortLinkFinder, TAGS } from './facts.ts'
import { type CompiledRule, needsOf, type RuleNeeds } from './rule.ts'

/** Tags remembered for one list of rules and host: a site's navigation, footer and favourite shops stand on every page of it. */
const REMEMBERED_MAX = 20_000
interface Remembered {
  readonly needs: RuleNeeds
  readonly tags: Map<string, PatchSet>
  /** Marks of tags that were met once: only what comes again is worth remembering. */
  readonly met: Uint8Array
}
const MET_MASK = 0xffff

/** A cheap mark of a tag: its length and letters from all over it. */
function markOf(tag: string): number {
  let mark = tag.length
  for (let i = 3; i < tag.length; i += 7) mark = (Math.imul(mark, 31) + tag.charCodeAt(i)) | 0
  return mark & MET_MASK
}

/** The same text on its own: a piece cut out of a page would keep the whole page in memory. */
const alone = (text: string): string => new TextDecoder().decode(new TextEncoder().encode(text))
const remembered = new WeakMap<readonly CompiledRule[], Map<string, Remembered>>()
const NONE: PatchSet = []

function rememberedFor(rules: readonly CompiledRule[], page: string): Remembered {
  const host = page.slice(0, page.indexOf('/', page.indexOf('//') + 2))
  const hosts = remembered.get(rules) ?? new Map<string, Remembered>()
  remembered.set(rules, hosts)
  const known = hosts.get(host) ?? { needs: needsOf(rules), tags: new Map<string, PatchSet>(), met: new Uint8Array(MET_MASK + 1) }
  hosts.set(host, known)
  return known
}

/**
 * A stream that applies rules to a page as it passes.
 * @param encoding - of the page, by the Encoding standard, lower case
 * @param readBytes - see {@link MarkupStream}
 */
export function ruleStream(
  rules: readonly CompiledRule[],
  around: PageAround,
  find: ShortLinkFinder,
  encoding: string,
  readBytes?: (bytes: Uint8Array) => string,
): MarkupStream {
  const { needs, tags, met: seen } = rememberedFor(rules, around.page)
  // What is decided for most addresses does not depend on the page, unless a rule or the page itself asks where it stands.
  const isSharable =
    !needs.place &&
    !needs.content &&
    !needs.address &&
    around.sponsor === undefined &&
    (around.waiting === undefined || around.waiting.size === 0)
  const rewrite = (met: StreamedTag): PatchSet => {
    const isShared = isSharable && met.baseHref === null && met.baseTarget === null && !met.isForeign
    const before = isShared ? tags.get(met.tag) : undefined
    return before ?? patchesFor(met, isShared)
  }
  const patchesFor = ({ tag, element, content, isForeign, baseHref, baseTarget }: StreamedTag, isShared: boolean): PatchSet => {
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
    const patches = tagPatches(tag, { attributes, nameEnd }, changes)
    if (isShared) {
      const mark = markOf(tag)
      if (seen[mark] === 0) seen[mark] = 1
      else if (isPlaceless(href.trim(), around)) {
        if (tags.size >= REMEMBERED_MAX) tags.clear()
        tags.set(alone(tag), patches)
      }
    }
    return patches
  }
  return new MarkupStream(rewrite, { encoding, needsContent: needs.content, readBytes })
}
