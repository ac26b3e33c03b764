import { leadsOn, plainPath, readyRedirect, TOLERANCE } from '../../core/routing/index.ts'
import { foldedWords } from '../../core/slugs/index.ts'
import type { DeliveredFile, DeliveredPage, DeliveredShortLink } from '../../data/delivered.ts'
import { partKey } from '../../data/parts.ts'
import type { RedirectGroup } from '../../data/redirects.ts'
import { KEYS, writeShortLink } from './format.ts'
import type { Store } from './places.ts'
import type { StoredRedirect } from './redirects.ts'

/** What is to stand behind a key from now on; null for nothing. */
export type Put = readonly [key: string, value: string | null]

export function shortLinkPuts(link: DeliveredShortLink | null): Put[] {
  const line = link === null ? null : writeShortLink(link)
  return link === null || line === null ? [] : link.slugs.map(({ hostId, slug }): Put => [KEYS.shortLink(hostId, slug), line])
}

export function pagePuts(siteId: string, page: DeliveredPage | null): Put[] {
  if (page === null || page.hash === null) return []
  const { id, kind, path, title, hash, encoding, tags, writtenFor, html } = page
  if (kind !== 'page') return [[KEYS.part(siteId, partKey(path)), html ?? '']]
  const key = KEYS.page(siteId, path)
  const named = JSON.stringify({ path, title })
  const folded = path.toLowerCase()
  return [
    ...wordsOfPage(path, title).map((word): Put => [KEYS.word(siteId, word, id), named]),
    [key, JSON.stringify({ id, path, hash, encoding, tags, writtenFor })],
    [KEYS.use(hash, key), ''],
    ...(folded === path ? [] : [[KEYS.folded(siteId, folded), path] as const]),
  ]
}

/** Words by which a page is found for a missing address; so many of one page are enough. */
const WORDS_MAX = 12
const WORD_MAX_CHARS = 40

export const wordsOfPage = (path: string, title: string): string[] =>
  [...new Set(foldedWords(`${plainPath(path).replace(/\.\w{1,5}$/, '')} ${title}`))]
    .filter((word) => word.length > 1)
    .slice(0, WORDS_MAX)
    .map((word) => word.slice(0, WORD_MAX_CHARS))

export function filePuts(siteId: string, file: DeliveredFile | null): Put[] {
  if (file === null || file.hash === null) return []
  const { path, hash, mediaType, bytes } = file
  const key = KEYS.file(siteId, path)
  return [
    [key, JSON.stringify({ hash, mediaType, bytes })],
    [KEYS.use(hash, key), ''],
  ]
}

/** Rows that are found by the same stand together: whoever asks reads them at once. Each of them says where it stands. */
export function redirectPuts(siteId: string, { match, key, rows }: RedirectGroup): Put[] {
  const at = KEYS.redirects(siteId, match, key)
  const stored = rows.map(({ key: _, isHidden: __, ...row }): StoredRedirect => {
    if (row.match === 'exact' || row.match === 'under') return row
    const ready = readyRedirect(row, TOLERANCE)
    const pattern = ready.ok ? ready.value.pattern : null
    return pattern === null ? row : { ...row, head: pattern.head, literals: pattern.literals }
  })
  const listed = rows.map(
    ({ id, isHidden = true, from, status }): Put => [
      KEYS.listed(siteId, id),
      isHidden || match !== 'exact' || !leadsOn(status) ? null : from,
    ],
  )
  return [[at, JSON.stringify(stored)], ...listed, ...rows.map(({ id }): Put => [KEYS.of(id), JSON.stringify([at])])]
}

/** What stands for a row, with the list of it, by which it is found again when the row has changed. */
export const withIndex = (id: string, puts: readonly Put[]): Put[] =>
  puts.length === 0 ? [] : [...puts, [KEYS.of(id), JSON.stringify(puts.map(([key]) => key))]]

/** What stands for a row from now on in place of what stood for it before. */
export function replacing(store: Store, id: string, puts: readonly Put[]): Put[] {
  const before = JSON.parse(store.get(KEYS.of(id)) ?? '[]') as string[]
  const now = new Set(puts.map(([key]) => key))
  const gone = before.filter((key) => !now.has(key)).map((key): Put => [key, null])
  return [...gone, ...(puts.length === 0 && before.length > 0 ? [[KEYS.of(id), null] as const] : withIndex(id, puts))]
}
