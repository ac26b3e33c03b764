import type { Node } from '@tiptap/pm/model'
import { escapeText, inkOf } from './ink.ts'
import { schema } from './schema.ts'

/** What is known of a node's source beyond its attributes. Nodes never change, so it holds for as long as they live. */
const sources = new WeakMap<Node, string>()
/** Of a text: its source as it was, when it was not written here. */
const raws = new WeakMap<Node, string>()
/** Of a line: where in its source each of its children begins. */
const leafPlaces = new WeakMap<Node, readonly number[]>()

export const keepSource = (node: Node, source: string): void => void sources.set(node, source)
export const keepRaw = (node: Node, raw: string): void => void raws.set(node, raw)
export const keepLeafPlaces = (node: Node, places: readonly number[]): void => void leafPlaces.set(node, places)

export const isVerbatim = (node: Node): boolean => node.type === schema.nodes.verbatim

/** The source of a text as it stands. */
export function rawOf(text: Node, verbatim: boolean): string {
  return raws.get(text) ?? escapeText(text.text ?? '', verbatim)
}

/** The source of a node, without its `lead`. A node that was read and not changed answers what was read, byte for byte. */
export function sourceOf(node: Node): string {
  const known = sources.get(node)
  if (known !== undefined) return known
  const made = write(node)
  sources.set(node, made)
  return made
}

/** Where the children of a line begin, in its source. */
export function leafPlacesOf(line: Node): readonly number[] {
  sourceOf(line)
  return leafPlaces.get(line) ?? []
}

export const leadOf = (node: Node): string => (node.type === schema.nodes.doc || node.isInline ? '' : String(node.attrs.lead))
export const openOf = (node: Node): string => (typeof node.attrs.open === 'string' ? node.attrs.open : '')
export function closeOf(node: Node): string {
  if (node.type === schema.nodes.doc) return String(node.attrs.tail)
  return typeof node.attrs.close === 'string' ? node.attrs.close : ''
}

function write(node: Node): string {
  if (node.isText) return rawOf(node, false)
  if (typeof node.attrs.raw === 'string') return node.attrs.raw
  return node.inlineContent ? writeLine(node) : writeBox(node)
}

function writeBox(node: Node): string {
  const parts = [openOf(node)]
  node.forEach((child, _, index) => {
    parts.push(leadOf(child), sourceOf(child))
    // An end tag may be left out only while what follows ends the element by itself.
    const next = index + 1 < node.childCount ? node.child(index + 1) : null
    if (next !== null && next.type === schema.nodes.bare && openOf(child) !== '' && !closeOf(child).includes('</'))
      parts.push(`</${child.attrs.name}>`)
  })
  parts.push(endTagOf(node))
  return parts.join('')
}

function endTagOf(node: Node): string {
  const close = closeOf(node)
  return openOf(node) === '' || close.includes('</') ? close : `${close}</${node.attrs.name}>`
}

function writeLine(node: Node): string {
  const verbatim = isVerbatim(node)
  const places: number[] = []
  let out = openOf(node)
  let active: readonly { attrs: { open?: unknown; close?: unknown } }[] = []
  node.forEach((child) => {
    let same = 0
    while (same < active.length && same < child.marks.length && active[same] === child.marks[same]) same++
    while (same < active.length && same < child.marks.length && child.marks[same]?.eq(active[same] as never)) same++
    for (let i = active.length - 1; i >= same; i--) out += String(active[i]?.attrs.close)
    for (let i = same; i < child.marks.length; i++) out += String(child.marks[i]?.attrs.open)
    active = child.marks
    places.push(out.length)
    out += child.isText ? rawOf(child, verbatim) : sourceOf(child)
  })
  for (let i = active.length - 1; i >= 0; i--) out += String(active[i]?.attrs.close)
  leafPlaces.set(node, places)
  return out + (node.type === schema.nodes.bare ? '' : endTagOf(node))
}

/** Fewest shown units that a changed text must share with an old one to take over its source. */
const KIN = 1

/**
 * Hands the source of texts that were replaced on to those that took their place, so that references and line ends which
 * nobody touched stay as they were written.
 */
export function inheritRaws(before: readonly Node[], after: readonly Node[]): void {
  const old: { node: Node; verbatim: boolean }[] = []
  const living = new Set<Node>()
  const gather = (nodes: readonly Node[], take: (text: Node, line: Node) => void): void => {
    for (const node of nodes) {
      const children = node.children
      if (!node.inlineContent) gather(children, take)
      else for (const child of children) if (child.isText) take(child, node)
    }
  }
  gather(after, (text) => {
    living.add(text)
  })
  gather(before, (text, line) => {
    if (!living.has(text) && raws.has(text)) old.push({ node: text, verbatim: isVerbatim(line) })
  })
  if (old.length === 0) return
  gather(after, (text, line) => {
    if (raws.has(text)) return
    const wanted = text.text ?? ''
    let best: { raw: string; kin: number } | null = null
    for (const { node, verbatim } of old) {
      if (verbatim !== isVerbatim(line)) continue
      const shown = node.text ?? ''
      const most = Math.min(shown.length, wanted.length)
      let head = 0
      while (head < most && shown.charCodeAt(head) === wanted.charCodeAt(head)) head++
      let tail = 0
      while (tail < most - head && shown.charCodeAt(shown.length - 1 - tail) === wanted.charCodeAt(wanted.length - 1 - tail)) tail++
      if (head + tail < KIN || (best !== null && head + tail <= best.kin)) continue
      const raw = raws.get(node) ?? ''
      const { at } = inkOf(raw, shown, verbatim)
      const middle = escapeText(wanted.slice(head, wanted.length - tail), verbatim)
      best = { kin: head + tail, raw: raw.slice(0, at[head]) + middle + raw.slice(at[shown.length - tail]) }
    }
    if (best !== null) raws.set(text, best.raw)
  })
}
