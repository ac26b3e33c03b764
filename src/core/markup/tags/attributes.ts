import { decodeHTMLAttribute } from 'entities'

/** One attribute as written. Offsets are UTF-16 code units into the source; `end` is exclusive and past the closing quote. */
export interface Attribute {
  /** Lower case. */
  readonly name: string
  readonly start: number
  readonly nameEnd: number
  /** Of the value without its quotes; both equal `nameEnd` when there is no value. */
  readonly valueStart: number
  readonly valueEnd: number
  readonly quote: '"' | "'" | ''
  readonly end: number
}

/** HTML's ASCII whitespace, and CR, which input preprocessing turns into LF. */
export function isSpace(code: number): boolean {
  return code === 0x20 || code === 0x0a || code === 0x09 || code === 0x0d || code === 0x0c
}

/** What {@link readTag} found: where the tag ends, and whether it closes itself. */
export interface TagEnd {
  /** Exclusive, past ">"; -1 when the source ends inside the tag, which then is no tag (HTML: eof-in-tag). */
  end: number
  selfClosing: boolean
}

/**
 * Reads the rest of a tag from behind its name, by the states from "before attribute name" on of the HTML standard.
 * @param from - offset just past the tag name
 * @param found - receives every attribute in order, duplicates included; null to only look for the end
 * @param out - receives the answer (given in by the caller, so that a page of tags makes no garbage)
 */
export function readTag(html: string, from: number, found: Attribute[] | null, out: TagEnd): void {
  const length = html.length
  let i = from
  out.selfClosing = false
  out.end = -1
  for (;;) {
    let slash = false
    for (; i < length; i++) {
      const c = html.charCodeAt(i)
      if (c === 0x2f) slash = true
      else if (isSpace(c)) slash = false
      else break
    }
    if (i >= length) return
    if (html.charCodeAt(i) === 0x3e) {
      out.selfClosing = slash
      out.end = i + 1
      return
    }
    const start = i
    // A "=" in first place belongs to the name (unexpected-equals-sign-before-attribute-name).
    for (i++; i < length; i++) {
      const c = html.charCodeAt(i)
      if (c <= 0x3e && (c === 0x3d || c === 0x3e || c === 0x2f || isSpace(c))) break
    }
    const nameEnd = i
    let j = i
    while (j < length && isSpace(html.charCodeAt(j))) j++
    if (html.charCodeAt(j) !== 0x3d) {
      if (found !== null)
        found.push({
          name: html.slice(start, nameEnd).toLowerCase(),
          start,
          nameEnd,
          valueStart: nameEnd,
          valueEnd: nameEnd,
          quote: '',
          end: nameEnd,
        })
      continue
    }
    j++
    while (j < length && isSpace(html.charCodeAt(j))) j++
    const open = html.charCodeAt(j)
    let valueStart = j
    let valueEnd: number
    let quote: Attribute['quote'] = ''
    if (open === 0x22 || open === 0x27) {
      quote = open === 0x22 ? '"' : "'"
      valueStart = j + 1
      valueEnd = html.indexOf(quote, valueStart)
      if (valueEnd === -1) return
      i = valueEnd + 1
    } else {
      for (; j < length; j++) {
        const c = html.charCodeAt(j)
        if (c <= 0x3e && (c === 0x3e || isSpace(c))) break
      }
      if (j >= length) return
      valueEnd = j
      i = j
    }
    if (found !== null) found.push({ name: html.slice(start, nameEnd).toLowerCase(), start, nameEnd, valueStart, valueEnd, quote, end: i })
  }
}

/** All attributes of the start tag whose name ends at `nameEnd`, in order, duplicates included. */
export function readAttributes(html: string, nameEnd: number): Attribute[] {
  const found: Attribute[] = []
  readTag(html, nameEnd, found, { end: -1, selfClosing: false })
  return found
}

/** The attribute that counts: the first of its name (HTML: duplicate-attribute). */
export function attributeNamed(attributes: readonly Attribute[], name: string): Attribute | null {
  for (const attribute of attributes) if (attribute.name === name) return attribute
  return null
}

/** A value as the HTML standard reads it: character references decoded, line ends and NUL normalised. */
export function attributeValue(html: string, attribute: Attribute): string {
  const raw = html.slice(attribute.valueStart, attribute.valueEnd)
  const plain = raw.includes('\r') || raw.includes('\0') ? raw.replace(/\r\n?/g, '\n').replaceAll('\0', '\uFFFD') : raw
  return plain.includes('&') ? decodeHTMLAttribute(plain) : plain
}

/** The value of the first attribute of that name, decoded; null when it is absent. */
export function valueNamed(html: string, attributes: readonly Attribute[], name: string): string | null {
  const attribute = attributeNamed(attributes, name)
  return attribute === null ? null : attributeValue(html, attribute)
}
