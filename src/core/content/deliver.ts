import { expandParts, type PartFinder } from '../blocks/index.ts'
import { mendDisclosure } from '../disclosure/index.ts'
import { applyPatches, decodeSource, type PatchSet, patchBytes, type StreamOptions, writableIn } from '../markup/index.ts'
import { ok, type Result } from '../result.ts'
import { type CompiledSite, type DeliveredLink, deliverPage, isPaid, type PageAround, ruleStream, type SharedPart } from '../rules/index.ts'
import type { PageNotes } from './notes.ts'

/** Where a page is delivered: its path, what is said of it, what waits on it, and the shared parts it may put in. */
export interface PagePlace extends Partial<PageNotes> {
  readonly path: string
  readonly waiting?: readonly string[] | undefined
  readonly findPart?: PartFinder | undefined
}

/** A page as visitors get it, and what was decided for each of its links. */
export interface DeliveredSource {
  readonly html: string
  /** With parts in, before the rules: what the links' offsets count in. */
  readonly whole: string
  /** Lead from the source to `html`, one after the other. */
  readonly steps: readonly PatchSet[]
  readonly links: readonly DeliveredLink[]
}

/** Puts shared parts in, and applies the rules. Without parts only start tags of links change. */
export function deliverSource(text: string, site: CompiledSite, { findPart, ...place }: PagePlace): DeliveredSource {
  const parts = findPart === undefined ? [] : expandParts(text, findPart)
  const whole = applyPatches(text, parts)
  const around = aroundOf(site, place)
  const page = deliverPage(whole, site.rules, around, site.findShortLink, parts.length === 0 ? undefined : partFinder(text, parts))
  const told = disclosed(page.html, page.patches, page.delivered, site)
  const steps = [parts, page.patches, told].filter((step) => step.length > 0)
  return { html: told.length === 0 ? page.html : applyPatches(page.html, told), whole, steps, links: page.delivered }
}

/** Tells whether pages get the site's disclosure as they are delivered. */
const isDisclosing = ({ setup: { disclosure } }: CompiledSite): boolean => disclosure?.isDelivered === true && disclosure.text !== ''

/** The patches of a delivered page that put its disclosure right. @param patches - that led to it */
function disclosed(html: string, patches: PatchSet, links: readonly DeliveredLink[], site: CompiledSite): PatchSet {
  const { disclosure } = site.setup
  if (disclosure === undefined || !isDisclosing(site)) return []
  const paid = links.find(({ decision }) => isPaid(decision.rel))
  if (paid === undefined) return []
  const shift = patches
    .filter(({ to }) => to <= paid.link.start)
    .reduce((sum, { from, to, insert }) => sum + insert.length - (to - from), 0)
  return mendDisclosure(html, disclosure, paid.link.start + shift)
}

const aroundOf = (site: CompiledSite, { path, waiting, tags, writtenFor }: Omit<PagePlace, 'findPart'>): PageAround =>
  site.around(path, { waiting, tags, writtenFor })

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
  // The quick way; what it would have to know before it comes (a base behind links, shared parts) takes the other.
  if (unitsAlone(encoding) && !isDisclosing(site) && !needsWhole(bytes)) {
    const stream = ruleStream(site.rules, aroundOf(site, place), site.findShortLink, encoding, room)
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

/** Tells whether a page may hold what has to be known before its first link: a `base`, or a shared part. */
function needsWhole(bytes: Uint8Array): boolean {
  for (let lt = bytes.indexOf(0x3c); lt !== -1; lt = bytes.indexOf(0x3c, lt + 1)) {
    const next = (bytes[lt + 1] ?? 0) | 0x20
    if (next !== 0x62 && next !== 0x21) continue // neither "b" nor "!"
    const start = String.fromCharCode(...bytes.subarray(lt, lt + LONGEST_MARK)).toLowerCase()
    if (start.startsWith('<base') || (start.startsWith('<!--') && PART_KINDS.some((kind) => start.slice(4).trimStart().startsWith(kind))))
      return true
  }
  return false
}
const PART_KINDS = ['block:', 'menu:']
/** Bytes in which a part's place is told: they are written by us, with one space. */
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
