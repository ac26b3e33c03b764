import type { Node } from '@tiptap/pm/model'
import { freshInk, heldSpaces, type Ink, inheritedInk, inkHolding, isSound, type Piece, readInk } from './ink.ts'
import { schema } from './schema.ts'

/** What is known of a node's source beyond its attributes. Nodes never change, so it holds for as long as they live. */
const sources = new WeakMap<Node, string>()
/** Of a text that was read, or whose words came from one that was. A text without is written from its words. */
const inks = new WeakMap<Node, Ink>()
/** Of a text that was read: its source. Most texts of a page are never asked for more. */
const raws = new WeakMap<Node, { readonly raw: string; readonly isVerbatim: boolean }>()

/** Where the children of a line begin in its source, and the ink of its texts as they stand in that line. */
interface LinePlaces {
  readonly places: readonly number[]
  readonly inks: readonly (Ink | null)[] | null
}
const linePlaces = new WeakMap<Node, LinePlaces>()

export const keepSource = (node: Node, source: string): void => void sources.set(node, source)
/** @param isVerbatim - it was read where white space is kept */
export const keepRaw = (node: Node, raw: string, isVerbatim: boolean): void => void raws.set(node, { raw, isVerbatim })
export const keepLeafPlaces = (node: Node, places: readonly number[]): void => void linePlaces.set(node, { places, inks: null })

export const isVerbatim = (node: Node): boolean => node.type === schema.nodes.verbatim

/** The ink of a text by itself; the line it stands in may have to hold some of its spaces. */
function inkOf(text: Node): Ink {
  const known = inks.get(text)
  if (known !== undefined) return known
  const read = raws.get(text)
  const ink = read === undefined ? freshInk(text.text ?? '') : readInk(read.raw, text.text ?? '', read.isVerbatim)
  inks.set(text, ink)
  return ink
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
  return linePlaces.get(line)?.places ?? []
}

/** The ink of a text as it stands in its line. */
export function inkIn(line: Node, index: number): Ink {
  sourceOf(line)
  return linePlaces.get(line)?.inks?.[index] ?? inkOf(line.child(index))
}

export const leadOf = (node: Node): string => (node.type === schema.nodes.doc || node.isInline ? '' : String(node.attrs.lead))
export const openOf = (node: Node): string => (typeof node.attrs.open === 'string' ? node.attrs.open : '')
export function closeOf(node: Node): string {
  if (node.type === schema.nodes.doc) return String(node.attrs.tail)
  return typeof node.attrs.close === 'string' ? node.attrs.close : ''
}

function write(node: Node): string {
  if (node.isText) return inkOf(node).raw
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
  const lineInks = inksOf(node)
  const places: number[] = []
  let out = openOf(node)
  // The first line end in a `pre` is not shown: where the words begin with one, it takes two.
  if (isVerbatim(node) && node.textContent.startsWith('\n') && !/[\r\n]$/.test(out)) out += '\n'
  let active: readonly { attrs: { open?: unknown; close?: unknown } }[] = []
  node.forEach((child, _offset, index) => {
    let same = 0
    while (same < active.length && same < child.marks.length && active[same] === child.marks[same]) same++
    while (same < active.length && same < child.marks.length && child.marks[same]?.eq(active[same] as never)) same++
    for (let i = active.length - 1; i >= same; i--) out += String(active[i]?.attrs.close)
    for (let i = same; i < child.marks.length; i++) out += String(child.marks[i]?.attrs.open)
    active = child.marks
    places.push(out.length)
    out += lineInks[index]?.raw ?? (isBared(node, index) ? String(child.attrs.raw).replace(/>[\t\n\f\r ]+(?=<)/g, '>') : sourceOf(child))
  })
  for (let i = active.length - 1; i >= 0; i--) out += String(active[i]?.attrs.close)
  linePlaces.set(node, { places, inks: lineInks })
  return out + (node.type === schema.nodes.bare ? '' : endTagOf(node))
}

/** A blank piece that no longer comes behind a space, where its own would be shown. */
function isBared(line: Node, index: number): boolean {
  if (line.child(index).attrs.name !== 'blank') return false
  if (isVerbatim(line)) return true
  const before = line.children.slice(0, index).findLast((child) => pieceOf(child) !== 'unseen')
  return before !== undefined && before.type !== schema.nodes.br && before.text?.endsWith(' ') !== true
}

/** The ink of each text of a line, so that a browser shows the line as it stands here; null for what is no text. */
function inksOf(line: Node): (Ink | null)[] {
  const { children } = line
  if (isVerbatim(line)) return children.map((child) => (child.isText ? verbatimInk(child) : null))
  const pieces = children.map(pieceOf)
  const held = heldSpaces(pieces)
  const nexts: (Piece | undefined)[] = []
  for (let i = pieces.length - 1, next: Piece | undefined; i >= 0; i--) {
    nexts[i] = next
    if (pieces[i] !== 'unseen') next = pieces[i]
  }
  let seen: Piece | undefined
  return children.map((child, index) => {
    const before = seen
    if (pieces[index] !== 'unseen') seen = pieces[index]
    if (!child.isText) return null
    const next = nexts[index]
    const lead = before === undefined || before === 'break' || (held === null && typeof before === 'object' && before.text.endsWith(' '))
    const trail = next === undefined || next === 'break'
    return inkHolding(inkOf(child), held?.[index], { lead, trail })
  })
}

/** Words that came from where white space is folded may not read the same where it is kept. */
function verbatimInk(text: Node): Ink {
  const ink = inkOf(text)
  return isSound(ink.raw, text.text ?? '', true) ? ink : freshInk(text.text ?? '')
}

function pieceOf(child: Node): Piece {
  if (child.isText) return { text: child.text ?? '' }
  if (child.type === schema.nodes.br) return 'break'
  return isUnseen(String(child.attrs.name ?? '')) ? 'unseen' : 'object'
}

/** White space on both sides of these is folded as if they were not there: "blank" is formatting around nothing, or around a space that is folded. */
export const isUnseen = (name: string): boolean => name === 'comment' || name === 'stray' || name === 'blank'

/** Fewest shown units that a changed text must share with an old one to take over its source. */
const KIN = 1

interface OldText {
  readonly text: Node
  readonly shown: string
  readonly isVerbatim: boolean
}

/**
 * Hands the source of texts that were replaced on to those that took their place, so that references and line ends which
 * nobody touched stay as they were written.
 */
export function inheritInks(before: readonly Node[], after: readonly Node[]): void {
  const living = new Set<Node>()
  forEachText(after, (text) => void living.add(text))
  const old: OldText[] = []
  forEachText(before, (text, line) => {
    if (!living.has(text)) old.push({ text, shown: text.text ?? '', isVerbatim: isVerbatim(line) })
  })
  if (old.length === 0) return
  forEachText(after, (text, line) => {
    if (inks.has(text) || raws.has(text)) return
    const verbatim = isVerbatim(line)
    const wanted = text.text ?? ''
    let best: { from: OldText; head: number; tail: number } | null = null
    for (const from of old) {
      if (verbatim !== from.isVerbatim) continue
      const { head, tail } = kinOf(from.shown, wanted)
      if (head + tail >= KIN && (best === null || head + tail > best.head + best.tail)) best = { from, head, tail }
    }
    if (best !== null) inks.set(text, inheritedInk(inkOf(best.from.text), best.from.shown, wanted, best.head, best.tail, verbatim))
  })
}

function forEachText(nodes: readonly Node[], take: (text: Node, line: Node) => void): void {
  for (const node of nodes) {
    const { children } = node
    if (!node.inlineContent) forEachText(children, take)
    else for (const child of children) if (child.isText) take(child, node)
  }
}

/** How many units two texts share at their start and at their end. */
function kinOf(shown: string, wanted: string): { head: number; tail: number } {
  const most = Math.min(shown.length, wanted.length)
  let head = 0
  while (head < most && shown.charCodeAt(head) === wanted.charCodeAt(head)) head++
  let tail = 0
  while (tail < most - head && shown.charCodeAt(shown.length - 1 - tail) === wanted.charCodeAt(wanted.length - 1 - tail)) tail++
  return { head, tail }
}
