import { fail, ok, type Result } from '../../result.ts'
import type { Patch, PatchSet } from '../bytes/index.ts'
import { type Attribute, escapeAttribute, readAttributes, valueNamed, walkTags } from '../tags/index.ts'
import { type LinkTag, scanLinks } from './links.ts'
import { scanPictures } from './pictures.ts'
import { type AttributeChanges, tagPatches } from './rewrite.ts'

export type EditFault = 'nothing-selected' | 'not-text' | 'link-not-found'

/** Elements that an `a` may stand around words in, or be cut by, without the page changing its shape. */
const INLINE = new Set(
  'a abbr acronym b bdi bdo big cite code data del dfn em font i img ins kbd mark nobr q s samp small span strike strong sub sup time tt u var wbr br'.split(
    ' ',
  ),
)

/** A stretch of source that is nothing but words and inline elements opened and closed within it. */
interface Run {
  from: number
  to: number
}

/**
 * Makes a link of the words between two source offsets. Formatting that begins or ends inside the range is respected: the
 * range is linked in as many pieces as stay well-formed, and links already in it give way (the new one replaces them).
 * Text is never rewritten: only tags are put in or taken out.
 * @param wantedFrom - offset in a text run; the same for `wantedTo`, exclusive
 * @param attributes - of the new tag, in order; values undecoded text, null ones are left out
 */
export function wrapLink(html: string, wantedFrom: number, wantedTo: number, attributes: AttributeChanges): Result<PatchSet, EditFault> {
  const waiting = placeholderAround(html, wantedFrom, wantedTo)
  if (waiting !== null) return ok(tagPatches(html, waiting, attributes))
  const { from, to } = aroundWhole(html, pastUnshownLineEnd(html, wantedFrom), pastUnshownLineEnd(html, wantedTo))
  if (from >= to) return fail('nothing-selected')
  const inside = scanLinks(html).links.filter((link) => link.element === 'a' && link.start < to && link.outerEnd > from)
  const runs = runsBetween(html, from, to, new Set(inside.flatMap((link) => [link.start, link.contentEnd])))
  if (runs === null || runs.length === 0) return fail('not-text')
  const open = openTag(attributes)
  const patches: Patch[] = []
  for (const run of runs) {
    patches.push({ from: run.from, to: run.from, insert: open }, { from: run.to, to: run.to, insert: '</a>' })
  }
  for (const link of inside) patches.push(...withdraw(html, link, from, to))
  return ok(mergeAt(patches))
}

/** An `a` without a destination that holds a range: a place where a link is to be (HTML, "the a element"). It takes the destination itself. */
function placeholderAround(html: string, from: number, to: number): { attributes: readonly Attribute[]; nameEnd: number } | null {
  interface Placeholder {
    readonly attributes: readonly Attribute[]
    readonly nameEnd: number
    readonly end: number
  }
  let open = null as Placeholder | null
  let found = null as Placeholder | null
  walkTags(html, {
    open(name, _start, nameEnd, end, inert) {
      if (inert || name !== 'a' || end > from) return
      const attributes = readAttributes(html, nameEnd)
      open =
        valueNamed(html, attributes, 'href') === null && valueNamed(html, attributes, 'name') === null ? { attributes, nameEnd, end } : null
    },
    close(name, start) {
      if (name !== 'a') return
      if (open !== null && from < to && open.end <= from && to <= start) found ??= open
      open = null
    },
  })
  return found
}

/**
 * A range that ends with the last words of an element it holds otherwise goes around its tags too, so that it need not be
 * cut there; one that begins with an element's first words likewise. One that is an element's whole words stays inside it.
 */
function aroundWhole(html: string, from: number, to: number): Run {
  const opened: { name: string; at: number; end: number }[] = []
  const pairs: { at: number; inner: number; innerEnd: number; end: number }[] = []
  walkTags(html, {
    open(name, at, _nameEnd, end, inert) {
      if (!inert && INLINE.has(name) && name !== 'a' && !/^(?:img|br|wbr)$/.test(name)) opened.push({ name, at, end })
      else if (!INLINE.has(name)) opened.length = 0
    },
    close(name, at, end) {
      const last = opened[opened.length - 1]
      if (last?.name !== name) return
      opened.pop()
      pairs.push({ at: last.at, inner: last.end, innerEnd: at, end })
    },
  })
  let range: Run = { from, to }
  // Pairs come innermost first, so that one look goes around nested ones.
  for (const { at, inner, innerEnd, end } of pairs) {
    if (innerEnd === range.to && at >= range.from) range = { ...range, to: end }
    else if (inner === range.from && end <= range.to) range = { ...range, from: at }
  }
  return range
}

/** A start tag for a new link. Null values are left out. */
const openTag = (attributes: AttributeChanges): string =>
  `<a${Object.entries(attributes)
    .filter((entry): entry is [string, string] => entry[1] !== null)
    .map(([name, value]) => ` ${name}="${escapeAttribute(value)}"`)
    .join('')}>`

/** The first line end in a `pre` is not shown while it comes first: a tag before it would bring it out. */
export function pastUnshownLineEnd(html: string, at: number): number {
  const opens = /<(?:pre|listing)(?:[\s/][^<>]*)?>$/i.test(html.slice(Math.max(0, at - 1000), at))
  return opens ? at + (/^(?:\r\n|\n|\r)/.exec(html.slice(at, at + 2))?.[0].length ?? 0) : at
}

/**
 * Takes an old link off the range and leaves it on what lies outside of the range. Formatting that the link holds and that
 * goes on over the cut is closed before it and opened again behind it, so that nothing is misnested.
 */
function withdraw(html: string, link: LinkTag, from: number, to: number): Patch[] {
  const tag = html.slice(link.start, link.end)
  const patches: Patch[] = []
  if (link.end < from) patches.push({ from, to: from, insert: cutThrough(html, link, from, '</a>') })
  else patches.push(withoutTag(html, link.start, link.end))
  if (link.contentEnd > to) patches.push({ from: to, to, insert: cutThrough(html, link, to, tag) })
  else if (link.outerEnd > link.contentEnd) patches.push(withoutTag(html, link.contentEnd, link.outerEnd))
  return patches
}

/** Takes a tag out. Where text it kept apart would become a tag or a character reference, an empty comment goes on keeping it apart. */
function withoutTag(html: string, from: number, to: number): Patch {
  const before = html.slice(Math.max(0, from - REFERENCE_MAX_CHARS), from)
  const isJoining = /<\/?$/.test(before) || (/&[#a-z0-9]*$/i.test(before) && /[#a-z0-9;]/i.test(html.charAt(to)))
  return { from, to, insert: isJoining ? '<!---->' : '' }
}
/** The longest name of a character reference has 31 letters. */
const REFERENCE_MAX_CHARS = 33

/** A tag put in at `at`, with the inline elements of the link that are open there closed before it and opened behind it. */
function cutThrough(html: string, link: LinkTag, at: number, tag: string): string {
  const open: { name: string; tag: string }[] = []
  walkTags(html, {
    open(name, start, _nameEnd, end, inert) {
      if (inert || start < link.end || end > at || !INLINE.has(name) || /^(?:img|br|wbr)$/.test(name)) return
      open.push({ name, tag: html.slice(start, end) })
    },
    close(name, start, end) {
      if (start >= link.end && end <= at && open[open.length - 1]?.name === name) open.pop()
    },
  })
  const closing = open.map(({ name }) => `</${name}>`).reverse()
  return closing.join('') + tag + open.map((each) => each.tag).join('')
}

/** Puts patches in order; at one place closing tags come before opening ones, and insertions before removals. */
function mergeAt(patches: readonly Patch[]): PatchSet {
  const rank = (patch: Patch): number => (patch.insert.startsWith('</') ? 0 : patch.insert !== '' ? 1 : 2)
  const sorted = [...patches].sort((a, b) => a.from - b.from || a.to - b.to || rank(a) - rank(b))
  const merged: Patch[] = []
  for (const patch of sorted) {
    const last = merged[merged.length - 1]
    if (last !== undefined && last.from === patch.from && last.to === last.from)
      merged[merged.length - 1] = { from: patch.from, to: patch.to, insert: last.insert + patch.insert }
    else merged.push(patch)
  }
  return merged
}

/**
 * Splits a range into pieces that an `a` can go around: pieces end where an element opened before the piece closes, or one
 * that stays open starts, and where a block begins or ends. Pieces of white space alone are left out.
 * @param leaving - where tags start that the same edit takes out; they cut nothing
 * @returns null when an end of the range lies inside a tag
 */
function runsBetween(html: string, from: number, to: number, leaving: ReadonlySet<number>): Run[] | null {
  interface Mark {
    readonly at: number
    readonly end: number
    readonly kind: 'open' | 'close' | 'void' | 'cut'
    readonly name: string
  }
  const marks: Mark[] = []
  const texts: Run[] = []
  let isInsideTag = false
  const look = (start: number, end: number): void => {
    if ((start < from && from < end) || (start < to && to < end)) isInsideTag = true
  }
  walkTags(html, {
    open(name, start, _nameEnd, tagEnd, inert) {
      look(start, tagEnd)
      const end = pastUnshownLineEnd(html, tagEnd)
      if (end <= from || start >= to || leaving.has(start)) return
      const kind =
        inert || !INLINE.has(name) ? 'cut' : name === 'img' || name === 'br' || name === 'wbr' ? 'void' : name === 'a' ? 'cut' : 'open'
      marks.push({ at: start, end, kind, name })
    },
    close(name, start, end, inert) {
      look(start, end)
      if (end <= from || start >= to || leaving.has(start)) return
      marks.push({ at: start, end, kind: inert || !INLINE.has(name) || name === 'a' ? 'cut' : 'close', name })
    },
    text(start, end, inert) {
      if (!inert && start < to && end > from && html.slice(Math.max(start, from), Math.min(end, to)).trim() !== '') {
        texts.push({ from: Math.max(start, from), to: Math.min(end, to) })
      }
    },
  })
  if (isInsideTag) return null
  // Pair the tags that open and close within the range; the others cut it.
  const cuts: Mark[] = []
  const opened: Mark[] = []
  for (const mark of marks) {
    if (mark.kind === 'open') opened.push(mark)
    else if (mark.kind === 'cut') {
      cuts.push(mark, ...opened.splice(0))
    } else if (mark.kind === 'close') {
      if (opened[opened.length - 1]?.name === mark.name) opened.pop()
      else cuts.push(mark, ...opened.splice(0))
    }
  }
  cuts.push(...opened)
  cuts.sort((a, b) => a.at - b.at)

  const runs: Run[] = []
  let start = from
  const keep = (end: number): void => {
    const within = texts.filter((text) => text.from < end && text.to > start)
    const first = within[0]
    const last = within[within.length - 1]
    if (first === undefined || last === undefined) return
    const piece = { from: start, to: end }
    // White space at the ends of a piece belongs to the page, not to the link, unless it was selected inside one text.
    if (piece.from !== from) piece.from = trimFrom(html, Math.max(first.from, start))
    if (piece.to !== to) piece.to = trimTo(html, Math.min(last.to, end))
    if (piece.from < piece.to) runs.push(widen(piece, start, end, marks))
  }
  for (const cut of cuts) {
    if (cut.at > start) keep(Math.min(cut.at, to))
    start = Math.max(start, cut.end)
  }
  if (start < to) keep(to)
  return runs
}

/** Inline elements that stand whole inside a piece must stay whole: a trimmed edge may not fall between their tags. */
function widen(piece: Run, start: number, end: number, marks: readonly { at: number; end: number; kind: string }[]): Run {
  const isTag = (mark: { kind: string }): boolean => mark.kind !== 'cut'
  const from = marks.filter((mark) => isTag(mark) && mark.at >= start && mark.end <= piece.from)[0]?.at ?? piece.from
  const to = marks.filter((mark) => isTag(mark) && mark.at >= piece.to && mark.end <= end).pop()?.end ?? piece.to
  return { from, to }
}

function trimFrom(html: string, at: number): number {
  let i = at
  while (/\s/.test(html.charAt(i))) i++
  return i
}

function trimTo(html: string, at: number): number {
  let i = at
  while (i > 0 && /\s/.test(html.charAt(i - 1))) i--
  return i
}

/** Gives the link whose start tag begins at `start` other attributes. */
export function setLink(html: string, start: number, changes: AttributeChanges): Result<PatchSet, EditFault> {
  const link = linkAt(html, start)
  return link === null ? fail('link-not-found', { start }) : ok(tagPatches(html, link, changes))
}

/**
 * Links the picture whose tag begins at `start`. A link that it hangs on already is given the new attributes; one that
 * holds more than this picture stays around the rest.
 * @param attributes - of the new tag; of a link that is there, those named are set
 */
export function linkPicture(html: string, start: number, attributes: AttributeChanges): Result<PatchSet, EditFault> {
  const picture = scanPictures(html).find((each) => each.start === start)
  if (picture === undefined) return fail('link-not-found', { start })
  const { link } = picture
  if (link !== null && html.slice(link.end, link.contentEnd).trim() === html.slice(picture.start, picture.end))
    return ok(tagPatches(html, link, attributes))
  const open = openTag(attributes)
  if (link === null)
    return ok([
      { from: picture.start, to: picture.start, insert: open },
      { from: picture.end, to: picture.end, insert: '</a>' },
    ])
  return ok([
    { from: picture.start, to: picture.start, insert: `</a>${open}` },
    { from: picture.end, to: picture.end, insert: `</a>${html.slice(link.start, link.end)}` },
  ])
}

/** Takes a link off and leaves what it hung on. A map area loses its destination and stays. */
export function unwrapLink(html: string, start: number): Result<PatchSet, EditFault> {
  const link = linkAt(html, start)
  if (link === null) return fail('link-not-found', { start })
  if (link.element === 'area') return ok(tagPatches(html, link, { href: null }))
  const patches: Patch[] = [withoutTag(html, link.start, link.end)]
  if (link.outerEnd > link.contentEnd) patches.push(withoutTag(html, link.contentEnd, link.outerEnd))
  return ok(patches)
}

/** The link whose start tag begins exactly at `start`; null when there is none. */
export function linkAt(html: string, start: number): LinkTag | null {
  return scanLinks(html).links.find((link) => link.start === start) ?? null
}
