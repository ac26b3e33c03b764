import { folded } from './fold.ts'

/** Longest slug, inclusive: longer ones are neither said nor remembered. */
export const SLUG_MAX_CHARS = 60

/** Letters, digits, and hyphens between them; lower case, because nobody says capitals aloud. */
export const SLUG_PATTERN = /^[a-z0-9]+(?:-[a-z0-9]+)*$/

/** Paths that robots, browsers and certificates ask for by name; a short link there would answer the wrong question. */
export const RESERVED_SLUGS: ReadonlySet<string> = new Set([
  'robots',
  'sitemap',
  'favicon',
  'healthz',
  'readyz',
  'api',
  'admin',
  'well-known',
  'index',
  'security',
  'ads',
])

export type SlugFault = 'slug-malformed' | 'slug-too-long' | 'slug-reserved'

/** Why a slug cannot be used, whoever else has it; null when it can. */
export function slugFault(slug: string): SlugFault | null {
  if (slug.length > SLUG_MAX_CHARS) return 'slug-too-long'
  if (!SLUG_PATTERN.test(slug)) return 'slug-malformed'
  return RESERVED_SLUGS.has(slug) ? 'slug-reserved' : null
}

/** What a typed slug most likely means: lower case, accents off, anything else a hyphen. May be empty. */
export function tidySlug(text: string): string {
  return wordsOf(text).join('-').slice(0, SLUG_MAX_CHARS).replace(/-+$/, '')
}

/** The words of a text as slugs are made of them. */
export function wordsOf(text: string): string[] {
  return folded(text)
    .replace(/['’]/g, '')
    .replaceAll('ß', 'ss')
    .replaceAll('ø', 'o')
    .replaceAll('æ', 'ae')
    .replaceAll('&', ' and ')
    .split(/[^a-z0-9]+/)
    .filter((word) => word !== '')
}
