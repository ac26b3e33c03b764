import {
  addedAttribute,
  inOrder,
  type LinkRewriter,
  linkText,
  MarkupStream,
  PageReader,
  type PatchSet,
  readAttributes,
  type StreamOptions,
  scanLinks,
  tagPatches,
  valueNamed,
  type WrittenValue,
  writtenValue,
} from '../markup/index.ts'
import { type Alike, AlikeLinks, keepVariant, type Variant, variantOf } from './alike.ts'
import { changesFor, type Decision, decide } from './decide.ts'
import { BY_HAND, factsOf, type LinkFacts, type PageAround, plainHost, type ShortLinkFinder, TAGS } from './facts.ts'
import { type CompiledRule, needsOf, type RuleNeeds } from './rule.ts'
import { isPaid, tellerOf } from './telling.ts'
import { givenBack } from './theirs.ts'

/** Applies rules to a page as it passes. */
export type RuleStream = MarkupStream<Alike>

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
function sharing({ needs, links }: Known, around: PageAround): AlikeLinks | null {
  if (needs.address || (around.waiting !== undefined && around.waiting.size > 0)) return null
  return needs.place || around.sponsor !== undefined ? new AlikeLinks(around, plainHost(around)) : links
}

/** What answers the links of one page. */
function rewriterFor(rules: readonly CompiledRule[], around: PageAround, find: ShortLinkFinder, site: Known): LinkRewriter<Alike> {
  const { needs } = site
  const alike = sharing(site, around)
  const isPlain = plainHost(around) !== null
  const tell = tellerOf(around.paidWords)
  return {
    groupOf: (note, text, hasBase) => alike?.groupOf(note, text, isPlain && !hasBase) ?? null,
    quick: (group, note) => (needs.shows ? undefined : variantOf(group, note, null)?.answer),
    rewrite({ tag, element, content, isForeign, baseHref, baseTarget }, group, note, text): PatchSet | null {
      const nameEnd = element.length + 1
      const attributes = readAttributes(tag, nameEnd)
      const value = (name: string): string | null => valueNamed(tag, attributes, name)
      const href = value('href') ?? (isForeign ? value('xlink:href') : null)
      if (href === null) return null
      const whole = content === null ? null : `${tag}${content}</a>`
      const link = whole === null ? undefined : scanLinks(whole).links[0]
      const shows: LinkFacts['shows'] = element === 'area' || (link?.hasPicture === true && !link.hasText) ? 'picture' : 'text'
      const words = (): string => (whole === null || link === undefined ? '' : linkText(whole, link))
      const [rel, target, byHand, tags] = [value('rel'), value('target'), value(BY_HAND), value(TAGS)]
      const isOrdinary = byHand === null && tags === null
      const before = group === null || !isOrdinary ? undefined : variantOf(group, note, needs.content ? shows : null)
      const facts = before?.facts ?? factsOf({ href: href.trim(), rel, target, byHand, tags, shows, baseHref, baseTarget }, around, find)
      const decision = before?.decision ?? decide(rules, facts)
      const changes = changesFor(decision, facts, { html: tag, attributes, rel, words })
      if (group !== null && isOrdinary && before === undefined) {
        const { relStart, relEnd, targetStart, targetEnd, relNumber, targetNumber } = note
        const written = {
          rel: relStart === -1 ? null : text(relStart, relEnd),
          target: targetStart === -1 ? null : text(targetStart, targetEnd),
        }
        const answer = tell !== null && isPaid(decision.rel) ? undefined : answerFor(written, decision, changes)
        keepVariant(group, { relNumber, targetNumber, shows, facts, decision, answer }, `${written.rel}${written.target}`)
      }
      const patches = tagPatches(tag, { attributes, nameEnd }, changes)
      const renamed = around.isTheirs === true ? [] : givenBack(attributes)
      const told = tell === null || isForeign ? [] : tell(decision, { html: tag, attributes, element, start: 0, end: tag.length })
      return renamed.length + told.length === 0 ? patches : inOrder([...patches, ...renamed, ...told])
    },
  }
}

/**
 * A stream for one page.
 * @param encoding - of the page, by the Encoding standard, lower case
 */
export function ruleStream(
  rules: readonly CompiledRule[],
  around: PageAround,
  find: ShortLinkFinder,
  encoding: string,
  room?: StreamOptions['room'],
): RuleStream {
  const site = knownOf(rules, around)
  return new MarkupStream(rewriterFor(rules, around, find, site), { encoding, needsContent: site.needs.content, room })
}

/** How many links a page has, and how many of them the rules would change. */
export interface PageSurvey {
  readonly links: number
  readonly changes: number
}

/**
 * Reads a page and decides each of its links, without writing anything.
 * @param encoding - as for {@link ruleStream}
 */
export function surveyPage(
  page: Uint8Array,
  rules: readonly CompiledRule[],
  around: PageAround,
  find: ShortLinkFinder,
  encoding: string,
): PageSurvey {
  const site = knownOf(rules, around)
  const rewriter = rewriterFor(rules, around, find, site)
  let changes = 0
  const count = (): void => {
    changes++
  }
  const reader = new PageReader(rewriter, { encoding, needsContent: site.needs.content }, { quick: count, whole: count })
  reader.read(page, true)
  return { links: reader.links, changes }
}

/** The changes as they are written; undefined where another tag that is written alike may need others. */
function answerFor(
  written: Readonly<Record<string, string | null>>,
  { also }: Decision,
  changes: ReturnType<typeof changesFor>,
): Variant['answer'] {
  if (Object.keys(also).length > 0) return undefined
  const entries = Object.entries(changes)
  if (entries.length === 0) return null
  // To take an attribute off needs its name, and one without a value has no place for one.
  if (entries.some(([name, value]) => value === null || written[name] === '')) return undefined
  const isAdded = (name: string): boolean => written[name] === null
  const another = (name: 'rel' | 'target'): WrittenValue | null => {
    const value = isAdded(name) ? null : changes[name]
    return value === null || value === undefined ? null : writtenValue(value)
  }
  return {
    added: entries
      .filter(([name]) => isAdded(name))
      .map(([name, value]) => addedAttribute(name, value ?? ''))
      .join(''),
    rel: another('rel'),
    target: another('target'),
  }
}
