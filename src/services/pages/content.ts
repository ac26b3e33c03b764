import { type ApartFault, apart } from '../../apart/index.ts'
import {
  NO_NOTES,
  type PageContent,
  type PageFault,
  type PageNotes,
  readMenuContent,
  readPage,
  tooMuchOf,
} from '../../core/content/index.ts'
import { type PatchOrder, patchSource } from '../../core/markup/index.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import { contentHash } from '../../data/content-hash.ts'
import type { NewContent } from '../../data/contents.ts'
import type { PageKind } from '../../data/tables/index.ts'

/** The name that bytes are kept under of which nothing is said: files, and what a page was made of. */
export const hashOf = (bytes: Uint8Array): string => contentHash(bytes, NO_NOTES)

/** Pages up to this size are read and made where they are asked for, in a few milliseconds; larger ones apart, so that nobody else waits. */
export const HERE_MAX_BYTES = 256 * 1024
/** A page of the largest size takes a tenth of it. */
export const PAGE_WORK_MS = 20_000

export interface ContentOptions {
  /** What is said of it: what is left out here is lost. */
  readonly notes: PageNotes
  readonly encoding?: string | undefined
  readonly kind?: PageKind
  readonly path?: string
}

/** Reads bytes into what is stored of a page, block or menu. Blocks and menus keep the title they were given. */
export function newContent(
  bytes: Uint8Array,
  fallbackTitle: string,
  { encoding, kind = 'page', path = '/', notes }: ContentOptions,
): NewContent {
  return contentOf(bytes, fallbackTitle, kind, notes, kind === 'menu' ? readMenuContent(bytes) : readPage(bytes, encoding, path))
}

/** {@link newContent} for what somebody gave, however large: read apart where it is, and refused where it is too much. */
export async function givenContent(
  bytes: Uint8Array,
  fallbackTitle: string,
  { encoding, kind = 'page', path = '/', notes }: ContentOptions,
): Promise<Result<NewContent, PageFault | ApartFault>> {
  const isLarge = bytes.length > HERE_MAX_BYTES
  if (tooMuchOf({ bytes: bytes.length, links: 0, depth: 0, listDepth: 0 }) !== null) return fail('page-too-large')
  const read: Result<Omit<PageContent, 'text'>, ApartFault> = kind === 'menu'
    ? ok(readMenuContent(bytes))
    : isLarge
      ? await apart('read', { bytes, encoding, path }, { deadlineMs: PAGE_WORK_MS })
      : ok(readPage(bytes, encoding, path))
  if (!read.ok) return read
  const tooMuch = tooMuchOf({ ...read.value, bytes: bytes.length, links: read.value.placements.length })
  return tooMuch === null ? ok(contentOf(bytes, fallbackTitle, kind, notes, read.value)) : fail(tooMuch)
}

/** What is stored of a page that was read already. */
export const contentOf = (
  bytes: Uint8Array,
  fallbackTitle: string,
  kind: PageKind,
  { tags, writtenFor }: PageNotes,
  read: Omit<PageContent, 'text'>,
): NewContent => ({
  hash: contentHash(bytes, { tags, writtenFor }),
  bytes,
  encoding: read.encoding,
  title: (kind === 'page' ? read.title : null) ?? fallbackTitle,
  placements: read.placements,
  writtenFor,
  tags,
  words: read.words,
  uses: read.uses,
})

/** Puts patch sets on stored bytes, one on top of the other; apart where that is much work. */
export async function patchContent(order: PatchOrder): Promise<Result<Uint8Array, 'patches-unfit' | 'encoding-unpatchable' | ApartFault>> {
  if (order.bytes.length * order.patchSets.length <= HERE_MAX_BYTES) return patchSource(order)
  const done = await apart('patch', order, { deadlineMs: PAGE_WORK_MS })
  return done.ok ? done.value : done
}
