import { expandParts, type PartFinder } from '../blocks/index.ts'
import { applyPatches, decodeSource, type PatchSet, patchBytes, writableIn } from '../markup/index.ts'
import { ok, type Result } from '../result.ts'
import { type CompiledSite, type DeliveredLink, deliverPage, readTags, type SharedPart } from '../rules/index.ts'

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

/** A page's bytes as visitors get them, and what was decided for each link. */
export interface DeliveredBytes {
  readonly bytes: Uint8Array
  readonly links: readonly DeliveredLink[]
}

/** {@link deliverSource} for a stored page: bytes outside the changes are the same bytes. */
export function deliverBytes(
  bytes: Uint8Array,
  encoding: string,
  site: CompiledSite,
  place: PagePlace,
): Result<DeliveredBytes, 'encoding-unpatchable'> {
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
  return ok({ bytes: out, links: page.links })
}
