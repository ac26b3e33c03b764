/** Text in small letters without accents, as people look for it: "Café" is "cafe". Unicode NFKD, then without marks. */
export const folded = (text: string): string =>
  ASCII.test(text) ? text.toLowerCase() : text.normalize('NFKD').replace(/\p{M}/gu, '').toLowerCase()
/** What has neither marks nor other forms: nearly all paths and most titles. */
const ASCII = /^[\0-\x7f]*$/

/** The words of a text, {@link folded}, without what stands between them. */
export const foldedWords = (text: string): string[] =>
  folded(text)
    .split(/[^\p{L}\p{N}]+/u)
    .filter((word) => word !== '')

/**
 * The words of a text with hyphens between them, as names are made of titles. May be empty.
 * @param letters - "latin": of a to z and digits alone; "any": of every script
 */
export const hyphenated = (text: string, letters: 'latin' | 'any'): string =>
  folded(text)
    .replace(letters === 'latin' ? /[^a-z0-9]+/g : /[^\p{L}\p{N}]+/gu, '-')
    .replace(/^-+|-+$/g, '')
