import { endsForeign, OpenForeign } from './foreign.ts'

/** How what follows a start tag is read. */
export enum Content {
  /** As markup. */
  Markup,
  /** As markup of SVG or MathML, to which the element belongs. */
  Foreign,
  /** As its name says: as raw text, if it is one of those elements. */
  OfItsName,
}

/** Elements whose content is no markup. */
const RAW = new Set(['title', 'textarea', 'style', 'xmp', 'iframe', 'noembed', 'noframes', 'noscript', 'script', 'plaintext'])
export const isRawElement = (name: string): boolean => RAW.has(name)

/** Elements that hold nothing and are never open. */
const VOID = new Set('area base br col embed hr img input link meta param source track wbr'.split(' '))
/** Start tags that end a `select` and are read as ever; of a table's parts only those do that stand in a table with it. */
const ENDS_SELECT = new Set(['select', 'textarea', 'input', 'keygen'])
const PART_OF_TABLE = new Set('caption table tbody tfoot thead tr td th'.split(' '))

/** A template's content, or the page around all of them: what is open there says nothing of what is open elsewhere. */
interface Scope {
  readonly foreign: OpenForeign
  /** Where it begins. */
  readonly start: number
  /** In a `select` tags are passed over: also those after which something else would be raw text. */
  isInSelect: boolean
  tables: number
  /** How many of HTML's elements of each name are open; counted once malformed SVG or MathML asks. */
  open: Map<string, number> | null
}

const scopeFrom = (start: number): Scope => ({ foreign: new OpenForeign(), start, isInSelect: false, tables: 0, open: null })

/** Counts how many of HTML's elements of each name were opened between two places of a page and not closed. */
export type CountOpen = (from: number, to: number) => Map<string, number>

/**
 * What is open around a place of a page, as far as it decides how the next tag is read: templates, SVG and MathML, `select`.
 * As much of the tree construction of the HTML standard as decides what is markup at all.
 */
export class Nesting {
  readonly #around: number
  readonly #scopes: Scope[]
  readonly #countOpen: CountOpen | null
  #scope: Scope

  /**
   * @param around - templates that are open around all of it
   * @param countOpen - looks back, where no template is open; without it wrongly nested SVG or MathML is taken for nested as it seems
   */
  constructor(start: number, around: number, countOpen: CountOpen | null) {
    this.#around = around
    this.#scope = scopeFrom(start)
    this.#scopes = [this.#scope]
    this.#countOpen = countOpen
  }

  /** Templates that are open; what stands in one is no part of the page. */
  get templates(): number {
    return this.#around + this.#scopes.length - 1
  }

  /** Whether SVG's or MathML's rules hold here. */
  get isForeign(): boolean {
    return this.#scope.foreign.isInside
  }

  /** Whether tags are read here as on any page: none has to be looked at but those that open something. */
  get isPlain(): boolean {
    return this.#around === 0 && this.#scopes.length === 1 && this.#scope.foreign.isEmpty && !this.#scope.isInSelect
  }

  /** How many elements of SVG and MathML are open. */
  get foreignDepth(): number {
    return this.#scope.foreign.depth
  }

  /** Leaves what was entered since so many were open. */
  leaveForeignTo(depth: number): void {
    this.#scope.foreign.leaveTo(depth)
  }

  /** A start tag. @param html - and `nameEnd`, `end`: where its attributes stand in which text. @param at - past it in the page */
  enter(html: string, name: string, nameEnd: number, end: number, selfClosing: boolean, at: number): Content {
    const scope = this.#scope
    const { foreign } = scope
    if (!foreign.isEmpty && foreign.isInside && endsForeign(html, name, nameEnd, end)) foreign.leave()
    if (scope.isInSelect && !foreign.isInside) {
      if (ENDS_SELECT.has(name) || (scope.tables > 0 && PART_OF_TABLE.has(name))) scope.isInSelect = false
      // One within another only ends it; of all others but two only the tag is passed over.
      if (name === 'select') return Content.Markup
      if (scope.isInSelect && name !== 'script' && name !== 'template') return Content.Markup
    }
    if (foreign.isInside || name === 'svg' || name === 'math') {
      if (!selfClosing) foreign.enter(html, name, nameEnd, end)
      return Content.Foreign
    }
    if (scope.open !== null) count(scope.open, name)
    if (name === 'template') {
      this.#scope = scopeFrom(at)
      this.#scopes.push(this.#scope)
      return Content.Markup
    }
    if (name === 'select') scope.isInSelect = true
    else if (name === 'table') scope.tables++
    return Content.OfItsName
  }

  /** An end tag. @param lt - where it starts in the page */
  leave(name: string, lt: number): void {
    const scope = this.#scope
    const { foreign } = scope
    if (!foreign.isEmpty) {
      if (foreign.isInside && (name === 'p' || name === 'br')) foreign.leave()
      else if (foreign.close(name)) return
      else if (foreign.isInside && name !== 'template' && this.#countOpen !== null && this.templates === 0) {
        scope.open ??= this.#countOpen(scope.start, lt)
        if ((scope.open.get(name) ?? 0) > 0) foreign.leave()
      }
    }
    if (name === 'template' && this.#scopes.length > 1) {
      this.#scopes.pop()
      this.#scope = this.#scopes[this.#scopes.length - 1] ?? scope
      this.#scope.open?.set(name, Math.max(0, (this.#scope.open.get(name) ?? 0) - 1))
      return
    }
    if (scope.open !== null && !foreign.isInside) scope.open.set(name, Math.max(0, (scope.open.get(name) ?? 0) - 1))
    if (foreign.isInside) return
    if (name === 'select') scope.isInSelect = false
    else if (name === 'table') scope.tables = Math.max(0, scope.tables - 1)
    if (scope.isInSelect && scope.tables > 0 && PART_OF_TABLE.has(name)) scope.isInSelect = false
  }
}

/** Notes an element of HTML's that is open from here on. */
export function count(open: Map<string, number>, name: string): void {
  if (!VOID.has(name)) open.set(name, (open.get(name) ?? 0) + 1)
}
