import type { Mark, Node } from '@tiptap/pm/model'
import { parse, parseFragment, type DefaultTreeAdapterTypes as Tree } from 'parse5'
import { walkTags } from '../markup/index.ts'
import { shownText } from './ink.ts'
import { schema } from './schema.ts'
import { isUnseen, keepLeafPlaces, keepRaw, keepSource, sourceOf } from './source.ts'

/** A page taken apart for writing: `head`, what is written on, `foot`; put together they are the page's source. */
export interface WritingPage {
  readonly head: string
  readonly doc: Node
  readonly foot: string
}

const words = (list: string): ReadonlySet<string> => new Set(list.split(' '))
/** Elements that hold blocks, or words where they hold no block. */
const BOXES = words(
  'div section article main header footer aside nav figure details center hgroup address search dl fieldset blockquote dd dt a ins del',
)
/** Elements that hold words alone. */
const LINES = words('p h1 h2 h3 h4 h5 h6 figcaption summary dt dd caption legend')
export const WRAPS = words(
  'a abbr acronym b bdi bdo big cite code data del dfn em font i ins kbd label mark nobr q s samp small span strike strong sub sup time tt u var',
)
/** Elements that show nothing: among words they do not make a box of the line. */
const UNSEEN = words('script style template noscript')
/** Elements that mean something in their own parent alone. */
const PARTS = words('li tr td th thead tbody tfoot caption')
/** Blocks deeper than this are kept and not written on; browsers stop at 512. */
const DEPTH_MAX = 60

type Element = Tree.Element
type Child = Tree.ChildNode

interface Range {
  readonly from: number
  readonly to: number
}

const isElement = (node: Child): node is Element => 'tagName' in node
const isText = (node: Child): node is Tree.TextNode => node.nodeName === '#text'
const isBlank = (text: string): boolean => !/[^\t\n\f\r ]/.test(text)

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

/** Where a node stands; for an element that HTML puts in by itself, where its content stands. Null for nothing at all. */
function rangeOf(node: Child): Range | null {
  const place = node.sourceCodeLocation
  if (place !== undefined && place !== null) return { from: place.startOffset, to: place.endOffset }
  if (!isElement(node)) return null
  const inner = node.childNodes.map(rangeOf).filter((range) => range !== null)
  return inner.length === 0 ? null : { from: Math.min(...inner.map(({ from }) => from)), to: Math.max(...inner.map(({ to }) => to)) }
}

/** An element's tags as written, "" for those left out; null when what it spans begins or ends otherwise. */
function tagsOf(element: Element, { from, to }: Range, html: string): { open: string; close: string } | null {
  const place = element.sourceCodeLocation
  if (place === undefined || place === null) return { open: '', close: '' }
  if (!('startTag' in place) || place.startTag === undefined) return null
  const { startTag, endTag } = place
  if (startTag.startOffset !== from) return null
  if (endTag === undefined) return { open: html.slice(from, startTag.endOffset), close: '' }
  return endTag.endOffset === to ? { open: html.slice(from, startTag.endOffset), close: html.slice(endTag.startOffset, to) } : null
}

/** Gathers the words and pictures of a line. */
class Leaves {
  readonly #html: string
  readonly #start: number
  readonly #verbatim: boolean
  readonly #leaves: { node: Node; place: number; end: number; raw: string | null }[] = []
  #endsInSpace = true
  #turns = new Map<string, number>()

  constructor(html: string, start: number, verbatim: boolean) {
    this.#html = html
    this.#start = start
    this.#verbatim = verbatim
  }

  take(children: readonly Child[], marks: readonly Mark[], within: Range, depth: number): void {
    for (const child of children) {
      const place = rangeOf(child)
      if (place === null) continue
      const from = Math.max(place.from, within.from)
      const to = Math.min(place.to, within.to)
      if (to < from || (to === from && isText(child))) continue
      if (isText(child)) this.#text(this.#html.slice(from, to), from, marks)
      else if (isElement(child)) this.#element(child, marks, { from, to }, depth)
      else this.#bit('comment', { from, to }, marks)
    }
  }

  /** A run of text. Tags that the parser passed over may stand in it (an end tag of nothing): they are kept and not shown. */
  #text(raw: string, from: number, marks: readonly Mark[]): void {
    if (!raw.includes('<')) return this.#run(raw, from, marks)
    let at = 0
    const strayUpTo = (end: number): void => {
      if (end > at) this.#bit('stray', { from: from + at, to: from + end }, marks)
      at = end
    }
    walkTags(raw, {
      text: (start, end) => {
        strayUpTo(start)
        this.#run(raw.slice(start, end), from + start, marks)
        at = end
      },
    })
    strayUpTo(raw.length)
  }

  #run(raw: string, from: number, marks: readonly Mark[]): void {
    const shown = shownText(raw, this.#endsInSpace, this.#verbatim)
    if (shown === '') return
    this.#endsInSpace = !this.#verbatim && shown.endsWith(' ')
    this.#leaves.push({ node: schema.text(shown, marks), place: from - this.#start, end: from + raw.length - this.#start, raw })
  }

  #element(element: Element, marks: readonly Mark[], range: Range, depth: number): void {
    const { tagName: name } = element
    if (name === 'br') {
      this.#endsInSpace = true
      return this.#leaf(schema.nodes.br.create({ raw: this.#html.slice(range.from, range.to) }, null, marks), range)
    }
    if (name === 'img') {
      this.#endsInSpace = false
      return this.#leaf(schema.nodes.image.create({ raw: this.#html.slice(range.from, range.to) }, null, marks), range)
    }
    const tags = tagsOf(element, range, this.#html)
    const isWhole = tags !== null && tags.open !== '' && tags.close.includes('</')
    if (!isWhole || !WRAPS.has(name) || depth > DEPTH_MAX) return this.#bit(name, range, marks)
    if (!hasInk(element)) {
      if (!isBlankWithin(element)) return this.#bit(name, range, marks)
      if (this.#endsInSpace || !holdsText(element)) return this.#bit('blank', range, marks)
    }
    const key = `${marks.length} ${tags.open}`
    const turn = this.#turns.get(key) ?? 0
    this.#turns.set(key, 1 - turn)
    const mark = schema.mark('wrap', { name, open: tags.open, close: tags.close, turn })
    const inside = { from: range.from + tags.open.length, to: range.to - tags.close.length }
    this.take(element.childNodes, [...marks, mark], inside, depth + 1)
  }

  #bit(name: string, range: Range, marks: readonly Mark[]): void {
    const raw = this.#html.slice(range.from, range.to)
    if (raw === '') return
    if (!isUnseen(name)) this.#endsInSpace = false
    this.#leaf(schema.nodes.bit.create({ name, raw }, null, marks), range)
  }

  #leaf(node: Node, { from, to }: Range): void {
    this.#leaves.push({ node, place: from - this.#start, end: to - this.#start, raw: null })
  }

  /** The leaves in order, texts that cannot be told apart put together; a space at the end of a line is not shown. */
  done(): { nodes: Node[]; places: number[] } {
    const last = this.#leaves[this.#leaves.length - 1]
    if (last?.node.isText === true && !this.#verbatim && last.node.text?.endsWith(' ') === true) {
      const cut = last.node.text.slice(0, -1)
      if (cut !== '') last.node = schema.text(cut, last.node.marks)
      else if (last.node.marks.length === 0) this.#leaves.pop() // with a mark it is kept: a link may hang on a space
    }
    const nodes: Node[] = []
    const places: number[] = []
    let joined: { raw: string } | null = null
    for (const { node, place, raw } of this.#leaves) {
      const before = nodes[nodes.length - 1]
      if (before !== undefined && joined !== null && raw !== null && node.isText && before.sameMarkup(node)) {
        const both: Node = schema.text((before.text ?? '') + (node.text ?? ''), node.marks)
        joined.raw += raw
        nodes[nodes.length - 1] = both
        keepRaw(both, joined.raw, this.#verbatim)
        continue
      }
      nodes.push(node)
      places.push(place)
      joined = raw === null ? null : { raw }
      if (raw !== null) keepRaw(node, raw, this.#verbatim)
    }
    return { nodes, places }
  }
}

/** Tells whether an element holds nothing but spaces, notes and further formatting. */
const isBlankWithin = (element: Element): boolean =>
  element.childNodes.every((child) =>
    isElement(child) ? WRAPS.has(child.tagName) && isBlankWithin(child) : !isText(child) || isBlank(child.value),
  )

/** Tells whether an element has any text, be it a space alone, or a picture. */
const holdsText = (element: Element): boolean =>
  hasInk(element) || element.childNodes.some((child) => isText(child) || (isElement(child) && holdsText(child)))

/** Tells whether an element shows words or pictures; one that does not (an anchor, an icon) is kept as it is. */
function hasInk(element: Element): boolean {
  return element.childNodes.some((child) =>
    isText(child) ? !isBlank(child.value) : isElement(child) && (child.tagName === 'img' || hasInk(child)),
  )
}
