import type { Node } from '@tiptap/pm/model'
import {
  applyPatches,
  attributeValue,
  escapeAttribute,
  firstElement,
  type Patch,
  readAttributes,
  tagPatches,
  walkTags,
} from '../markup/index.ts'
import { readWriting } from './read.ts'
import { schema } from './schema.ts'
import { sourceOf } from './source.ts'

const escapeText = (text: string): string => text.replaceAll('&', '&amp;').replaceAll('<', '&lt;')

/** What a page looks like when a site has none to take after. */
const PLAIN = (title: string, language: string): string =>
  `<!doctype html>\n<html lang="${language}">\n<head>\n  <meta charset="utf-8">\n  <meta name="viewport" content="width=device-width, initial-scale=1">\n  <title>${title}</title>\n</head>\n<body>\n  <main>\n    <h1>${title}</h1>\n    <p></p>\n  </main>\n</body>\n</html>\n`

/**
 * A new page with the look of another: its head, header, footer and the box its text stands in, without its text.
 * @param model - source of the other page; null for a plain one
 * @param from - path of the other page. Addresses relative to it are written so that they hold from everywhere
 * @param language - of a plain one, as a tag of BCP 47
 */
export function pageLike(model: string | null, from: string, title: string, language = 'en'): string {
  const name = escapeText(title)
  const page = model === null ? null : readWriting(model)
  if (model === null || page === null) return PLAIN(name, language)
  const best = boxWithMostWords(page.doc)
  const emptied = best === null ? applyToBody(page.doc, name) : replaceIn(page.doc, best, name)
  const source = page.head + emptied + page.foot
  const old = firstElement(source, 'title')
  const titled = old === null ? source : `${source.slice(0, old.start)}<title>${name}</title>${source.slice(old.end)}`
  return rooted(titled, from)
}

/** The box that holds the most words in lines of its own: where a page's text stands. Null for the body itself. */
function boxWithMostWords(doc: Node): Node | null {
  let best: { node: Node | null; words: number } = { node: null, words: wordsIn(doc) }
  doc.descendants((node) => {
    if (node.type === schema.nodes.box) {
      const words = wordsIn(node)
      if (words > best.words) best = { node, words }
    }
    return node.type === schema.nodes.box
  })
  return best.node
}

function wordsIn(node: Node): number {
  return node.children.reduce((sum, child) => {
    const isText = child.type === schema.nodes.line && /^(?:p|h[1-6])$/.test(String(child.attrs.name))
    return sum + (isText || child.type === schema.nodes.list || child.type === schema.nodes.quote ? child.textContent.length : 0)
  }, 0)
}

function emptyContent(lead: string, heading: Node | undefined, title: string): string {
  const open = heading === undefined ? '<h1>' : withoutName(String(heading.attrs.open))
  return `${lead}${open}${title}</h1>${lead}<p></p>`
}

/** A heading's start tag for another page: its name in the page stays with the one it had. */
function withoutName(tag: string): string {
  const nameEnd = 1 + 'h1'.length
  return applyPatches(tag, tagPatches(tag, { attributes: readAttributes(tag, nameEnd), nameEnd }, { id: null })).trimEnd()
}

const headingOf = (node: Node): Node | undefined => node.children.find((child) => child.attrs.name === 'h1')
const leadOf = (node: Node): string => String(node.firstChild?.attrs.lead ?? '') || '\n'

function applyToBody(doc: Node, title: string): string {
  return `${emptyContent(leadOf(doc), headingOf(doc), title)}\n`
}

function replaceIn(doc: Node, box: Node, title: string): string {
  const write = (node: Node): string => {
    if (node === box) return `${node.attrs.open}${emptyContent(leadOf(node), headingOf(node), title)}${node.attrs.close}`
    let holds = false
    node.descendants((each) => {
      if (each === box) holds = true
      return !holds
    })
    if (!holds) return sourceOf(node)
    const inner = node.children.map((child) => String(child.attrs.lead) + write(child)).join('')
    return node === doc ? inner + String(doc.attrs.tail) : `${node.attrs.open}${inner}${node.attrs.close}`
  }
  return write(doc)
}

const BASE = 'http://site.invalid'

/** Writes relative addresses from the site's root, so that they hold whatever the new page's path is. */
function rooted(html: string, from: string): string {
  const patches: Patch[] = []
  walkTags(html, {
    open(_name, _start, nameEnd, _end, inert) {
      if (inert) return
      for (const attribute of readAttributes(html, nameEnd)) {
        if (!/^(?:href|src|action|poster)$/.test(attribute.name) || attribute.valueStart === attribute.valueEnd) continue
        const value = attributeValue(html, attribute).trim()
        if (/^(?:[a-z][a-z0-9+.-]*:|\/|#|\?)/i.test(value) || !URL.canParse(value, BASE + from)) continue
        const { pathname, search, hash } = new URL(value, BASE + from)
        patches.push({ from: attribute.nameEnd, to: attribute.end, insert: `="${escapeAttribute(pathname + search + hash)}"` })
      }
    },
  })
  return applyPatches(html, patches)
}
