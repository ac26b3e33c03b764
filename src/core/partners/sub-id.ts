/** Without letters and digits that are taken for one another. */
const ALPHABET = '23456789abcdefghjkmnpqrstvwxyz'
const SUB_ID_CHARS = 8

/**
 * The sub-ID of a placement: what a partner's report names it by. Short, made of letters and digits that survive any form, and
 * beginning with a letter, so that no spreadsheet takes it for a number. It stands in the link's address, so it stays when the
 * words around it are edited.
 * @param page - id of the page, @param destination - the partner's page, @param nth - counts a page's links to it from 0
 */
export function subIdOf(page: string, destination: string, nth: number): string {
  const text = `${page} ${destination} ${nth}`
  let [low, high] = [0x811c9dc5, 0x9e3779b9]
  for (let i = 0; i < text.length; i++) {
    // FNV-1a, twice, with the halves mixed: forty bits are enough for a site's placements.
    low = Math.imul(low ^ text.charCodeAt(i), 0x01000193)
    high = Math.imul(high ^ text.charCodeAt(i) ^ (low >>> 15), 0x85ebca6b)
  }
  let number = ((high >>> 0) & 0xfffff) * 0x100000 + ((low >>> 0) & 0xfffff)
  let id = ALPHABET[8 + (number % (ALPHABET.length - 8))] ?? 'a'
  number = Math.floor(number / (ALPHABET.length - 8))
  while (id.length < SUB_ID_CHARS) {
    id += ALPHABET[number % ALPHABET.length] ?? '2'
    number = Math.floor(number / ALPHABET.length)
  }
  return id
}

/** Whether a text can be a sub-ID of ours. */
export const looksLikeSubId = (text: string): boolean => new RegExp(`^[${ALPHABET.slice(8)}][${ALPHABET}]{${SUB_ID_CHARS - 1}}$`).test(text)
