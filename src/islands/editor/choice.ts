import {
  applyPatches,
  attributeValue,
  differenceOf,
  escapeAttribute,
  linkPicture,
  linkText,
  type Patch,
  type PatchSet,
  readAttributes,
  setLink,
  tagPatches,
  unwrapLink,
  wrapLink,
} from '../../core/markup/index.ts'
import { ok, type Result } from '../../core/result.ts'
import {
  BY_HAND,
  type CompiledSite,
  changesFor,
  type Decision,
  type DeliveredLink,
  decide,
  factsOf,
  type HandAnswers,
  handAnswersOf,
  handChanges,
  type LinkFacts,
  writtenLink,
} from '../../core/rules/index.ts'
import type { Analysis } from './analysis.ts'
import type { Stretch } from './frame/messages.ts'

/** What a person has picked on the page: words to link, a link, a picture, or nothing. Offsets are of the source. */
export type Choice =
  | { readonly kind: 'nothing' }
  | { readonly kind: 'words'; readonly from: number; readonly to: number; readonly words: string }
  | { readonly kind: 'link'; readonly start: number }
  | { readonly kind: 'picture'; readonly start: number }

/** A stretch of the source that is selected; equal offsets are a caret. */
export interface Selected extends Stretch {
  readonly words: string
}

/** What a selection means: a picture alone, words to link, or the link that the caret stands in. */
export function choiceAt({ delivered, pictures }: Pick<Analysis, 'delivered' | 'pictures'>, { from, to, words }: Selected): Choice {
  if (from < to) {
    const inside = pictures.filter(({ start, end }) => start >= from && end <= to)
    const [picture] = inside
    if (words === '' && inside.length === 1 && picture !== undefined) return { kind: 'picture', start: picture.start }
    return words === '' ? { kind: 'nothing' } : { kind: 'words', from, to, words }
  }
  const within = delivered.filter(({ link }) => link.start < from && from <= Math.max(link.end, link.contentEnd))
  const link = within[within.length - 1]?.link
  return link === undefined ? { kind: 'nothing' } : { kind: 'link', start: link.start }
}

/** Where a place stands after a change of the text; one inside of what changed stands at its start. */
const movedPlace = (at: number, { from, to, insert }: Patch): number =>
  at <= from ? at : at >= to ? at + insert.length - (to - from) : from

export const movedStretch = ({ from, to }: Stretch, change: Patch): Stretch => ({
  from: movedPlace(from, change),
  to: movedPlace(to, change),
})

/** The same choice after a change of the text. */
export function movedChoice(choice: Choice, change: Patch): Choice {
  if (choice.kind === 'nothing') return choice
  if (choice.kind === 'words') return { ...choice, ...movedStretch(choice, change) }
  const start = movedPlace(choice.start, change)
  return start === choice.start ? choice : { ...choice, start }
}

/** A link as it would be delivered if it stood in the page with this destination and these answers. */
export interface Prospect {
  readonly facts: LinkFacts
  readonly decision: Decision
  readonly tag: string
}

/** Works a new link out before it is made. */
export function prospect(
  site: CompiledSite,
  path: string,
  href: string,
  answers: HandAnswers,
  marks: { writtenFor?: string | null; tags?: readonly string[]; words?: string } = {},
): Prospect {
  const changes = handChanges({ rel: null, target: null, byHand: null }, answers)
  const facts = factsOf(
    {
      href,
      rel: changes.rel ?? null,
      target: changes.target ?? null,
      byHand: changes[BY_HAND] ?? '',
      tags: null,
      shows: 'text',
      baseHref: null,
      baseTarget: null,
    },
    site.around(path, marks),
    site.findShortLink,
  )
  const decision = decide(site.rules, facts)
  const bare = `<a href="${escapeAttribute(href)}">`
  const attributes = readAttributes(bare, 2)
  const written = { html: bare, attributes, rel: null, words: () => marks.words ?? '' }
  const tag = applyPatches(
    bare,
    tagPatches(bare, { attributes, nameEnd: 2 }, changesFor(decision, { ...facts, rel: [], target: null }, written)),
  )
  return { facts, decision, tag }
}

/** Patches that link the chosen words, or the chosen picture. */
export function makeLink(
  text: string,
  choice: Extract<Choice, { kind: 'words' | 'picture' }>,
  href: string,
  answers: HandAnswers,
  downloads = false,
): Result<PatchSet> {
  const attributes = { href, ...(downloads ? { download: '' } : {}), ...handChanges({ rel: null, target: null, byHand: null }, answers) }
  if (choice.kind === 'picture') return linkPicture(text, choice.start, attributes)
  return wrapLink(text, choice.from, choice.to, attributes)
}

/** Patches that give a link another destination or other answers. */
export function changeLink(
  text: string,
  { link }: DeliveredLink,
  change: { href?: string; answers?: HandAnswers; downloads?: boolean },
): Result<PatchSet> {
  const written = writtenLink(text, link, { baseHref: null, baseTarget: null })
  const hand = change.answers === undefined ? (written.byHand === null ? { [BY_HAND]: '' } : {}) : handChanges(written, change.answers)
  const patches = setLink(text, link.start, {
    ...(change.href === undefined ? {} : { href: change.href }),
    ...(change.downloads === undefined ? {} : { download: change.downloads ? '' : null }),
    ...hand,
  })
  return patches.ok ? ok(patches.value) : patches
}

/** Patches that take a link from where it hangs to other words, with all its attributes. */
export function moveLink(
  text: string,
  link: DeliveredLink['link'],
  words: { readonly from: number; readonly to: number },
): Result<PatchSet> {
  const attributes = Object.fromEntries(link.attributes.map((attribute) => [attribute.name, attributeValue(text, attribute)]))
  const off = unwrapLink(text, link.start)
  if (!off.ok) return off
  const without = applyPatches(text, off.value)
  const moved = (at: number): number =>
    off.value.reduce((place, { from, to, insert }) => (from < at ? place - (Math.min(to, at) - from) + insert.length : place), at)
  const on = wrapLink(without, moved(words.from), moved(words.to), attributes)
  if (!on.ok) return on
  const change = differenceOf(text, applyPatches(without, on.value))
  return ok(change === null ? [] : [change])
}

/** The answers that stand on a link now. */
export const answersOn = (text: string, { link }: DeliveredLink): HandAnswers =>
  handAnswersOf(writtenLink(text, link, { baseHref: null, baseTarget: null }))

/** A link's start tag as it is delivered. */
export function deliveredTag(text: string, { link, facts, decision }: DeliveredLink): string {
  const changes = changesFor(decision, facts, { html: text, attributes: link.attributes, rel: link.rel, words: () => linkText(text, link) })
  const patches = tagPatches(text, link, changes).map(({ from, to, insert }) => ({ from: from - link.start, to: to - link.start, insert }))
  return applyPatches(text.slice(link.start, link.end), patches)
}
