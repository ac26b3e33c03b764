import type { Node } from '@tiptap/pm/model'
import type { NodeView } from '@tiptap/pm/view'
import { attributesOf } from '../../../core/writing/index.ts'
import { loadHere, shownAt } from './resources.ts'

const NAMES: Readonly<Record<string, string>> = {
  comment: 'note in the source',
  blank: 'mark around nothing',
  script: 'script',
  style: 'style',
  link: 'style sheet',
  template: 'template',
  noscript: 'part for readers without scripts',
  form: 'form',
  iframe: 'embedded page',
  svg: 'drawing',
  hr: 'rule',
  video: 'video',
  audio: 'sound',
  canvas: 'canvas',
  select: 'choice',
  input: 'field',
  textarea: 'field',
  button: 'form button',
  a: 'link that shows nothing',
  b: 'mark',
  i: 'mark',
  em: 'mark',
  strong: 'mark',
  span: 'mark',
  img: 'picture',
  picture: 'picture',
  math: 'formula',
  map: 'map of a picture',
  table: 'table',
  page: 'page whose markup is too broken to be written on here',
  stray: 'stray markup',
}

/** What an element is called by people who do not write markup. */
const wordsFor = (name: string): string => NAMES[name] ?? 'piece of the page'

/** What cannot be seen in a page: shown as a small label instead. */
const UNSEEN = new Set(['comment', 'script', 'style', 'link', 'template', 'noscript', 'iframe', 'object', 'embed', 'stray', 'meta', 'base'])

/** Shared parts by "block name" or "menu name", rendered. */
export type Parts = Readonly<Record<string, string>>

/** The name of the shared part that a comment puts in; null for other comments. */
export function partNamed(raw: string): string | null {
  const found = /^<!--\s*(block|menu):\s*([a-z0-9-]+)\s*-->$/.exec(raw.trim())
  return found === null ? null : `${found[1]} ${found[2]}`
}

/**
 * Shows what is kept as it is. It can be chosen, moved and deleted; nothing in it can be typed into or acts.
 * @param parts - asked each time, as shared parts come in later than the page
 */
export function thingView(node: Node, parts: () => Parts): NodeView {
  const raw = String(node.attrs.raw)
  const name = String(node.attrs.name)
  const dom = document.createElement(node.isInline ? 'span' : 'div')
  dom.contentEditable = 'false'
  const part = name === 'comment' ? partNamed(raw) : null
  const label = part === null ? wordsFor(name) : `shared ${part}`
  dom.setAttribute('data-thing', label)
  if (part !== null) dom.setAttribute('data-part', part)
  dom.title = part === null ? `A ${label}. It stays as it is in the source.` : `A ${label}, the same on every page`
  const shown = part === null ? (UNSEEN.has(name) ? null : raw) : (parts()[part] ?? null)
  if (shown === null) dom.append(chip(label))
  else dom.append(inert(shown))
  if (name === 'style' || name === 'link') dom.append(inert(raw, true))
  return { dom, ignoreMutation: () => true, stopEvent: () => false }
}

function chip(label: string): HTMLElement {
  const made = document.createElement('span')
  made.setAttribute('data-chip', '')
  made.textContent = label
  return made
}

/** Markup as a picture of itself: what would load, run, or send the reader away is left out. */
function inert(html: string, isStyle = false): DocumentFragment {
  const template = document.createElement('template')
  template.innerHTML = html
  const out = isStyle ? 'meta,base,script' : 'meta,base,script,object,embed,style,link'
  for (const each of template.content.querySelectorAll(out)) each.remove()
  for (const each of template.content.querySelectorAll('iframe,template,noscript')) each.replaceWith(chip(wordsFor(each.localName)))
  for (const each of template.content.querySelectorAll('[autofocus]')) each.removeAttribute('autofocus')
  loadHere(template.content)
  return template.content
}

/** A picture. `src` may be relative: the document's base stands. */
export function imageView(node: Node): NodeView {
  const dom = document.createElement('img')
  for (const [name, value] of Object.entries(attributesOf(String(node.attrs.raw))))
    if (name !== 'srcset') dom.setAttribute(name, name === 'src' ? shownAt(value) : value)
  return { dom }
}
