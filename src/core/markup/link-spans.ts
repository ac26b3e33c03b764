import type { Attribute, AttributeSink } from './attributes.ts'

/**
 * Where a link's start tag says what decides how it is delivered, as offsets into the source; a start of -1 where it says
 * nothing. One is used for link after link: it is read, and forgotten before the next tag comes.
 */
export class LinkSpans implements AttributeSink {
  /** Of the tag. */
  start = -1
  end = -1
  isArea = false
  hrefStart = -1
  hrefEnd = -1
  /** Past the value and its quote: where a new attribute can follow. */
  hrefOuterEnd = -1
  relStart = -1
  relEnd = -1
  targetStart = -1
  targetEnd = -1
  /** It has one of the attributes that were watched for. */
  isWatched = false
  #html = ''
  readonly #watched: readonly string[]

  /** @param watched - names of attributes, lower case, that say more of a link than this keeps */
  constructor(watched: readonly string[]) {
    this.#watched = watched
  }

  /** Forgets the tag before. */
  of(html: string): this {
    this.#html = html
    this.hrefStart = -1
    this.relStart = -1
    this.targetStart = -1
    this.isWatched = false
    return this
  }

  /** Of two attributes of one name the first counts (HTML: duplicate-attribute). */
  take(start: number, nameEnd: number, valueStart: number, valueEnd: number, _quote: Attribute['quote'], end: number): void {
    const length = nameEnd - start
    if (length === 4 && isNamed(this.#html, 'href', start)) {
      if (this.hrefStart !== -1) return
      this.hrefStart = valueStart
      this.hrefEnd = valueEnd
      this.hrefOuterEnd = end
    } else if (length === 3 && isNamed(this.#html, 'rel', start)) {
      if (this.relStart !== -1) return
      this.relStart = valueStart
      this.relEnd = valueEnd
    } else if (length === 6 && isNamed(this.#html, 'target', start)) {
      if (this.targetStart !== -1) return
      this.targetStart = valueStart
      this.targetEnd = valueEnd
    } else for (const name of this.#watched) if (name.length === length && isNamed(this.#html, name, start)) this.isWatched = true
  }
}

/** Tells whether `name`, in lower case, stands at an offset, in whatever case. */
export function isNamed(html: string, name: string, at: number): boolean {
  for (let k = 0; k < name.length; k++) if ((html.charCodeAt(at + k) | 0x20) !== name.charCodeAt(k)) return false
  return true
}
