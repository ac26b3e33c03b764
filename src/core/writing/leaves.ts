import type { Mark, Node } from '@tiptap/pm/model'
import { walkTags } from '../markup/index.ts'
import { shownText } from './ink.ts'
import {
  type Child,
  DEPTH_MAX,
  type Element,
  hasInk,
  holdsText,
  isBlankWithin,
  isElement,
  isText,
  type Range,
  rangeOf,
  tagsOf,
  WRAPS,
} from './nodes.ts'
import { schema } from './schema.ts'
import { isUnseen, keepRaw } from './source.ts'

/** Gathers the words and pictures of a line. */
export class Leaves {
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
