/** Letters, digits and the marks on them, of any script: what reads the same within an address as outside of one. */
const LETTERS = /^[\p{L}\p{N}\p{M}]+$/u

/**
 * An address as people read it: letters in place of their percent-escapes. What means something in an address, or is not seen, stays
 * escaped, so that nothing looks like what it is not (UTS 46 and the WHATWG URL standard, "URL rendering", ask the same). For showing alone.
 */
export function readableAddress(address: string): string {
  if (!address.includes('%')) return address
  return address.replace(/(?:%[0-9a-f]{2})+/gi, (run) => {
    try {
      return [...decodeURIComponent(run)].map((each) => (LETTERS.test(each) ? each : encodeURIComponent(each))).join('')
    } catch {
      return run
    }
  })
}
