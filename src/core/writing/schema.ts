import { type Attrs, type DOMOutputSpec, type Mark, type Node, Schema } from '@tiptap/pm/model'
import { attributeValue, readAttributes } from '../markup/index.ts'

/**
 * The page as a person writes on it. Every node carries the source it came from: `lead` is what stands between it and the
 * sibling before it (white space), `open` and `close` are its tags as written, `raw` is the whole source of what is not
 * written on but kept. What a node does not carry is its text, which {@link sourceOf} knows.
 */
export interface BlockAttrs extends Attrs {
  readonly name: string
  readonly lead: string
  readonly open: string
  /** With the white space in front of it; "" where HTML lets the end tag be left out. */
  readonly close: string
}

const element = (name: string): { [key: string]: { default: string } } => ({
  name: { default: name },
  lead: { default: '' },
  open: { default: `<${name}>` },
  close: { default: `</${name}>` },
})

/** Attributes that would make a shown page act or take the pointer away from the writer. */
const UNSHOWN = /^(?:on|contenteditable$|autofocus$|draggable$|tabindex$|accesskey$|hidden$|inert$|popover$)/
const NAME = /^[a-z_:][\w:.-]*$/
const shownAttributes = new Map<string, Readonly<Record<string, string>>>()

/** The attributes of a start tag that a browser may show. */
export function attributesOf(open: string): Readonly<Record<string, string>> {
  const known = shownAttributes.get(open)
  if (known !== undefined) return known
  const found: Record<string, string> = {}
  const nameEnd = /^\s*<[^\s/>]+/.exec(open)?.[0].length ?? 0
  for (const attribute of readAttributes(open, nameEnd)) {
    if (NAME.test(attribute.name) && !UNSHOWN.test(attribute.name) && !(attribute.name in found))
      found[attribute.name] = attributeValue(open, attribute)
  }
  if (shownAttributes.size > 5_000) shownAttributes.clear()
  shownAttributes.set(open, found)
  return found
}

const asElement = (node: Node): DOMOutputSpec => [String(node.attrs.name), attributesOf(String(node.attrs.open)), 0]
const ofMark = (mark: Mark): DOMOutputSpec => [String(mark.attrs.name), attributesOf(String(mark.attrs.open)), 0]

/**
 * What the page editor understands. Names of elements are attributes of a few general nodes, so that whatever a site's
 * pages are built of is shown as it is: `box` holds blocks, `line` holds words, `bare` is words beside blocks.
 */
export const schema = new Schema({
  nodes: {
    doc: { content: 'block*', attrs: { tail: { default: '' } } },
    line: {
      group: 'block',
      content: 'inline*',
      attrs: element('p'),
      defining: true,
      selectable: false,
      toDOM: asElement,
      parseDOM: [{ tag: 'p' }],
    },
    verbatim: {
      group: 'block',
      content: 'inline*',
      attrs: element('pre'),
      code: true,
      whitespace: 'pre',
      defining: true,
      selectable: false,
      toDOM: asElement,
    },
    bare: {
      group: 'block',
      content: 'inline*',
      attrs: { lead: { default: '' } },
      selectable: false,
      toDOM: () => ['span', { style: 'display:block', 'data-bare': '' }, 0],
    },
    box: { group: 'block', content: 'block*', attrs: element('div'), isolating: true, defining: true, selectable: false, toDOM: asElement },
    quote: { group: 'block', content: 'block*', attrs: element('blockquote'), defining: true, selectable: false, toDOM: asElement },
    list: { group: 'block', content: '(item | thing)*', attrs: element('ul'), selectable: false, toDOM: asElement },
    item: { content: 'block*', attrs: element('li'), defining: true, selectable: false, toDOM: asElement },
    table: {
      group: 'block',
      content: '(part | row | caption | thing)*',
      attrs: element('table'),
      isolating: true,
      selectable: false,
      toDOM: asElement,
    },
    caption: { content: 'inline*', attrs: element('caption'), defining: true, selectable: false, toDOM: asElement },
    part: { content: '(row | thing)*', attrs: element('tbody'), selectable: false, toDOM: asElement },
    row: { content: '(cell | thing)*', attrs: element('tr'), selectable: false, toDOM: asElement },
    cell: { content: 'block*', attrs: element('td'), isolating: true, selectable: false, toDOM: asElement },
    thing: {
      group: 'block',
      atom: true,
      draggable: true,
      attrs: { name: { default: '' }, lead: { default: '' }, raw: { default: '' } },
      toDOM: (node) => ['div', { 'data-thing': String(node.attrs.name) }],
    },
    text: { group: 'inline' },
    image: {
      group: 'inline',
      inline: true,
      draggable: true,
      attrs: { raw: { default: '' } },
      toDOM: (node) => ['img', attributesOf(String(node.attrs.raw))],
    },
    br: {
      group: 'inline',
      inline: true,
      selectable: false,
      attrs: { raw: { default: '<br>' } },
      toDOM: () => ['br'],
      parseDOM: [{ tag: 'br' }],
    },
    bit: {
      group: 'inline',
      inline: true,
      atom: true,
      draggable: true,
      attrs: { name: { default: '' }, raw: { default: '' } },
      toDOM: (node) => ['span', { 'data-thing': String(node.attrs.name) }],
    },
  },
  marks: {
    /**
     * Any inline element around words. One kind for all, so that their nesting stays as written. `turn` tells two equal
     * neighbours apart, which would else become one.
     */
    wrap: {
      attrs: { name: {}, open: {}, close: {}, turn: { default: 0 } },
      excludes: '',
      toDOM: ofMark,
      parseDOM: ['b', 'strong', 'i', 'em', 'u', 's', 'code', 'sub', 'sup'].map((name) => ({
        tag: name,
        getAttrs: () => ({ name, open: `<${name}>`, close: `</${name}>` }),
      })),
    },
  },
})

/** A mark for a plain element that is put around words. */
export const wrapOf = (name: string, open = `<${name}>`): Mark => schema.mark('wrap', { name, open, close: `</${name}>`, turn: 0 })

/** The attributes of a block whose element is another one from now on; class and other attributes stay. */
export function renamed(attrs: Attrs, name: string): BlockAttrs {
  const open = String(attrs.open).replace(/^<[^\s/>]+/, `<${name}`)
  const close = /<\/[^\s>]+/.test(String(attrs.close)) ? String(attrs.close).replace(/<\/[^\s>]+/, `</${name}`) : `${attrs.close}</${name}>`
  return { name, lead: String(attrs.lead), open, close }
}
