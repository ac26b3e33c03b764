import { getPublicSuffix, parse } from 'tldts'
import { type Told, tell } from '../../words/index.ts'
import { fail, ok, type Result } from '../result.ts'
import { type AddressKind, classify, isOwnHost, type Surroundings } from './classify.ts'
import { type Offer, offersFor } from './offers.ts'
import { parseUrl } from './site.ts'

/** Longest address kept, inclusive. RFC 9110 §4.1 asks everybody to handle this much. */
export const ADDRESS_MAX_CHARS = 8_000

/** One change made to what was pasted, told by its name. */
export interface Repair {
  readonly what: Told
  readonly from: string
  readonly to: string
}

export interface RepairedAddress {
  readonly address: string
  readonly kind: AddressKind
  /** In the order they were made; empty when the address was fine as it came. */
  readonly repairs: readonly Repair[]
  /** Changes that may help and were not made. */
  readonly offers: readonly Offer[]
}

export type AddressFault =
  | 'address-empty'
  | 'address-too-long'
  | 'address-control-character'
  | 'address-forbidden-scheme'
  | 'address-unknown-scheme'
  | 'address-unreadable'

const FORBIDDEN_SCHEMES = new Set(['javascript', 'data', 'vbscript', 'file', 'blob', 'about', 'filesystem', 'view-source', 'ws', 'wss'])
const FOLLOWED_SCHEMES = new Set(['http', 'https', 'mailto', 'tel', 'sms', 'ftp'])
/** C0 without tab, line feed and carriage return (those come from wrapped lines and are repaired), DEL and C1. */
const CONTROL = /[\u0000-\u0008\u000b\u000c\u000e-\u001f\u007f-\u009f]/
/** Soft hyphen, zero-width space, word joiner, byte order mark, bidi marks and embeddings: never meant in an address. */
const INVISIBLE = /[\u00ad\u200b\u200e\u200f\u202a-\u202e\u2060-\u2069\ufeff]/g
/** Joiners have meaning between letters of some scripts, so only those at the ends go. */
const OUTER_JOINERS = /^[\u200c\u200d]+|[\u200c\u200d]+$/g
const PAIRS: readonly (readonly [string, string])[] = [
  ['<', '>'],
  ['"', '"'],
  ["'", "'"],
  ['`', '`'],
  ['“', '”'],
  ['„', '“'],
  ['‘', '’'],
  ['‚', '‘'],
  ['«', '»'],
  ['‹', '›'],
  ['(', ')'],
  ['[', ']'],
  ['{', '}'],
]
/** What ends a sentence, or a part of one, once: several of them are somebody's own ("wait..."). */
const SENTENCE_END = /(?<![.,!…。，、])[.,!…。，、]$/

type Step = (text: string) => string

/**
 * Mends what people paste, and says what it mended. A valid address never changes meaning; an inside page given
 * with the site's own domain becomes its path (PRODUCT 6.1).
 * @param text - as pasted
 * @param around - the site, and the page the link is to stand on
 */
export function repair(text: string, around: Surroundings): Result<RepairedAddress, AddressFault> {
  if (text.length > ADDRESS_MAX_CHARS) return fail('address-too-long', { length: text.length, limit: ADDRESS_MAX_CHARS })
  if (CONTROL.test(text)) return fail('address-control-character')
  const repairs: Repair[] = []
  let now = text
  const mend = (what: Told | ((from: string, to: string) => Told), step: Step): void => {
    const next = step(now)
    if (next !== now) repairs.push({ what: typeof what === 'function' ? what(now, next) : what, from: now, to: next })
    now = next
  }

  mend(tell('repair.invisible'), (t) => t.replace(INVISIBLE, '').replace(OUTER_JOINERS, ''))
  mend(tell('repair.space'), (t) => t.trim())
  mend(tell('repair.joined'), (t) => t.replace(/\s*[\r\n\t]+\s*/g, ''))
  mend(tell('repair.bare'), bare)
  if (now === '') return fail('address-empty')
  const early = schemeFault(now) ?? shapeFault(now)
  if (early !== null) return early
  mend(tell('repair.ampersand'), (t) => t.replace(/&(?:amp|#0*38|#x0*26);/gi, '&'))
  mend(tell('repair.mail'), asMail)
  mend(tell('repair.phone'), asPhone)
  if (!/^(?:mailto|tel|sms):/i.test(now)) {
    mend(tell('repair.backslashes'), turnBackslashes)
    mend(tell('repair.doubled-scheme'), dropDoubledScheme)
    mend(tell('repair.scheme'), mendScheme)
    mend(tell('repair.host'), closeUpHost)
    mend(
      (from, to) => tell('repair.in-front', { added: to.slice(0, to.length - from.length) }),
      (t) => addScheme(t, around),
    )
    mend(tell('repair.spaces'), (t) => t.replace(/[\s\u00a0]+/g, '%20'))
  }
  const late = schemeFault(now) ?? shapeFault(now)
  if (late !== null) return late
  const url = parseUrl(now, around.page)
  if (url === null || !isPlausible(now, url)) return fail('address-unreadable', { address: now })
  mend(tell('repair.own-page'), (t) => insidePath(t, around))
  const kind = classify(now, around)
  if (kind === null) return fail('address-unknown-scheme', { scheme: url.protocol.slice(0, -1) })
  return ok({ address: now, kind, repairs, offers: offersFor(now) })
}

/** Peels quotes, brackets and the punctuation of the sentence the address stood in. */
function bare(text: string): string {
  const linked = /^\[[^\]]*\]\((\S+)\)$/.exec(text)
  let now = linked?.[1] ?? text
  for (;;) {
    const before = now
    for (const [open, close] of PAIRS) {
      if (now.length > 2 && now.startsWith(open) && now.endsWith(close)) now = now.slice(1, -1).trim()
    }
    now = withoutEndBehindPair(now)
    now = dropLooseClosers(now)
    // "." and ".." are paths. Behind a query or a fragment nobody can tell whose a full stop is: it stays, and is offered.
    if (!/^\.{1,2}$|\/\.{1,2}$/.test(now) && !/[?#]./.test(now)) now = now.replace(SENTENCE_END, '').trimEnd()
    // An opening quote or bracket begins no address; one at the end may belong to it, unless its partner is there.
    if (now === before) now = now.replace(/^[<([{"“„‘‚«‹]+(?=\S)/, '')
    if (/^["'`“”„‘’‚«»‹›]*$/.test(now)) return ''
    if (now === before) return now
  }
}

/** Behind a quote or bracket that closes the whole, what ends a sentence is none of the address, whatever stands in it. */
function withoutEndBehindPair(text: string): string {
  const [open, close] = PAIRS.find(([each]) => text.startsWith(each)) ?? []
  if (open === undefined || close === undefined) return text
  // Looked at from its end: a search for the run would begin anew at every sign of one that is longer.
  let end = text.length
  while (end > 0 && /[\s.,;:!?…。，、]/.test(text[end - 1] ?? '')) end--
  const inside = text.slice(0, end)
  return inside.length > 2 && inside !== text && inside.endsWith(close) ? inside : text
}

/**
 * A bracket at the end that nothing opens is the sentence's, unless the address is a whole one: in that it may stand, and nobody can
 * tell (it is offered), but where the sentence ends behind it. Angle brackets stand in no address.
 */
function dropLooseClosers(text: string): string {
  const isWhole = /^https?:\/\/[^\s/?#]/i.test(text) && parseUrl(text) !== null
  const end = isWhole && !/[?#]./.test(text) ? text.replace(SENTENCE_END, '') : text
  for (const [open, close] of [
    ['(', ')'],
    ['[', ']'],
    ['{', '}'],
    ['<', '>'],
  ] as const) {
    if (isWhole && end === text && close !== '>') continue
    if (end.endsWith(close) && count(end, close) > count(end, open)) return end.slice(0, -1)
  }
  return text
}

const count = (text: string, mark: string): number => text.split(mark).length - 1

function schemeOf(text: string): string | null {
  const found = /^\s*([a-z][a-z0-9+.-]*)\s*:(.*)$/is.exec(text)
  if (found?.[1] === undefined) return null
  const rest = found[2] ?? ''
  const isHostAndPort = /^\d{1,5}(?:[/?#]|$)/.test(rest) && (found[1].includes('.') || found[1].toLowerCase() === 'localhost')
  return isHostAndPort ? null : found[1].toLowerCase()
}

function schemeFault(text: string) {
  if (/^[a-z]:[\\/]/i.test(text)) return fail('address-forbidden-scheme', { scheme: 'file', why: tell('address.own-computer') })
  // Escapes and entities must not smuggle a scheme past: look at the text a careless reader would decode it to.
  const shown = text.replace(/&colon;|&#0*58;|&#x0*3a;/gi, ':').replace(/&(?:tab|newline);|&#x?0*[9ad];/gi, '')
  const scheme = schemeOf(shown)
  if (scheme === null || FOLLOWED_SCHEMES.has(scheme) || /^h?t?tp?s?$/.test(scheme)) return null
  if (FORBIDDEN_SCHEMES.has(scheme)) {
    const why = scheme === 'file' ? tell('address.one-computer') : tell('address.code')
    return fail('address-forbidden-scheme', { scheme, why })
  }
  return /^[a-z]+$/.test(scheme) || shown.includes('://') ? fail('address-unknown-scheme', { scheme }) : null
}

/** What is no address although a parser would make one of it. */
function shapeFault(text: string) {
  if (/^\\\\/.test(text)) return fail('address-forbidden-scheme', { scheme: 'file', why: tell('address.own-network') })
  if (/^[a-z]+:[\s/]*$/i.test(text)) return fail('address-unreadable', { address: text, why: tell('address.beginning-alone') })
  if (/^\S+\s+(?:https?:\/\/|www\.)\S/i.test(text)) return fail('address-unreadable', { address: text, why: tell('address.two') })
  const authority = /^(?:https?:\/\/)?([^/?#]*)/i.exec(text)?.[1] ?? ''
  const hosts = authority.trim().split(/[\s\u00a0]+/)
  if (hosts.length > 1 && hosts.every((host) => host.includes('.') && isHostName(host.toLowerCase())))
    return fail('address-unreadable', { address: text, why: tell('address.two') })
  return null
}

function asMail(text: string): string {
  const mail = mailOf(text)
  return /^mailto:/i.test(mail) ? mail.replace(/[\s\u00a0]/g, '%20') : mail
}

function mailOf(text: string): string {
  if (/^mailto:/i.test(text)) return text.replace(/^mailto:\s*\/*\s*/i, (start) => (start.toLowerCase() === 'mailto:' ? start : 'mailto:'))
  return /^[^\s@:/?#]+@[^\s@:/?#]+\.[^\s@:/?#.]+(?:\?\S*)?$/.test(text) ? `mailto:${text}` : text
}

function asPhone(text: string): string {
  const number = /^(?:tel:|phone:)?\s*((?:\+|00|0|\()[\d\s().\-/\u00a0\u2011-\u2013]{5,24})$/i.exec(text)?.[1]
  if (number === undefined) return text
  const digits = number.replace(/\(0\)/g, '').replace(/[^\d+]/g, '')
  return digits.replace('+', '').length >= 6 && !/^\d+\.\d+\.\d+\.\d+$/.test(number.trim()) ? `tel:${digits}` : text
}

function turnBackslashes(text: string): string {
  const end = text.search(/[?#]/)
  const stem = end === -1 ? text : text.slice(0, end)
  return stem.replaceAll('\\', '/') + (end === -1 ? '' : text.slice(end))
}

/** `http://https://…`, `https://http//…`, `http:http://…`: the last one is the one that was copied. */
function dropDoubledScheme(text: string): string {
  let now = text
  while (/^https?\s*(?::\/*|\/\/)\s*https?\s*(?::(?!\d+(?:[/?#]|$))|\/\/)/i.test(now)) now = now.replace(/^https?\s*(?::\/*|\/\/)\s*/i, '')
  return now
}

/** Slips in the scheme itself: `http:/x`, `http//x`, `http:///x`, `htp://x`, `ttps://x`, `http;//x`. */
function mendScheme(text: string): string {
  if (/^https?:\/\/[^/]/i.test(text)) return text
  const slip = /^(https?|h?tt?ps?|htp?s?|hhttps?|htttps?)\s*(?:[:;]\s*\/*|\/\/+)\s*(?=[^\s/])/i.exec(text)
  if (slip?.[1] === undefined) return text
  if (/^[:;]\d/.test(text.slice(slip[1].length))) return text
  return `${/s$/i.test(slip[1]) ? 'https' : 'http'}://${text.slice(slip[0].length)}`
}

function closeUpHost(text: string): string {
  return text.replace(/^(https?:\/\/)([^/?#]*)/i, (_, scheme: string, host: string) => scheme + host.replace(/[\s\u00a0]+/g, ''))
}

function addScheme(text: string, around: Surroundings): string {
  if (/^(?:https?|ftp):/i.test(text) || /^(?:[/?#]|\.{1,2}(?:\/|$))/.test(text) === true) {
    return text.startsWith('//') && text.length > 2 ? `${parseUrl(around.page)?.protocol ?? 'https:'}${text}` : text
  }
  const host = /^([^/?#\s:@]+)(?::\d{1,5})?(?=[/?#]|$)/.exec(text)?.[1]?.toLowerCase()
  if (host === undefined) return text
  const known = around.siteHosts.includes(host) || around.shortHosts.some((short) => short.host === host)
  const isLocal = host === 'localhost' || host.endsWith('.localhost') || /^\d{1,3}(?:\.\d{1,3}){3}$/.test(host)
  if (isLocal) return `http://${text}`
  return known || isHostName(host) ? `https://${text}` : text
}

/** Names that are set apart (RFC 2606, RFC 6761, and ".internal"), which no list of public suffixes holds. */
const RESERVED = /\.(?:example|test|invalid|localhost|internal)$/

/** Tells whether a name is a host's, and no file's: it begins as hosts do, or ends in a suffix that hosts have. */
function isHostName(host: string): boolean {
  if (/^www\.[^.]/.test(host) || RESERVED.test(host)) return /^[^.\s]+(?:\.[^.\s]+)+$/.test(host)
  const read = parse(host)
  return host.includes('.') && read.isIcann === true && read.domain !== null && getPublicSuffix(host) !== host
}

/** A word or a sentence is no address, although the URL parser would take it for a relative one. */
function isPlausible(text: string, url: URL): boolean {
  if (/^(?:mailto|tel|sms):/i.test(text))
    return /^(?:mailto|tel|sms):\S+$/i.test(text) && (url.protocol !== 'mailto:' || /@|%40|\?/.test(text))
  if (/^(?:https?|ftp):/i.test(text)) {
    return url.hostname !== '' && (url.hostname === 'localhost' || url.hostname.includes('.') || url.hostname.startsWith('['))
  }
  if (/^(?:[/?#]|\.{1,2}(?:\/|$))/.test(text)) return true
  return !text.includes('%20') && /[./]/.test(text)
}

/** RFC 3986 §4.2: a reference that keeps the page's own host needs only the path. */
function insidePath(text: string, around: Surroundings): string {
  if (!/^https?:/i.test(text)) return text
  const url = parseUrl(text)
  if (url === null || !isOwnHost(url, around)) return text
  const rest = text.replace(/^https?:\/\/[^/?#]*/i, '')
  return rest.startsWith('/') ? rest : `/${rest}`
}
