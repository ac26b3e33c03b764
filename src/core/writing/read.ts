import type { Node } from '@tiptap/pm/model'
import { parse, parseFragment } from 'parse5'
import { Leaves } from './leaves.ts'
import { type Child, DEPTH_MAX, type Element, isBlank, isElement, isText, type Range, rangeOf, tagsOf, WRAPS, words } from './nodes.ts'
import { schema } from './schema.ts'
import { keepLeafPlaces, keepSource, sourceOf } from './source.ts'

/** A page taken apart for writing: `head`, what is written on, `foot`; put together they are the page's source. */
export interface WritingPage {
  readonly head: string
  readonly doc: Node
  readonly foot: string
}

/** Elements that hold blocks, or words where they hold no block. */
const BOXES = words(
  'div section article main header footer aside nav figure details center hgroup address search dl fieldset blockquote dd dt a ins del',
)

/** Elements that hold words alone. */
const LINES = words('p h1 h2 h3 h4 h5 h6 figcaption summary dt dd caption legend')

/** Elements that show nothing: among words they do not make a box of the line. */
const UNSEEN = words('script style template noscript')

/** Elements that mean something in their own parent alone. */
const PARTS = words('li tr td th thead tbody tfoot caption')

/** Tells whether an element is shown as a block of its own rather than among words. */
export function isBlockElement(node: Child): boolean {
  if (!isElement(node)) return false
  const { tagName } = node
  if (tagName === 'a' || tagName === 'ins' || tagName === 'del') return node.childNodes.some(isBlockElement)
  return (
    BOXES.has(tagName) ||
    LINES.has(tagName) ||
    /^(?:ul|ol|menu|dir|li|table|thead|tbody|tfoot|tr|td|th|pre|hr|form|script|style|template|noscript|dialog|listing|xmp)$/.test(tagName)
  )
}

/**
 * Reads a page for writing. The parser is the HTML standard's (parse5), so the blocks are those a browser builds; what it
 * builds otherwise than it is written (misnested tags, foster-parented content) is kept as one thing, byte for byte.
 * @returns null for a page that has no body to write on (a frameset)
 */
export function readWriting(html: string): WritingPage | null {
  const tree = parse(html, { sourceCodeLocationInfo: true })
  const root = tree.childNodes.find((node): node is Element => node.nodeName === 'html')
  const body = root?.childNodes.find((node): node is Element => node.nodeName === 'body')
  if (body === undefined) return null
  const place = body.sourceCodeLocation
  const to = place?.endTag?.startOffset ?? html.length - (/<\/html[\s/]*>\s*$/i.exec(html)?.[0].length ?? 0)
  const first = body.childNodes.map((child) => child.sourceCodeLocation?.startOffset).find((at) => at !== undefined)
  const from = place?.startTag?.endOffset ?? Math.min(first ?? to, to)
  return { head: html.slice(0, from), doc: new Reader(html).doc(body.childNodes, { from, to }), foot: html.slice(to) }
}

/** Reads a piece of source that is to be put into a page. */
export function readPiece(html: string): Node {
  const tree = parseFragment(html, { sourceCodeLocationInfo: true })
  return new Reader(html).doc(tree.childNodes, { from: 0, to: html.length })
}

class Reader {
  readonly #html: string

  constructor(html: string) {
    this.#html = html
  }

  doc(children: readonly Child[], range: Range): Node {
    const { nodes, tail } = this.#blocks(children, range, 0, null)
    const doc = schema.nodes.doc.create({ tail }, nodes)
    const source = this.#html.slice(range.from, range.to)
    if (written(nodes, tail) === source) {
      keepSource(doc, source)
      return doc
    }
    return schema.nodes.doc.create({ tail: '' }, [this.#thing('page', '', range)])
  }

  /** The blocks of a container. @param only - names that may stand in it besides things; null for any block */
  #blocks(
    children: readonly Child[],
    range: Range,
    depth: number,
    only: ((element: Element) => boolean) | null,
  ): { nodes: Node[]; tail: string } {
    const nodes: Node[] = []
    let at = range.from
    let run: Child[] = []
    const endRun = (upTo: number): void => {
      const members = run
      run = []
      const source = this.#html.slice(at, upTo)
      if (members.length === 0 || isBlank(source)) return
      const lead = /^[\t\n\f\r ]*/.exec(source)?.[0] ?? ''
      const tail = /[\t\n\f\r ]*$/.exec(source)?.[0] ?? ''
      const inner = { from: at + lead.length, to: upTo - tail.length }
      // A logo or a row of pictures beside blocks is chosen and linked, not written on.
      if (only === null && members.some(hasWords)) nodes.push(this.#bare(members, lead, inner, depth))
      else nodes.push(this.#thing(nameOf(members.find((each) => !isText(each)) ?? members[0]), lead, inner))
      at = inner.to
    }
    for (const { members, from, to } of this.#groups(children, range)) {
      const [node] = members
      if (node === undefined) continue
      const isBlock = members.length > 1 ? members.some((each) => !isText(each)) : isBlockElement(node)
      if (!isBlock && !(only !== null && !isText(node))) {
        // A comment or an embedded thing between blocks stands for itself.
        if (run.length > 0 && !isText(node) && !isInk(node) && !run.some(isInk)) endRun(from)
        run.push(node)
        if (!isText(node) && !isInk(node) && !run.some(isInk)) endRun(to)
        continue
      }
      endRun(from)
      const lead = this.#html.slice(at, from)
      if (!isBlank(lead)) {
        // Something stands here that the parser dropped (a stray end tag): it goes along with what follows.
        nodes.push(this.#thing('stray', '', { from: at, to: from }))
        at = from
      }
      const kept = this.#html.slice(at, from)
      const isFit = members.length === 1 && isElement(node) && (only === null ? !PARTS.has(node.tagName) : only(node))
      nodes.push(isFit ? this.#block(node, kept, { from, to }, depth) : this.#thing(nameOf(node), kept, { from, to }))
      at = to
    }
    endRun(range.to)
    const tail = this.#html.slice(at, range.to)
    if (isBlank(tail)) return { nodes, tail }
    nodes.push(this.#thing('stray', '', { from: at, to: range.to }))
    return { nodes, tail: '' }
  }

  /** Children with where they stand in the source; those that stand in one another are taken together. */
  #groups(children: readonly Child[], range: Range): { members: Child[]; from: number; to: number }[] {
    const groups: { members: Child[]; from: number; to: number }[] = []
    for (const child of children) {
      const place = rangeOf(child)
      if (place === null || place.from >= range.to) continue
      const from = Math.max(place.from, range.from)
      const to = Math.min(place.to, range.to)
      const last = groups[groups.length - 1]
      if (last !== undefined && from < last.to) {
        last.members.push(child)
        last.from = Math.min(last.from, from)
        last.to = Math.max(last.to, to)
        // Growing forward may swallow what came before it.
        while (groups.length > 1 && (groups[groups.length - 2]?.to ?? 0) > last.from) {
          const before = groups.splice(groups.length - 2, 1)[0]
          if (before === undefined) break
          last.members.unshift(...before.members)
          last.from = Math.min(before.from, last.from)
        }
      } else if (to >= from) groups.push({ members: [child], from, to })
    }
    return groups
  }

  #thing(name: string, lead: string, { from, to }: Range): Node {
    return schema.nodes.thing.create({ name, lead, raw: this.#html.slice(from, to) })
  }

  #block(element: Element, lead: string, range: Range, depth: number): Node {
    const { tagName: name, childNodes: children } = element
    const tags = tagsOf(element, range, this.#html)
    const asThing = (): Node => this.#thing(name, lead, range)
    if (tags === null || depth > DEPTH_MAX) return asThing()
    const attrs = { name, lead, open: tags.open, close: tags.close }
    const inside = { from: range.from + tags.open.length, to: range.to - tags.close.length }
    const hasBlocks = children.some((child) => isBlockElement(child) && !UNSEEN.has(child.nodeName))
    const finish = (type: (typeof schema.nodes)[string], only: ((element: Element) => boolean) | null): Node => {
      const { nodes, tail } = this.#blocks(children, inside, depth + 1, only)
      // Room to write in: a cell, an item or a box is never without a line.
      if (nodes.length === 0 && only === null) nodes.push(schema.nodes.bare.create())
      const node = type?.createChecked({ ...attrs, close: tail + tags.close }, nodes)
      if (node === undefined) return asThing()
      return this.#checked(node, range) ?? asThing()
    }
    const { nodes } = schema
    switch (name) {
      case 'ul':
      case 'ol':
        return finish(nodes.list, ({ tagName }) => tagName === 'li')
      case 'li':
        return finish(nodes.item, null)
      case 'table':
        return finish(nodes.table, ({ tagName }) => /^(?:thead|tbody|tfoot|tr|caption)$/.test(tagName))
      case 'thead':
      case 'tbody':
      case 'tfoot':
        return finish(nodes.part, ({ tagName }) => tagName === 'tr')
      case 'tr':
        return finish(nodes.row, ({ tagName }) => tagName === 'td' || tagName === 'th')
      case 'td':
      case 'th':
        return finish(nodes.cell, null)
      case 'blockquote':
        return finish(nodes.quote, null)
      case 'caption':
        return this.#line(nodes.caption, attrs, children, inside, range, depth) ?? asThing()
      case 'pre':
        return this.#line(nodes.verbatim, attrs, children, inside, range, depth) ?? asThing()
    }
    if (!hasBlocks && (LINES.has(name) || BOXES.has(name)))
      return this.#line(nodes.line, attrs, children, inside, range, depth) ?? asThing()
    return BOXES.has(name) ? finish(nodes.box, null) : asThing()
  }

  /** A node as it was read; null when it would be written otherwise. */
  #checked(node: Node, { from, to }: Range): Node | null {
    const source = this.#html.slice(from, to)
    const inner: Node[] = []
    node.forEach((child) => void inner.push(child))
    if (String(node.attrs.open) + written(inner, String(node.attrs.close)) !== source) return null
    keepSource(node, source)
    return node
  }

  #line(
    type: (typeof schema.nodes)[string],
    attrs: { name: string; lead: string; open: string; close: string },
    children: readonly Child[],
    inside: Range,
    range: Range,
    depth: number,
  ): Node | null {
    if (type === undefined) return null
    const verbatim = type === schema.nodes.verbatim
    let { open, close } = attrs
    let { from, to } = inside
    if (verbatim) {
      const end = /^(?:\r\n|\n|\r)/.exec(this.#html.slice(from, from + 2))?.[0] ?? '' // not shown when it comes first
      open += end
      from += end.length
    } else {
      const body = this.#html.slice(from, to)
      const lead = /^[\t\n\f\r ]*/.exec(body)?.[0] ?? ''
      const tail = lead.length === body.length ? '' : (/[\t\n\f\r ]*$/.exec(body)?.[0] ?? '')
      open += lead
      close = tail + close
      from += lead.length
      to -= tail.length
    }
    const leaves = new Leaves(this.#html, range.from, verbatim)
    leaves.take(children, [], { from, to }, depth)
    const { nodes, places } = leaves.done()
    const node = type.create({ ...attrs, open, close }, nodes)
    keepSource(node, this.#html.slice(range.from, range.to))
    keepLeafPlaces(node, places)
    return node.childCount === nodes.length ? node : null
  }

  #bare(children: readonly Child[], lead: string, range: Range, depth: number): Node {
    const leaves = new Leaves(this.#html, range.from, false)
    leaves.take(children, [], range, depth)
    const { nodes, places } = leaves.done()
    const node = schema.nodes.bare.create({ lead }, nodes)
    keepSource(node, this.#html.slice(range.from, range.to))
    keepLeafPlaces(node, places)
    return node.childCount === nodes.length ? node : this.#thing('text', lead, range)
  }
}

const written = (nodes: readonly Node[], close: string): string =>
  nodes.map((node) => String(node.attrs.lead) + sourceOf(node)).join('') + close

const nameOf = (node: Child | undefined): string =>
  node === undefined ? '' : isElement(node) ? node.tagName : node.nodeName.replace(/^#/, '')

/** Something a person could write on. */
const hasWords = (node: Child): boolean =>
  isText(node) ? !isBlank(node.value) : isElement(node) && isInk(node) && node.childNodes.some(hasWords)

/** Words, pictures and what goes around words: what a person writes in a line. */
const isInk = (node: Child): boolean =>
  isText(node) ? !isBlank(node.value) : isElement(node) && (node.tagName === 'img' || node.tagName === 'br' || WRAPS.has(node.tagName))
