/** Writes a value of HTML for use between double quotes. */
export function escapeAttribute(value: string): string {
  return value.replaceAll('&', '&amp;').replaceAll('"', '&quot;')
}

/** Writes words for use between two tags of HTML. */
export const escapeText = (words: string): string => words.replaceAll('&', '&amp;').replaceAll('<', '&lt;')

/** Writes words for use anywhere in HTML or XML, between tags and between quotes of either kind. */
export const escapeAnywhere = (words: string): string => words.replace(/[&<>"']/g, (sign) => `&#${sign.charCodeAt(0)};`)

/** Writes markup in signs of ASCII alone, so that it can stand in a page of whatever encoding. */
export const inAscii = (markup: string): string => markup.replace(/[^\0-\x7f]/gu, (letter) => `&#${letter.codePointAt(0)};`)
