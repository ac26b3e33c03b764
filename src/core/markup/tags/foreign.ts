/** An element of SVG or MathML that is open; `html` where HTML's own rules hold again inside it. */
export interface ForeignElement {
  readonly name: string
  readonly svg: boolean
  readonly html: boolean
}

/** Start tags that end SVG or MathML when met inside them (HTML, "the rules for parsing tokens in foreign content"). */
const BREAKOUT = new Set(
  (
    'b big blockquote body br center code dd div dl dt em embed h1 h2 h3 h4 h5 h6 head hr i img li listing menu meta nobr ol p pre ruby s small ' +
    'span strong strike sub sup table tt u ul var'
  ).split(' '),
)
const HTML_INSIDE_SVG = new Set(['foreignobject', 'desc', 'title'])
const HTML_INSIDE_MATH = new Set(['mi', 'mo', 'mn', 'ms', 'mtext', 'annotation-xml'])

/**
 * The open elements from the outermost `svg` or `math` on. How many of each name are open is counted: an end tag that
 * closes none of them is passed over at once, however deep the nesting.
 */
export class OpenForeign {
  readonly #open: ForeignElement[] = []
  readonly #names = new Map<string, number>()

  get isEmpty(): boolean {
    return this.#open.length === 0
  }

  /** Whether SVG's or MathML's rules hold here. */
  get isInside(): boolean {
    return this.#open[this.#open.length - 1]?.html === false
  }

  /** Goes into an element. @param nameEnd - and `end`: of its start tag in `html` */
  enter(html: string, name: string, nameEnd: number, end: number): void {
    this.#open.push(foreignElement(html, name, nameEnd, end, this.#open[this.#open.length - 1]))
    this.#names.set(name, (this.#names.get(name) ?? 0) + 1)
  }

  /** Leaves all elements in which HTML's own rules do not hold. */
  leave(): void {
    while (this.isInside) this.#pop()
  }

  get depth(): number {
    return this.#open.length
  }

  /** Leaves what was entered since so many were open. */
  leaveTo(depth: number): void {
    while (this.#open.length > depth) this.#pop()
  }

  /** Closes the innermost element of a name, and what is open within it. @returns false where none is open */
  close(name: string): boolean {
    if ((this.#names.get(name) ?? 0) === 0) return false
    while (this.#pop() !== name);
    return true
  }

  #pop(): string | undefined {
    const name = this.#open.pop()?.name
    if (name !== undefined) this.#names.set(name, (this.#names.get(name) ?? 1) - 1)
    return name
  }
}

/** How an element of SVG or MathML stands below the one it is in. */
function foreignElement(html: string, name: string, nameEnd: number, end: number, outer: ForeignElement | undefined): ForeignElement {
  // Inside MathML an "svg" is just another MathML element, except in annotation-xml; and the other way round.
  const isOutermost = outer === undefined || outer.html || (outer.name === 'annotation-xml' && name === 'svg')
  const svg = isOutermost ? name === 'svg' : outer.svg
  if (svg) return { name, svg, html: HTML_INSIDE_SVG.has(name) }
  if (name === 'annotation-xml')
    return { name, svg, html: /encoding\s*=\s*["']?(?:text\/html|application\/xhtml\+xml)["'\s>]/i.test(html.slice(nameEnd, end)) }
  return { name, svg, html: HTML_INSIDE_MATH.has(name) }
}

/** Tells whether a start tag ends the SVG or MathML that it is met in. */
export function endsForeign(html: string, name: string, nameEnd: number, end: number): boolean {
  return BREAKOUT.has(name) || (name === 'font' && /[\s/](?:color|face|size)[\s=/>]/i.test(html.slice(nameEnd, end)))
}
