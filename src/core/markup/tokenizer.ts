import { type Attribute, isSpace, readTag, type TagEnd } from './attributes.ts'

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
  /** Character data between tags, undecoded. Raw text (scripts, styles, titles, text areas) is not handed over. */
  text?(start: number, end: number, inert: boolean): void
}

const NO_ATTRIBUTES: readonly Attribute[] = []

/** Elements whose content is no markup. `noscript` is one for a reader whose scripts run, which is who the page is written for. */
const RAW = new Set(['title', 'textarea', 'style', 'xmp', 'iframe', 'noembed', 'noframes', 'noscript', 'script', 'plaintext'])

export const isRawElement = (name: string): boolean => RAW.has(name)

/** Start tags that end SVG or MathML when met inside them (HTML, "the rules for parsing tokens in foreign content"). */
const BREAKOUT = new Set(
  (
    'b big blockquote body br center code dd div dl dt em embed h1 h2 h3 h4 h5 h6 head hr i img li listing menu meta nobr ol p pre ruby s small ' +
    'span strong strike sub sup table tt u ul var'
  ).split(' '),
)
const HTML_INSIDE_SVG = new Set(['foreignobject', 'desc', 'title'])
const HTML_INSIDE_MATH = new Set(['mi', 'mo', 'mn', 'ms', 'mtext', 'annotation-xml'])

/** Open elements from the outermost `svg` or `math` on; `html` where HTML's own rules hold again inside them. */
export interface ForeignElement {
  readonly name: string
  readonly svg: boolean
  readonly html: boolean
}

/**
 * Walks the tags of a page as the tokenizer of the HTML standard would see them, with as much of tree construction
 * as decides what is markup at all: raw text elements, escaped script data, foreign content and its CDATA, `template`.
 * Where the standard's tree builder would drop a tag altogether (an `a` inside a `frameset`) it is still handed over.
 */
export function walkTags(html: string, sink: TagSink): void {
  const length = html.length
  const tag: TagEnd = { end: -1, selfClosing: false }
  const foreign: ForeignElement[] = []
  const lookUps = { left: LOOK_BACKS }
  let templates = 0
  let textStart = 0
  let from = 0
  const flush = (end: number): void => {
    if (end > textStart) sink.text?.(textStart, end, templates > 0)
  }
  const inForeign = (): boolean => foreign.length > 0 && foreign[foreign.length - 1]?.html === false

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
      let isForeign = inForeign()
      if (isForeign && endsForeign(html, name, nameEnd, tag.end)) {
        while (inForeign()) foreign.pop()
        isForeign = false
      }
      if (!isForeign && (name === 'svg' || name === 'math')) isForeign = true
      sink.open?.(name, lt, nameEnd, tag.end, templates > 0, isForeign, attributes ?? NO_ATTRIBUTES)
      from = tag.end
      if (isForeign) {
        if (!tag.selfClosing) foreign.push(foreignElement(html, name, nameEnd, tag.end, foreign))
      } else if (name === 'template') templates++
      else from = afterRawText(html, name, tag.end)
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
        if (foreign.length > 0) closeForeign(html, foreign, name, lt, lookUps)
        if (name === 'template' && templates > 0 && !inForeign()) templates--
        sink.close?.(name, lt, tag.end, templates > 0)
        from = tag.end
      } else if (Number.isNaN(first)) break
      else {
        flush(lt)
        from = afterMark(html, '>', lt + 2)
      }
      textStart = from
    } else if (c === 0x21) {
      flush(lt)
      from = afterDeclaration(html, lt, inForeign())
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

/** Past a comment, doctype, CDATA section or bogus comment that starts at `lt`. */
function afterDeclaration(html: string, lt: number, inForeign: boolean): number {
  if (html.startsWith('--', lt + 2)) {
    // "<!-->" and "<!--->" are whole comments, hence the search from the opening dashes on.
    const plain = html.indexOf('-->', lt + 2)
    const bang = html.indexOf('--!>', lt + 4)
    if (bang !== -1 && (plain === -1 || bang < plain)) return bang + 4
    return plain === -1 ? html.length : plain + 3
  }
  if (inForeign && html.startsWith('[CDATA[', lt + 2)) return afterMark(html, ']]>', lt + 9)
  return afterMark(html, '>', lt + 2)
}

/** Where the end tag of a raw text element starts; `from` itself for other elements. */
function afterRawText(html: string, name: string, from: number): number {
  if (!RAW.has(name)) return from
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

/** How an element of SVG or MathML stands among those that are open. @param nameEnd - and `end`: of its start tag in `html` */
export function foreignElement(html: string, name: string, nameEnd: number, end: number, open: readonly ForeignElement[]): ForeignElement {
  const outer = open[open.length - 1]
  // Inside MathML an "svg" is just another MathML element, except in annotation-xml; and the other way round.
  const isOutermost = outer === undefined || outer.html || (outer.name === 'annotation-xml' && name === 'svg')
  const svg = isOutermost ? name === 'svg' : outer.svg
  if (svg) return { name, svg, html: HTML_INSIDE_SVG.has(name) }
  if (name === 'annotation-xml')
    return { name, svg, html: /encoding\s*=\s*["']?(?:text\/html|application\/xhtml\+xml)["'\s>]/i.test(html.slice(nameEnd, end)) }
  return { name, svg, html: HTML_INSIDE_MATH.has(name) }
}

/** An end tag inside SVG or MathML: closes the foreign element of its name, or the HTML element around all of it. */
function closeForeign(html: string, foreign: ForeignElement[], name: string, at: number, lookUps: { left: number }): void {
  const leave = (): void => {
    while (foreign.length > 0 && foreign[foreign.length - 1]?.html === false) foreign.pop()
  }
  const isHtml = foreign[foreign.length - 1]?.html !== false
  if (!isHtml && (name === 'p' || name === 'br')) return leave()
  for (let i = foreign.length - 1; i >= 0; i--) {
    if (foreign[i]?.name !== name) continue
    foreign.length = i
    return
  }
  if (!isHtml && isLeftOpen(html, name, at, lookUps)) leave()
}

/** How often a page may make us look back over what came before; a page that asks more often is broken all over. */
const LOOK_BACKS = 50

/** Tells whether an element of that name was opened before `at` and not closed. Only malformed SVG or MathML needs to know. */
function isLeftOpen(html: string, name: string, at: number, lookUps: { left: number }): boolean {
  if (lookUps.left === 0 || !/^[a-z][a-z0-9-]*$/.test(name)) return false
  lookUps.left--
  let open = 0
  const before = html.slice(0, at).replace(/<!--[\s\S]*?-->|<[!?][^>]*>/g, '') // what stands in a comment opens nothing
  for (const tag of before.matchAll(new RegExp(`<(/?)${name}(?=[\\s/>])`, 'gi'))) open = tag[1] === '' ? open + 1 : Math.max(0, open - 1)
  return open > 0
}

/** Tells whether a start tag ends the SVG or MathML that it is met in. */
export function endsForeign(html: string, name: string, nameEnd: number, end: number): boolean {
  return BREAKOUT.has(name) || (name === 'font' && /[\s/](?:color|face|size)[\s=/>]/i.test(html.slice(nameEnd, end)))
}
