import type { FoundPlacement } from '../content/index.ts'
import { applyPatches, readAttributes, tagPatches } from '../markup/index.ts'
import { type CompiledSite, changesFor, type Decision, type Impact } from '../rules/index.ts'
import { Judge, type JudgedPlacement, type PlacementPage, tagNameEnd } from './set.ts'

/** A placement's start tag with a decision written into it. */
export function tagWith({ placement, facts }: JudgedPlacement, decision: Decision): string {
  const { tag, text, written } = placement
  const nameEnd = tagNameEnd(tag)
  const attributes = readAttributes(tag, nameEnd)
  const changes = changesFor(decision, facts, { html: tag, attributes, rel: written.rel, words: () => text })
  return applyPatches(tag, tagPatches(tag, { attributes, nameEnd }, changes))
}

/** How many of the links found on a page the rules would deliver otherwise than they are written. */
export function countChanged(
  found: readonly FoundPlacement[],
  page: Pick<PlacementPage, 'path' | 'writtenFor' | 'tags'>,
  site: CompiledSite,
): number {
  const judge = new Judge(site)
  const whole = { ...NO_PAGE, ...page }
  return found.filter(({ ordinal, start, tag, text, paragraph, ...written }) => {
    const judged = judge.judge({ page: whole, ordinal, start, tag, text, paragraph, written })
    return tagWith(judged, judged.decision) !== tag
  }).length
}
const NO_PAGE: PlacementPage = {
  id: '',
  path: '/',
  title: '',
  kind: 'page',
  version: 0,
  writtenFor: null,
  tags: [],
  words: null,
  waiting: [],
  baseHref: null,
  baseTarget: null,
}

/** An example of a kind of change, as it is shown. */
export interface ShownExample {
  readonly page: string
  readonly pageId: string
  readonly text: string
  readonly tagBefore: string
  readonly tagAfter: string
}

/** An impact with its examples as the tags before and after. @param after - decides an example by the new rules */
export function shownImpact(impact: Impact<JudgedPlacement>, after: (judged: JudgedPlacement) => Decision): Impact<ShownExample> {
  return {
    ...impact,
    groups: impact.groups.map((group) => ({
      ...group,
      examples: group.examples.map((judged) => ({
        page: judged.placement.page.path,
        pageId: judged.placement.page.id,
        text: judged.placement.text,
        tagBefore: tagWith(judged, judged.decision),
        tagAfter: tagWith(judged, after(judged)),
      })),
    })),
  }
}
