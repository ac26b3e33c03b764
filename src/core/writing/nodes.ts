import type { DefaultTreeAdapterTypes as Tree } from 'parse5'

export const words = (list: string): ReadonlySet<string> => new Set(list.split(' '))

export const isBlank = (text: string): boolean => !/[^\t\n\f\r ]/.test(text)

export const WRAPS = words(
  'a abbr acronym b bdi bdo big cite code data del dfn em font i ins kbd label mark nobr q s samp small span strike strong sub sup time tt u var',
)

/** Blocks deeper than this are kept and not written on; browsers stop at 512. */
export const DEPTH_MAX = 60

export type Element = Tree.Element

export type Child = Tree.ChildNode

export interface Range {
  readonly from: number
  readonly to: number
}

export const isElement = (node: Child): node is Element => 'tagName' in node

export const isText = (node: Child): node is Tree.TextNode => node.nodeName === '#text'

/** Where a node stands; for an element that HTML puts in by itself, where its content stands. Null for nothing at all. */
export function rangeOf(node: Child): Range | null {
  const place = node.sourceCodeLocation
  if (place !== undefined && place !== null) return { from: place.startOffset, to: place.endOffset }
  if (!isElement(node)) return null
  const inner = node.childNodes.map(rangeOf).filter((range) => range !== null)
  return inner.length === 0 ? null : { from: Math.min(...inner.map(({ from }) => from)), to: Math.max(...inner.map(({ to }) => to)) }
}

/** An element's tags as written, "" for those left out; null when what it spans begins or ends otherwise. */
export function tagsOf(element: Element, { from, to }: Range, html: string): { open: string; close: string } | null {
  const place = element.sourceCodeLocation
  if (place === undefined || place === null) return { open: '', close: '' }
  if (!('startTag' in place) || place.startTag === undefined) return null
  const { startTag, endTag } = place
  if (startTag.startOffset !== from) return null
  if (endTag === undefined) return { open: html.slice(from, startTag.endOffset), close: '' }
  return endTag.endOffset === to ? { open: html.slice(from, startTag.endOffset), close: html.slice(endTag.startOffset, to) } : null
}

/** Tells whether an element holds nothing but spaces, notes and further formatting. */
export const isBlankWithin = (element: Element): boolean =>
  element.childNodes.every((child) =>
    isElement(child) ? WRAPS.has(child.tagName) && isBlankWithin(child) : !isText(child) || isBlank(child.value),
  )

/** Tells whether an element has any text, be it a space alone, or a picture. */
export const holdsText = (element: Element): boolean =>
  hasInk(element) || element.childNodes.some((child) => isText(child) || (isElement(child) && holdsText(child)))

/** Tells whether an element shows words or pictures; one that does not (an anchor, an icon) is kept as it is. */
export function hasInk(element: Element): boolean {
  return element.childNodes.some((child) =>
    isText(child) ? !isBlank(child.value) : isElement(child) && (child.tagName === 'img' || hasInk(child)),
  )
}
