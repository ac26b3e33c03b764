import { type Attribute, isSpace, readTag, type TagEnd } from './attributes.ts'
import { Content, count, isRawElement, Nesting } from './nesting.ts'

/** Receives what a walk over a page meets, in source order. Offsets are UTF-16 code units; ends are exclusive. */
export interface TagSink {
  /** Start tags whose attributes `open` gets; for others it gets none, which is faster. */
  readonly wants?: ReadonlySet<string>
  /**
   * A start tag. `name` is in lower case. `inert` inside `template`, whose content is no part of the page;
   * `foreign` for elements of SVG and MathML.
   */
  open?(name: string, start: number, nameEnd: number, end: number, inert: boolean, foreign: boolean, attributes: readonly Attribute[]): void
  /** An end tag. */
  close?(name: string, start: number, end: number, inert: boolean): void
  /** The content of a `noscript` begins, or ends: what is open outside of it is not closed in it, nor the other way round. */
  apart?(begins: boolean, at: number): void
  /** A comment, with its dashes. */
  comment?(start: number, end: number, inert: boolean): void
  /** Character data between tags, undecoded. Raw text (scripts, styles, titles, text areas) is not handed over. */
  text?(start: number, end: number, inert: boolean): void
}

const NO_ATTRIBUTES: readonly Attribute[] = []

/**
 * Walks the tags of a page as the tokenizer of the HTML standard would see them, with as much of tree construction
 * as decides what is markup at all: raw text elements, escaped script data, foreign content and its CDATA, `template`, `select`.
 * Where the standard's tree builder would drop a tag altogether (an `a` inside a `frameset`) it is still handed over.
 *
 * What stands in `noscript` is read as markup, as readers without scripts and search engines do; but it ends where it ends
 * for a reader whose scripts run, and with it all that was opened in it.
 */
export function walkTags(html: string, sink: TagSink): void {
  walk(html, 0, sink, 0, false)
}

/** @param templates - open around it. @param inNoscript - `html` ends where a `noscript` does */
function walk(html: string, start: number, sink: TagSink, templates: number, inNoscript: boolean): void {
  const length = html.length
  const tag: TagEnd = { end: -1, selfClosing: false }
  const nesting = new Nesting(start, templates, (from, to) => openBetween(html, from, to))
  const plain = searchOnward(html, '-->')
  const bang = searchOnward(html, '--!>')
  const cdata = searchOnward(html, ']]>')
  let textStart = start
  let from = start
  const flush = (end: number): void => {
    if (end > textStart) sink.text?.(textStart, end, nesting.templates > 0)
  }

  while (from < length) {
    const lt = html.indexOf('<', from)
    if (lt === -1 || lt + 1 >= length) break
    const c = html.charCodeAt(lt + 1)
    if (isLetter(c)) {
      const nameEnd = endOfName(html, lt + 2)
      const name = html.slice(lt + 1, nameEnd).toLowerCase()
      const attributes: Attribute[] | null = sink.wants?.has(name) === true ? [] : null
      readTag(html, nameEnd, attributes, tag)
      if (tag.end === -1) break
      flush(lt)
      from = tag.end
      const inert = nesting.templates > 0
      const content = nesting.enter(html, name, nameEnd, from, tag.selfClosing, from)
      sink.open?.(name, lt, nameEnd, from, inert, content === Content.Foreign, attributes ?? NO_ATTRIBUTES)
      if (content === Content.OfItsName) {
        if (name !== 'noscript') from = afterRawText(html, name, from)
        else if (!inNoscript) {
          const end = endOfRaw(html, name, from)
          sink.apart?.(true, from)
          walk(html.slice(0, end), from, sink, nesting.templates, true)
          sink.apart?.(false, end)
          from = end
        }
      }
      textStart = from
      // The end tag of raw text starts at `from` now and is read like any other.
    } else if (c === 0x2f) {
      const first = html.charCodeAt(lt + 2)
      if (isLetter(first)) {
        const nameEnd = endOfName(html, lt + 3)
        readTag(html, nameEnd, null, tag)
        if (tag.end === -1) break
        flush(lt)
        const name = html.slice(lt + 2, nameEnd).toLowerCase()
        nesting.leave(name, lt)
        sink.close?.(name, lt, tag.end, nesting.templates > 0)
        from = tag.end
      } else if (Number.isNaN(first)) break
      else {
        flush(lt)
        from = afterMark(html, '>', lt + 2)
      }
      textStart = from
    } else if (c === 0x21) {
      flush(lt)
      if (html.startsWith('--', lt + 2)) {
        from = afterComment(html, lt, plain, bang)
        sink.comment?.(lt, from, nesting.templates > 0)
      } else from = afterDeclaration(html, lt, nesting.isForeign, cdata)
      textStart = from
    } else if (c === 0x3f) {
      flush(lt)
      from = afterMark(html, '>', lt + 2)
      textStart = from
    } else from = lt + 1
  }
  // A tag that the source breaks off in is dropped; anything else left over is text.
  if (textStart < length) flush(from < length && isMarkupStart(html, from) ? html.indexOf('<', from) : length)
}

function isMarkupStart(html: string, from: number): boolean {
  const lt = html.indexOf('<', from)
  return lt !== -1 && (isLetter(html.charCodeAt(lt + 1)) || (html.charCodeAt(lt + 1) === 0x2f && isLetter(html.charCodeAt(lt + 2))))
}

const isLetter = (code: number): boolean => (code >= 0x61 && code <= 0x7a) || (code >= 0x41 && code <= 0x5a)

function endOfName(html: string, from: number): number {
  let i = from
  for (; i < html.length; i++) {
    const c = html.charCodeAt(i)
    if (c === 0x3e || c === 0x2f || isSpace(c)) break
  }
  return i
}

function afterMark(html: string, mark: string, from: number): number {
  const at = html.indexOf(mark, from)
  return at === -1 ? html.length : at + mark.length
}

/**
 * Looks for a mark from places that only go on. What was found is kept: neither a mark that comes late, nor one that never
 * comes, is looked for through the rest of the page again and again.
 */
function searchOnward(html: string, mark: string): (from: number) => number {
  let at = -2
  return (from) => {
    if (at !== -1 && at < from) at = html.indexOf(mark, from)
    return at
  }
}

/** Past the comment that starts at `lt`. "<!-->" and "<!--->" are whole ones, hence the search from the opening dashes on. */
function afterComment(html: string, lt: number, plain: (from: number) => number, bang: (from: number) => number): number {
  const [plainAt, bangAt] = [plain(lt + 2), bang(lt + 4)]
  if (bangAt !== -1 && (plainAt === -1 || bangAt < plainAt)) return bangAt + 4
  return plainAt === -1 ? html.length : plainAt + 3
}

/** Past a doctype, CDATA section or bogus comment that starts at `lt`. */
function afterDeclaration(html: string, lt: number, inForeign: boolean, cdata: (from: number) => number): number {
  if (inForeign && html.startsWith('[CDATA[', lt + 2)) {
    const at = cdata(lt + 9)
    return at === -1 ? html.length : at + 3
  }
  return afterMark(html, '>', lt + 2)
}

/** Where the end tag of a raw text element starts; `from` itself for other elements. */
function afterRawText(html: string, name: string, from: number): number {
  if (!isRawElement(name)) return from
  if (name === 'script') return endOfScript(html, from)
  if (name === 'plaintext') return html.length
  return endOfRaw(html, name, from)
}

function endOfRaw(html: string, name: string, from: number): number {
  for (let at = html.indexOf('</', from); at !== -1; at = html.indexOf('</', at + 2)) {
    if (isEndTagOf(html, name, at)) return at
  }
  return html.length
}

/** An "appropriate end tag token": `</` + name + white space, "/" or ">". */
function isEndTagOf(html: string, name: string, at: number): boolean {
  const end = at + 2 + name.length
  if (html.slice(at + 2, end).toLowerCase() !== name) return false
  const c = html.charCodeAt(end)
  return c === 0x3e || c === 0x2f || isSpace(c)
}

const SCRIPT_MARK = /<!--|-->|<\/?script(?=[\t\n\f\r />])/gi

/** Script data with its escaped and double escaped states: `<!-- <script> … </script> -->` does not end the element. */
function endOfScript(html: string, from: number): number {
  let escaped = false
  let doubled = false
  SCRIPT_MARK.lastIndex = from
  for (let found = SCRIPT_MARK.exec(html); found !== null; found = SCRIPT_MARK.exec(html)) {
    const mark = found[0]
    if (mark === '<!--') {
      if (!escaped) {
        escaped = true
        SCRIPT_MARK.lastIndex = found.index + 2 // "<!-->" opens and ends at once
      }
    } else if (mark === '-->') {
      escaped = false
      doubled = false
    } else if (mark.startsWith('</')) {
      if (!doubled) return found.index
      doubled = false
    } else if (escaped) doubled = true
  }
  return html.length
}

/** How many of HTML's elements of each name were opened between two places and not closed. Only malformed SVG or MathML needs to know. */
function openBetween(html: string, from: number, to: number): Map<string, number> {
  const open = new Map<string, number>()
  const opening: TagSink = {
    open: (name, _start, _nameEnd, _end, inert, foreign) => void (foreign || inert || count(open, name)),
    close: (name, _start, _end, inert) => void (inert || open.set(name, Math.max(0, (open.get(name) ?? 0) - 1))),
  }
  walk(html.slice(0, to), from, opening, 0, true)
  return open
}
