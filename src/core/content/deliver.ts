import { expandParts, type PartFinder } from '../blocks/index.ts'
import { applyPatches, decodeSource, type PatchSet, patchBytes, type StreamOptions, writableIn } from '../markup/index.ts'
import { ok, type Result } from '../result.ts'
import { type CompiledSite, type DeliveredLink, deliverPage, readTags, ruleStream, type SharedPart } from '../rules/index.ts'

/** Comments by which a page's source says for which partner it is written, and how it is tagged. Never delivered. */
const WRITTEN_FOR = /<!--\s*written-for:\s*([0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12})\s*-->[\t ]*\r?\n?/i
const PAGE_TAGS = /<!--\s*tags:\s*([^<>]*?)\s*-->[\t ]*\r?\n?/i

/** The partner that a page is written for; null for none. */
export const writtenForOf = (html: string): string | null => (html.includes('written-for') ? (WRITTEN_FOR.exec(html)?.[1] ?? null) : null)

/** The tags of a page, as written. */
export const pageTagsOf = (html: string): readonly string[] => (html.includes('tags:') ? readTags(PAGE_TAGS.exec(html)?.[1] ?? null) : [])

/** The patch that writes down for whom a page is written, at the start of its body; null takes the mark away. */
export const setWrittenFor = (html: string, partner: string | null): PatchSet =>
  setMark(html, WRITTEN_FOR, partner === null ? '' : `<!-- written-for: ${partner} -->`)

/** The patch that writes a page's tags down, at the start of its body. */
export function setPageTags(html: string, tags: readonly string[]): PatchSet {
  // "--" would end the comment.
  const written = readTags(tags.map((tag) => tag.replaceAll('--', '-').replace(/[<>,]/g, ' ')).join(','))
  return setMark(html, PAGE_TAGS, written.length === 0 ? '' : `<!-- tags: ${written.join(', ')} -->`)
}

function setMark(html: string, form: RegExp, insert: string): PatchSet {
  const mark = form.exec(html)
  if (mark !== null) return [{ from: mark.index, to: mark.index + mark[0].length, insert }]
  const body = /<body(?:\s[^>]*)?>/i.exec(html)
  const at = body === null ? 0 : body.index + body[0].length
  return insert === '' ? [] : [{ from: at, to: at, insert }]
}

/** Where a page is delivered: its path, what waits on it, and the shared parts it may put in. */
export interface PagePlace {
  readonly path: string
  readonly waiting?: readonly string[] | undefined
  readonly findPart?: PartFinder | undefined
}

/** A page as visitors get it, and what was decided for each of its links. */
export interface DeliveredSource {
  readonly html: string
  /** With parts in and our marks out, before the rules: what the links' offsets count in. */
  readonly whole: string
  /** Lead from the source to `html`, one after the other. */
  readonly steps: readonly PatchSet[]
  readonly links: readonly DeliveredLink[]
}

/** Puts shared parts in, takes our own marks out, and applies the rules. Without parts only start tags of links change. */
export function deliverSource(text: string, site: CompiledSite, { path, waiting, findPart }: PagePlace): DeliveredSource {
  const hasComments = text.includes('<!--')
  const mark = hasComments && text.includes('written-for') ? WRITTEN_FOR.exec(text) : null
  const tags = hasComments && text.includes('tags:') ? PAGE_TAGS.exec(text) : null
  const parts = findPart === undefined || !hasComments ? [] : expandParts(text, findPart)
  const out = [mark, tags]
    .filter((each) => each !== null)
    .map((each) => ({ from: each.index, to: each.index + each[0].length, insert: '' }))
  const first = out.length === 0 ? parts : [...parts, ...out].sort((a, b) => a.from - b.from)
  const whole = applyPatches(text, first)
  const around = site.around(path, { writtenFor: mark?.[1], waiting, tags: readTags(tags?.[1] ?? null) })
  const page = deliverPage(whole, site.rules, around, site.findShortLink, parts.length === 0 ? undefined : partFinder(text, first))
  return { html: page.html, whole, steps: first.length === 0 ? [page.patches] : [first, page.patches], links: page.delivered }
}

/** Which shared part stands at an offset of the whole page. Parts within parts count as the outer one. */
function partFinder(text: string, patches: PatchSet): (offset: number) => SharedPart | null {
  const ranges: { from: number; to: number; part: SharedPart }[] = []
  let shift = 0
  for (const { from, to, insert } of patches) {
    const [kind = '', name = ''] = /^<!--\s*(block|menu):\s*([a-z0-9-]+)/.exec(text.slice(from, to))?.slice(1) ?? []
    if (kind !== '')
      ranges.push({ from: from + shift, to: from + shift + insert.length, part: { kind: kind === 'menu' ? 'menu' : 'block', name } })
    shift += insert.length - (to - from)
  }
  return (offset) => ranges.find(({ from, to }) => from <= offset && offset < to)?.part ?? null
}

/**
 * {@link deliverSource} for a stored page: bytes outside the changes are the same bytes.
 */
export function deliverBytes(
  bytes: Uint8Array,
  encoding: string,
  site: CompiledSite,
  place: PagePlace,
  room?: StreamOptions['room'],
): Result<Uint8Array, 'encoding-unpatchable'> {
  // The quick way; what it would have to know before it comes (a base behind links, shared parts, our marks) takes the other.
  if (unitsAlone(encoding) && !needsWhole(bytes)) {
    const stream = ruleStream(site.rules, site.around(place.path, { waiting: place.waiting }), site.findShortLink, encoding, room)
    return ok(joined([...stream.push(bytes), ...stream.end()]))
  }
  let text = decodeSource(bytes, encoding)
  const page = deliverSource(text, site, place)
  let out = bytes
  for (const step of page.steps) {
    const writable = step.map((patch) => ({ ...patch, insert: writableIn(patch.insert, encoding) }))
    const patched = patchBytes(out, encoding, text, writable)
    if (!patched.ok) return patched
    out = patched.value
    text = applyPatches(text, writable)
  }
  return ok(out)
}

/** Encodings that a stream rewrites without looking at more than a tag. */
const unitsAlone = (encoding: string): boolean =>
  encoding === 'utf-8' || encoding.startsWith('windows-') || encoding.startsWith('iso-8859-')

/** Tells whether a page holds what has to be known before its first link: a `base`, one of our marks, a shared part. */
function needsWhole(bytes: Uint8Array): boolean {
  for (let lt = bytes.indexOf(0x3c); lt !== -1; lt = bytes.indexOf(0x3c, lt + 1)) {
    const next = (bytes[lt + 1] ?? 0) | 0x20
    if (next !== 0x62 && next !== 0x21) continue // neither "b" nor "!"
    const start = String.fromCharCode(...bytes.subarray(lt, lt + LONGEST_MARK))
    if (/^<base[\s/>]|^<!--\s*(?:block:|menu:|written-for:|tags:)/i.test(start)) return true
  }
  return false
}
/** Bytes in which a mark is told: ours are written by us, with one space. */
const LONGEST_MARK = 64

function joined(parts: readonly Uint8Array[]): Uint8Array {
  const [only] = parts
  if (parts.length === 1 && only !== undefined) return only
  const all = new Uint8Array(parts.reduce((sum, part) => sum + part.length, 0))
  let at = 0
  for (const part of parts) {
    all.set(part, at)
    at += part.length
  }
  return all
}
