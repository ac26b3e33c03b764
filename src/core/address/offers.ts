import { type Told, tell } from '../../words/index.ts'
import { parseUrl } from './site.ts'

/** A change that helps most people but not everybody, so it is offered and never made unasked. */
export interface Offer {
  /** In plain words, for the person who pasted. */
  readonly what: Told
  readonly from: string
  readonly to: string
}

const TRACKING =
  /^(?:utm_[a-z_]+|gclid|gbraid|wbraid|dclid|fbclid|msclkid|yclid|ttclid|twclid|igshid|mc_cid|mc_eid|_hsenc|_hsmi|vero_id|oly_enc_id|oly_anon_id|li_fat_id|s_cid)$/i

/** Query parameters in which search engines and mail programs put the real destination. */
const CARRIERS = ['url', 'u', 'q', 'uddg', 'to', 'target', 'dest', 'destination', 'redirect', 'goto', 'link', 'href']
/** Last path segments of addresses that share or sign in rather than lead away: the carried address is not the destination. */
const NOT_REDIRECTORS = /(?:share|sharer|intent|login|signin|oauth|submit|validator|check)/i

/** What could be taken off an outside address: tracking parameters, and the wrapping of a redirector. */
export function offersFor(address: string): readonly Offer[] {
  const url = parseUrl(address)
  if (url === null || !/^https?:$/.test(url.protocol)) return []
  const offers = url.search === '' ? [] : [unwrapOffer(address, url), trackingOffer(address)]
  return [...offers, sentenceOffer(address)].filter((offer) => offer !== null)
}

/** A mark or a bracket at the end that may be the sentence's, and may as well be the address's. */
function sentenceOffer(address: string): Offer | null {
  const found = /[.,!?…]+$/.exec(address)?.[0] ?? looseBracket(address)
  if (found === undefined || /\/\.{1,2}$/.test(address)) return null
  return { what: tell('offer.end', { found }), from: address, to: address.slice(0, -found.length) }
}

/** A bracket at the end that nothing opens. */
function looseBracket(address: string): string | undefined {
  const close = address.at(-1) ?? ''
  const open = { ')': '(', ']': '[', '}': '{' }[close]
  return open === undefined || address.split(close).length <= address.split(open).length ? undefined : close
}

function trackingOffer(address: string): Offer | null {
  const [stem = '', rest = ''] = splitOnce(address, '?')
  const [query = '', hash] = splitOnce(rest, '#')
  const kept = query.split('&').filter((part) => !TRACKING.test(part.split('=', 1)[0] ?? ''))
  if (kept.length === query.split('&').length) return null
  const to = stem + (kept.length > 0 ? `?${kept.join('&')}` : '') + (hash === undefined ? '' : `#${hash}`)
  return { what: tell('offer.tracking'), from: address, to }
}

function unwrapOffer(address: string, url: URL): Offer | null {
  if (NOT_REDIRECTORS.test(url.pathname)) return null
  for (const name of CARRIERS) {
    const carried = url.searchParams.get(name)
    if (carried === null || !/^https?:\/\/[^/\s]+\.[^/\s]/i.test(carried)) continue
    const inner = parseUrl(carried)
    if (inner === null || inner.hostname === url.hostname) continue
    return { what: tell('offer.straight', { to: inner.hostname, by: url.hostname }), from: address, to: carried }
  }
  return null
}

function splitOnce(text: string, mark: string): [string, string?] {
  const at = text.indexOf(mark)
  return at === -1 ? [text] : [text.slice(0, at), text.slice(at + 1)]
}
