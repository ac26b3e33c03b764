import { isSpace, readTag, type TagEnd } from './attributes.ts'

/** What a start tag's name means for whoever reads a page as it passes. */
export enum Kind {
  /** Nothing: only its end matters. */
  Other,
  Link,
  Area,
  Base,
  /** What stands in it is text to the end tag of its name. */
  Raw,
  Script,
  Plaintext,
  Template,
  /** SVG or MathML. */
  Foreign,
}

const KINDS: readonly (readonly [name: string, kind: Kind])[] = [
  ['a', Kind.Link],
  ['area', Kind.Area],
  ['base', Kind.Base],
  ...['title', 'textarea', 'style', 'xmp', 'iframe', 'noembed', 'noframes', 'noscript'].map((name) => [name, Kind.Raw] as const),
  ['script', Kind.Script],
  ['plaintext', Kind.Plaintext],
  ['template', Kind.Template],
  ['svg', Kind.Foreign],
  ['math', Kind.Foreign],
]
/** By the last five bits of their first letter, so that most tags are told to be none of ours by one look. */
const BY_LETTER = Array.from({ length: 32 }, (_, letter) => KINDS.filter(([name]) => (name.charCodeAt(0) & 31) === letter))

/** The kind of the tag whose name stands between two offsets, in whatever case. */
export function kindOf(text: string, from: number, to: number): Kind {
  const names = BY_LETTER[text.charCodeAt(from) & 31] ?? []
  for (let k = 0; k < names.length; k++) {
    const named = names[k]
    if (named !== undefined && named[0].length === to - from && isNamed(text, named[0], from)) return named[1]
  }
  return Kind.Other
}

/** Tells whether `name`, in lower case, stands at an offset, in whatever case. */
function isNamed(text: string, name: string, at: number): boolean {
  for (let k = 0; k < name.length; k++) if ((text.charCodeAt(at + k) | 0x20) !== name.charCodeAt(k)) return false
  return true
}

export const isLetter = (c: number): boolean => (c >= 0x61 && c <= 0x7a) || (c >= 0x41 && c <= 0x5a)

/** Past a tag's name, of which the first letter stands before `from`. */
export function endOfName(text: string, from: number): number {
  let i = from
  for (; i < text.length; i++) {
    const c = text.charCodeAt(i)
    if (c <= 0x3e && (c === 0x3e || c === 0x2f || isSpace(c))) break
  }
  return i
}

const found: TagEnd = { end: -1, selfClosing: false }
/** Past the ">" of a tag whose name ends at `from`; -1 when it is not there yet. */
export function endOfTag(text: string, from: number): number {
  if (text.charCodeAt(from) === 0x3e) return from + 1
  readTag(text, from, null, found)
  return found.end
}

/** Past "-->" or "--!>"; -1 when neither is there. */
export function endOfComment(text: string, from: number): number {
  const plain = text.indexOf('-->', from)
  const bang = text.slice(from, plain === -1 ? text.length : plain).indexOf('--!>')
  if (bang !== -1) return from + bang + 4
  return plain === -1 ? -1 : plain + 3
}

/** An "appropriate end tag token" at an offset: `</` + name + white space, "/" or ">". */
export const isEndTagOf = (text: string, name: string, at: number): boolean =>
  text.charCodeAt(at + 1) === 0x2f && isWholeName(text, name, at + 2)
export const isStartTagOf = (text: string, name: string, at: number): boolean => isWholeName(text, name, at + 1)

function isWholeName(text: string, name: string, at: number): boolean {
  if (!isNamed(text, name, at)) return false
  const c = text.charCodeAt(at + name.length)
  return c === 0x3e || c === 0x2f || isSpace(c)
}

/** Where a link ends: its end tag, or the start of another link. -1 when neither is there. */
export function endOfContent(text: string, from: number, end: number): number {
  for (let at = text.indexOf('<', from); at !== -1 && at + 3 < end; at = text.indexOf('<', at + 1)) {
    if (isEndTagOf(text, 'a', at) || isStartTagOf(text, 'a', at)) return at
  }
  return -1
}
