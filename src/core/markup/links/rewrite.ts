import { applyPatches, type Patch, type PatchSet } from '../bytes/index.ts'
import { attributeNamed, attributeValue, escapeAttribute } from '../tags/index.ts'
import { type LinkTag, type PageLinks, scanLinks } from './links.ts'

/** New values by attribute name in lower case: text to set, null to take the attribute off. Names left out stay as they are. */
export type AttributeChanges = Readonly<Record<string, string | null>>

/**
 * The smallest patches that give a start tag these attributes. Quoting, order, case and spacing of everything else stay.
 * An attribute whose decoded value is already right is not touched, so twice equals once.
 */
export function tagPatches(html: string, link: Pick<LinkTag, 'attributes' | 'nameEnd'>, changes: AttributeChanges): PatchSet {
  const patches: Patch[] = []
  let added = ''
  for (const [name, value] of Object.entries(changes)) {
    const present = attributeNamed(link.attributes, name)
    if (value === null) {
      // A duplicate left behind would start to count once the first is gone.
      for (const attribute of link.attributes) if (attribute.name === name) patches.push(removal(html, attribute.start, attribute.end))
    } else if (present === null) added += addedAttribute(name, value)
    else if (attributeValue(html, present) !== value) {
      const { nameEnd, valueStart, valueEnd } = present
      patches.push(
        valueStart > nameEnd
          ? valuePatch(html.charCodeAt(valueStart - 1), valueStart, valueEnd, writtenValue(value))
          : { from: nameEnd, to: nameEnd, insert: `="${escapeAttribute(value)}"` },
      )
    }
  }
  if (added !== '') {
    const at = placeForNew(link, patches)
    patches.push({ from: at, to: at, insert: added })
  }
  return patches.sort((a, b) => a.from - b.from || a.to - b.to)
}

/** A value as it is written where another one stood: between double quotes, between single ones, and in none. */
export interface WrittenValue {
  readonly double: string
  /** Null where it cannot stand between them: then they go too. */
  readonly single: string | null
  readonly bare: string
}

export function writtenValue(value: string): WrittenValue {
  const double = escapeAttribute(value)
  return { double, single: value.includes("'") ? null : value.replaceAll('&', '&amp;'), bare: `"${double}"` }
}

/**
 * Another value for an attribute that has one, in its own quotes where it can stand in them. Only the value changes.
 * @param before - the character before the value: its quote, or any other where it stands in none
 * @param valueStart - and `valueEnd`: of the value without its quotes
 */
export function valuePatch(before: number, valueStart: number, valueEnd: number, { double, single, bare }: WrittenValue): Patch {
  if (before === 0x22) return { from: valueStart, to: valueEnd, insert: double }
  if (before !== 0x27) return { from: valueStart, to: valueEnd, insert: bare }
  return single === null ? { from: valueStart - 1, to: valueEnd + 1, insert: bare } : { from: valueStart, to: valueEnd, insert: single }
}

/** A new attribute as it is written into a tag, with the space before it. */
export const addedAttribute = (name: string, value: string): string => ` ${name}="${escapeAttribute(value)}"`

/**
 * New attributes go behind the destination, where people look for them; where that is not safe (`href=` without a value
 * would take the next word for it) they go right behind the tag name, which always is.
 */
function placeForNew(link: Pick<LinkTag, 'attributes' | 'nameEnd'>, patches: PatchSet): number {
  const href = attributeNamed(link.attributes, 'href') ?? attributeNamed(link.attributes, 'xlink:href')
  if (href === null || (href.quote === '' && href.valueEnd === href.valueStart)) return link.nameEnd
  return patches.some((patch) => patch.to > href.start && patch.from <= href.end) ? link.nameEnd : href.end
}

/** Takes the white space before an attribute along, so that no gap is left; one separator always remains. */
function removal(html: string, start: number, end: number): Patch {
  let from = start
  while (from > 0 && /\s/.test(html.charAt(from - 1))) from--
  const next = html.charAt(end)
  const isSeparated = next === '>' || next === '/' || /\s/.test(next)
  return { from: isSeparated ? from : start, to: end, insert: '' }
}

/** Patches of one tag in the order of their places. */
export const inOrder = (patches: Patch[]): PatchSet => patches.sort((a, b) => a.from - b.from || a.to - b.to)

/** What {@link rewriteLinks} answers: the new text, the patches that led there, and the links as they were. */
export interface Rewritten extends PageLinks {
  readonly html: string
  readonly patches: PatchSet
}

/**
 * Gives links new attributes. Only start tags whose attributes change are touched; every other character stays.
 * @param decide - the changes for one link; an empty object leaves it alone
 * @param more - further patches of a link's tag, and of what is said in front of it and right behind it
 */
export function rewriteLinks(
  html: string,
  decide: (link: LinkTag, page: PageLinks) => AttributeChanges,
  more?: (link: LinkTag) => Patch[],
): Rewritten {
  const page = scanLinks(html)
  const patches: Patch[] = []
  for (const link of page.links) {
    const changed = tagPatches(html, link, decide(link, page))
    const others = more?.(link) ?? []
    for (const patch of others.length === 0 ? changed : inOrder([...changed, ...others])) patches.push(patch)
  }
  return { ...page, html: applyPatches(html, patches), patches }
}
