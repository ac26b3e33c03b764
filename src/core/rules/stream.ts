import {
  addedAttribute,
  LinkSpans,
  linkText,
  MarkupStream,
  type PatchSet,
  type QuickRewriter,
  readAttributes,
  readTag,
  type StreamedTag,
  scanLinks,
  tagPatches,
  valueNamed,
} from '../markup/index.ts'
import { type Alike, AlikeLinks, keepVariant, type Variant, variantOf } from './alike.ts'
import { changesFor, type Decision, decide } from './decide.ts'
import { BY_HAND, factsOf, type LinkFacts, type PageAround, plainHost, type ShortLinkFinder, TAGS } from './facts.ts'
import { type CompiledRule, needsOf, type RuleNeeds } from './rule.ts'

/** Attributes of ours that say more of a link than where it leads and how. */
const WATCHED = [BY_HAND, TAGS]
const NONE: PatchSet = []

/** What is known of the links of one host's pages, under one list of rules. */
interface Known {
  readonly needs: RuleNeeds
  readonly partnerSites: ReadonlySet<string>
  readonly links: AlikeLinks
}
const known = new WeakMap<readonly CompiledRule[], Map<string, Known>>()

function knownOf(rules: readonly CompiledRule[], around: PageAround): Known {
  const host = around.page.slice(0, around.page.indexOf('/', around.page.indexOf('//') + 2))
  const hosts = known.get(rules) ?? new Map<string, Known>()
  known.set(rules, hosts)
  const before = hosts.get(host)
  if (before?.partnerSites === around.partnerSites) return before
  const made = { needs: needsOf(rules), partnerSites: around.partnerSites, links: new AlikeLinks(around, plainHost(around)) }
  hosts.set(host, made)
  return made
}

/** Links alike that share an answer: on all pages of a host, on this page alone where rules ask what stands around, or none. */
function sharing({ needs, links }: Known, { waiting, sponsor, ...around }: PageAround): AlikeLinks | null {
  if (needs.address || (waiting !== undefined && waiting.size > 0)) return null
  return needs.place || sponsor !== undefined ? new AlikeLinks(around, plainHost(around)) : links
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
  const site = knownOf(rules, around)
  const { needs } = site
  const alike = sharing(site, around)
  const isPlain = plainHost(around) !== null
  const quick: QuickRewriter | undefined =
    alike === null || needs.shows
      ? undefined
      : {
          watched: WATCHED,
          answer(text, spans, hasBase) {
            if (spans.hrefStart === -1) return null
            if (spans.isWatched) return undefined
            const group = alike.groupOf(text, spans, isPlain && !hasBase)
            return group === null ? undefined : variantOf(group, text, spans, null)?.answer
          },
        }

  const spans = new LinkSpans(WATCHED)
  const groupOf = ({ tag, element, isForeign, baseHref, baseTarget }: StreamedTag): Alike | null => {
    if (alike === null || isForeign || baseTarget !== null) return null
    readTag(tag, element.length + 1, spans.of(tag), { end: -1, selfClosing: false })
    return spans.isWatched ? null : alike.groupOf(tag, spans, isPlain && baseHref === null)
  }
  const rewrite = (met: StreamedTag): PatchSet => {
    const { tag, element, content, isForeign, baseHref, baseTarget } = met
    const nameEnd = element.length + 1
    const attributes = readAttributes(tag, nameEnd)
    const value = (name: string): string | null => valueNamed(tag, attributes, name)
    const href = value('href') ?? (isForeign ? value('xlink:href') : null)
    if (href === null) return NONE
    const whole = content === null ? null : `${tag}${content}</a>`
    const link = whole === null ? undefined : scanLinks(whole).links[0]
    const shows: LinkFacts['shows'] = element === 'area' || (link?.hasPicture === true && !link.hasText) ? 'picture' : 'text'
    const words = (): string => (whole === null || link === undefined ? '' : linkText(whole, link))
    const group = groupOf(met)
    const before = group === null ? undefined : variantOf(group, tag, spans, needs.content ? shows : null)
    const rel = value('rel')
    const facts =
      before?.facts ??
      factsOf(
        { href: href.trim(), rel, target: value('target'), byHand: value(BY_HAND), tags: value(TAGS), shows, baseHref, baseTarget },
        around,
        find,
      )
    const decision = before?.decision ?? decide(rules, facts)
    const changes = changesFor(decision, facts, { html: tag, attributes, rel, words })
    if (group !== null && before === undefined) keepVariant(group, variantFrom(tag, spans, { shows, facts, decision }, changes))
    return tagPatches(tag, { attributes, nameEnd }, changes)
  }
  return new MarkupStream(rewrite, { encoding, needsContent: needs.content, readBytes, quick })
}

function variantFrom(
  tag: string,
  { relStart, relEnd, targetStart, targetEnd }: LinkSpans,
  decided: Pick<Variant, 'shows' | 'facts' | 'decision'>,
  changes: ReturnType<typeof changesFor>,
): Variant {
  const rel = relStart === -1 ? null : tag.slice(relStart, relEnd)
  const target = targetStart === -1 ? null : tag.slice(targetStart, targetEnd)
  return { ...decided, rel, target, answer: answerFor(rel, target, decided.decision, changes) }
}

/** The changes as they are written; undefined where another tag that is written alike may need others. */
function answerFor(
  rel: string | null,
  target: string | null,
  { also }: Decision,
  changes: ReturnType<typeof changesFor>,
): Variant['answer'] {
  if (Object.keys(also).length > 0) return undefined
  const entries = Object.entries(changes)
  if (entries.length === 0) return null
  const written: Readonly<Record<string, string | null>> = { rel, target }
  // To take an attribute off needs its name, and one without a value has no place for one.
  if (entries.some(([name, value]) => value === null || written[name] === '')) return undefined
  const isAdded = (name: string): boolean => written[name] === null
  const another = (name: 'rel' | 'target'): string | null => (isAdded(name) ? null : (changes[name] ?? null))
  return {
    added: entries
      .filter(([name]) => isAdded(name))
      .map(([name, value]) => addedAttribute(name, value ?? ''))
      .join(''),
    rel: another('rel'),
    target: another('target'),
  }
}
