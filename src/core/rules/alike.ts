import { isPagePath, type Surroundings } from '../address/index.ts'
import type { LinkSpans, QuickAnswer } from '../markup/index.ts'
import type { Decision } from './decide.ts'
import type { LinkFacts } from './facts.ts'

/** What was decided for a link as it is written, and so for every other one that is written alike. */
export interface Variant {
  /** As written, undecoded; null when absent. */
  readonly rel: string | null
  readonly target: string | null
  readonly shows: LinkFacts['shows']
  readonly facts: LinkFacts
  readonly decision: Decision
  /** How such a tag is written anew: null leaves it alone, undefined says that it depends on more of the tag. */
  readonly answer: QuickAnswer | null | undefined
}

/** Links whose destinations are the same to every rule: one site's, or our own pages, files or sections. */
export type Alike = Variant[]

/** Ways of writing one kind of link that are kept; pages have few, and one made to have more is none to keep things for. */
const VARIANTS_MAX = 16
/** Hosts kept for one list of rules. */
const HOSTS_MAX = 4_096

enum Char {
  Plain = 1,
  Slash,
  Dot,
  Query,
  Hash,
}
/** Characters of a path that the URL parser leaves as they are, and those that part an address. */
const PATH = new Uint8Array(128)
for (const c of 'ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789_~-') PATH[c.charCodeAt(0)] = Char.Plain
PATH[0x2f] = Char.Slash
PATH[0x2e] = Char.Dot
PATH[0x3f] = Char.Query
PATH[0x23] = Char.Hash

/** Bytes of the page itself: a piece cut out of a text would keep the whole text in memory. */
const alone = (text: string): string => new TextDecoder().decode(new TextEncoder().encode(text))

/** Stands in the place of the group of our own host, whose links go by their paths. */
const OWN: Alike = []

/**
 * Puts links together of which rules that ask neither for addresses nor for words cannot say different things, by a look at
 * their destinations that costs a twentieth of parsing them. What it is not sure of belongs to no group.
 */
export class AlikeLinks {
  readonly #hosts = new Map<string, Alike>()
  /** On this site: by the extension of the path, "" for none. */
  readonly #paths = new Map<string, Alike>()
  readonly #sections: Alike = []
  readonly #around: Surroundings
  readonly #ownHost: string | null

  /**
   * @param around - of any page of one host: its own path is not looked at
   * @param ownHost - that host, where it has pages of the site and no short links; else null
   */
  constructor(around: Surroundings, ownHost: string | null) {
    this.#around = around
    this.#ownHost = ownHost
  }

  /**
   * @param text - one character a byte or decoded; the destination is trimmed
   * @param hasOwnBase - relative addresses start from a page of this site
   */
  groupOf(text: string, { hrefStart, hrefEnd }: Pick<LinkSpans, 'hrefStart' | 'hrefEnd'>, hasOwnBase: boolean): Alike | null {
    if (hrefStart === -1 || hrefStart === hrefEnd) return null
    if (!text.startsWith('http', hrefStart)) return hasOwnBase ? this.#relative(text, hrefStart, hrefEnd) : null
    const hostStart = hrefStart + (text.charCodeAt(hrefStart + 4) === 0x73 ? 8 : 7)
    if (!text.startsWith('://', hostStart - 3)) return null
    const slash = text.indexOf('/', hostStart)
    const hostEnd = slash === -1 || slash > hrefEnd ? hrefEnd : slash
    const host = text.slice(hostStart, hostEnd)
    const group = this.#hosts.get(host) ?? this.#meetHost(host)
    if (group !== OWN) return group
    return hostEnd === hrefEnd ? this.#path(text, -1, hrefEnd) : this.#relative(text, hostEnd, hrefEnd)
  }

  #meetHost(host: string): Alike | null {
    const { siteHosts, shortHosts } = this.#around
    const isOurs = siteHosts.includes(host) || shortHosts.some((short) => short.host === host)
    if (!/^[a-z0-9.-]+$/.test(host) || (isOurs && host !== this.#ownHost)) return null
    if (this.#hosts.size >= HOSTS_MAX) this.#hosts.clear()
    const group: Alike = isOurs ? OWN : []
    this.#hosts.set(alone(host), group)
    return group
  }

  #relative(text: string, from: number, end: number): Alike | null {
    let start = from
    while (text.startsWith('../', start)) start += 3
    if (text.startsWith('//', start)) return null
    let dot = -1
    let before: number = Char.Slash
    for (let i = start; i < end; i++) {
      const char = PATH[text.charCodeAt(i)] ?? 0
      if (char === Char.Slash) dot = -1
      else if (char === Char.Dot) {
        if (before === Char.Slash) return null // a dot segment, or a file that begins with one
        dot = i
      } else if (char === Char.Hash) return i === from ? this.#section(text, i + 1, end) : null
      else if (char === Char.Query) return i === start || !isPlainQuery(text.slice(i, end)) ? null : this.#path(text, dot, i)
      else if (char !== Char.Plain) return null
      before = char
    }
    return start === end ? null : this.#path(text, dot, end)
  }

  #section(text: string, from: number, end: number): Alike | null {
    for (let i = from; i < end; i++) if (PATH[text.charCodeAt(i)] !== Char.Plain) return null
    return from === end ? null : this.#sections
  }

  /** {@link isPagePath} looks at nothing but the extension. */
  #path(text: string, dot: number, end: number): Alike {
    const extension = dot === -1 ? '' : text.slice(dot, end)
    const known = this.#paths.get(extension)
    if (known !== undefined) return known
    const kind = isPagePath(`/x${extension}`) ? '' : '.file'
    const group = this.#paths.get(kind) ?? []
    this.#paths.set(kind, group)
    if (this.#paths.size < HOSTS_MAX) this.#paths.set(alone(extension), group)
    return group
  }
}

/** A fragment may hide in a character reference. */
const isPlainQuery = (query: string): boolean => !query.includes('#') && !query.replaceAll('&amp;', '').includes('&')

const ASCII = /^[\0-\x7f]*$/

/** The variant that is written like this link; undefined when none was decided yet. */
export function variantOf(
  group: Alike,
  text: string,
  { relStart, relEnd, targetStart, targetEnd }: LinkSpans,
  shows: LinkFacts['shows'] | null,
): Variant | undefined {
  for (let k = 0; k < group.length; k++) {
    const variant = group[k]
    if (variant === undefined || (shows !== null && variant.shows !== shows)) continue
    if (isWritten(text, relStart, relEnd, variant.rel) && isWritten(text, targetStart, targetEnd, variant.target)) return variant
  }
  return undefined
}

const isWritten = (text: string, from: number, to: number, value: string | null): boolean =>
  from === -1 ? value === null : value !== null && value.length === to - from && text.startsWith(value, from)

/** Keeps a variant; not one whose bytes another encoding would read or write in another way. */
export function keepVariant(group: Alike, variant: Variant): void {
  const { rel, target, answer } = variant
  if (group.length >= VARIANTS_MAX || !ASCII.test(`${rel}${target}${answer?.added}${answer?.rel}${answer?.target}`)) return
  group.push({
    ...variant,
    rel: variant.rel === null ? null : alone(variant.rel),
    target: variant.target === null ? null : alone(variant.target),
  })
}
