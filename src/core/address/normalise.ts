import { parseUrl } from './site.ts'

const UNRESERVED = /[A-Za-z0-9\-._~]/
const HEX = /[0-9A-Fa-f]/

/**
 * The spelling under which addresses are counted: host in lower case, default port and dot segments gone
 * (WHATWG URL parser), percent-encoded unreserved characters decoded and other escapes in upper case
 * (RFC 3986 §6.2.2), an empty query dropped. Applying it twice changes nothing.
 * @param base - absolute; needed for relative addresses
 * @returns null when `address` is no address (for that base)
 */
export function normalise(address: string, base?: string): string | null {
  const url = parseUrl(address, base)
  if (url === null) return null
  const hash = plainEscapes(url.hash)
  const search = plainEscapes(url.search)
  url.hash = ''
  url.search = ''
  const stem = url.href.replace(/[?#]+$/, '')
  return plainEscapes(stem) + search + hash
}

/** Tells whether two addresses count as one. False when either is none. */
export function isSameAddress(a: string, b: string, base?: string): boolean {
  const left = normalise(a, base)
  return left !== null && left === normalise(b, base)
}

function plainEscapes(text: string): string {
  if (!text.includes('%')) return text
  let out = ''
  for (let i = 0; i < text.length; i++) {
    const isEscape = text[i] === '%' && HEX.test(text[i + 1] ?? '') && HEX.test(text[i + 2] ?? '')
    if (!isEscape) {
      out += text[i]
      continue
    }
    const decoded = String.fromCharCode(Number.parseInt(text.slice(i + 1, i + 3), 16))
    // "%%32%35" must not turn into "%25": a digit that would complete an escape stays encoded.
    const completesEscape = HEX.test(decoded) && /%[0-9A-Fa-f]?$/.test(out)
    out += UNRESERVED.test(decoded) && !completesEscape ? decoded : text.slice(i, i + 3).toUpperCase()
    i += 2
  }
  return out
}
