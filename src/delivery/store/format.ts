import { createHash } from 'node:crypto'
import { type CompiledShortLink, compileShortLink, type ShortLinkTarget } from '../../core/routing/index.ts'

/** Of what stands in a store, and how. One of another number is built anew. */
export const FORMAT = '8'

/** A live page as it lies in the store. */
export interface StoredPage {
  readonly id: string
  readonly path: string
  readonly hash: string
  readonly encoding: string
  readonly tags: readonly string[]
  readonly writtenFor: string | null
}
export interface StoredFile {
  readonly hash: string
  readonly mediaType: string
  readonly bytes: number
}

/** Longest path that stands in a key as it is; LMDB takes keys of 1,978 bytes at most. */
const PATH_MAX_BYTES = 1_000
const pathIn = (path: string): string =>
  Buffer.byteLength(path) <= PATH_MAX_BYTES ? path : `#${createHash('sha256').update(path).digest('hex')}`

/** Every key of a store, by what stands behind it. */
export const KEYS = {
  /** {@link FORMAT}. */
  format: 'format',
  /** Counted up by every change. */
  generation: 'generation',
  /** Counted up when what is compiled changes: hosts, rules, partners. */
  setUp: 'set-up',
  /** Stands in a store that is not filled to its end: what is missing in it may only be missing yet. */
  filling: 'filling',
  /** How far in its log a site has been followed. */
  number: (siteId: string): string => `number ${siteId}`,
  /** The number at which links of a site were last judged otherwise. */
  stamp: (siteId: string): string => `stamp ${siteId}`,
  /** What a site is compiled from, as JSON. */
  site: (siteId: string): string => `site ${siteId}`,
  shortLink: (hostId: string, slug: string): string => `short ${hostId} ${pathIn(slug)}`,
  page: (siteId: string, path: string): string => `page ${siteId} ${pathIn(path)}`,
  /** The path of a page that is written with capitals. @param folded - that path in small letters */
  folded: (siteId: string, folded: string): string => `folded ${siteId} ${pathIn(folded)}`,
  /** That a page has a word in its path or title, with what it is called. @param word - folded; its beginning finds it too */
  word: (siteId: string, word: string, pageId: string): string => `word ${siteId} ${word} ${pageId}`,
  file: (siteId: string, path: string): string => `file ${siteId} ${pathIn(path)}`,
  /** @param part - "block name" or "menu name" */
  part: (siteId: string, part: string): string => `part ${siteId} ${pathIn(part)}`,
  /** Addresses that wait for an editor: of a page, or of a shared part. */
  waiting: (siteId: string, pageId: string): string => `waits ${siteId} ${pageId}`,
  sharedWaiting: (siteId: string, partId: string): string => `shared ${siteId} ${partId}`,
  /** Rows of a site's redirects that are found by the same, as JSON. @param match - "" for all of them */
  redirects: (siteId: string, match: string, key: string): string => `to ${siteId} ${match} ${pathIn(key)}`,
  /** That a row of a site's redirects is named in its sitemap, with its path. */
  listed: (siteId: string, id: string): string => `listed ${siteId} ${id}`,
  /** "1" where a row of a site's redirects has a condition. */
  conditional: (siteId: string): string => `conditional ${siteId}`,
  /** Counted up when rows change that are found by asking them, with which: see `PatternTurn`. */
  patterns: (siteId: string): string => `patterns ${siteId}`,
  /** The keys that stand for a row of the database, so that they go when it does. */
  of: (id: string): string => `of ${id}`,
  /** That a key refers to a content. */
  use: (hash: string, key: string): string => `use ${hash} ${createHash('sha256').update(key).digest('hex')}`,
} as const

/** All keys that begin so. */
export const startingWith = (prefix: string): { start: string; end: string } => ({ start: `${prefix} `, end: `${prefix}!` })

/**
 * A short link in one line a fact: it is read at every click. What few have comes last, as JSON.
 * @returns null where its destination is no address any more
 */
export function writeShortLink(target: ShortLinkTarget): string | null {
  const compiled = compileShortLink(target)
  if (compiled === null) return null
  const { id, status, location, destination, course, isDown, isFull } = compiled
  const plain = [id, status, location, destination]
  return (course === null ? plain : [...plain, JSON.stringify({ course, isDown, isFull })]).join('\n')
}

export function readShortLink(line: string): CompiledShortLink {
  const [id = '', status = '', location = '', destination = '', more] = line.split('\n')
  const plain = { id, status: Number(status) as CompiledShortLink['status'], location, destination }
  if (more === undefined) return { ...plain, course: null, isDown: false, isFull: false }
  return { ...plain, ...(JSON.parse(more) as Pick<CompiledShortLink, 'course' | 'isDown' | 'isFull'>) }
}
