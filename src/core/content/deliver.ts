import { expandParts, type PartFinder } from '../blocks/index.ts'
import { applyPatches, decodeSource, type PatchSet, patchBytes, writableIn } from '../markup/index.ts'
import { ok, type Result } from '../result.ts'
import { type CompiledSite, type DeliveredLink, deliverPage } from '../rules/index.ts'

/** A comment by which a page's source says for which partner it is written. Never delivered. */
const WRITTEN_FOR = /<!--\s*written-for:\s*([0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12})\s*-->[\t ]*\r?\n?/i

/** The partner that a page is written for; null for none. */
export const writtenForOf = (html: string): string | null => WRITTEN_FOR.exec(html)?.[1] ?? null

/** The patch that writes down for whom a page is written, at the start of its body; null takes the mark away. */
export function setWrittenFor(html: string, partner: string | null): PatchSet {
  const mark = WRITTEN_FOR.exec(html)
  const insert = partner === null ? '' : `<!-- written-for: ${partner} -->`
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
  const mark = text.includes('written-for') ? WRITTEN_FOR.exec(text) : null
  const parts = findPart === undefined || !text.includes('<!--') ? [] : expandParts(text, findPart)
  const first =
    mark === null ? parts : [...parts, { from: mark.index, to: mark.index + mark[0].length, insert: '' }].sort((a, b) => a.from - b.from)
  const whole = applyPatches(text, first)
  const around = site.around(path, { writtenFor: mark?.[1], waiting })
  const page = deliverPage(whole, site.rules, around, site.findShortLink)
  return { html: page.html, whole, steps: first.length === 0 ? [page.patches] : [first, page.patches], links: page.delivered }
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
