import { isPagePath, type Surroundings } from '../address/index.ts'
import { Form, type LinkNote, type QuickAnswer, scanner } from '../markup/index.ts'
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
/** Hosts kept for one list of rules, and extensions. */
const KEYS_MAX = 4_096

/** The same text on its own: a piece cut out of a page would keep the whole page in memory. */
const alone = (text: string): string => new TextDecoder().decode(new TextEncoder().encode(text))

interface KnownHost {
  readonly host: string
  /** Null for our own host, whose links go by their paths. */
  readonly links: Alike | null
}

/**
 * Puts links together of which rules that ask neither for addresses nor for words cannot say different things, by what their
 * destinations look like, at a twentieth of the cost of parsing them. What it is not sure of belongs to no group.
 */
export class AlikeLinks {
  /** By the hash of the host. */
  readonly #hosts = new Map<number, KnownHost>()
  readonly #pages: Alike = []
  readonly #files: Alike = []
  readonly #sections: Alike = []
  readonly #extensions = new Map<string, Alike>([['', this.#pages]])
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
   * @param text - the page that was noted, ASCII as itself
   * @param isOwnBase - relative addresses start from a page of the own host
   */
  groupOf(text: string, note: LinkNote, isOwnBase: boolean): Alike | null {
    const { form, keyStart, keyEnd } = note
    if (form === Form.Path) return isOwnBase ? this.#byExtension(text, keyStart, keyEnd) : null
    if (form === Form.Section) return isOwnBase ? this.#sections : null
    if (form !== Form.Host) return null
    const known = this.#hosts.get(note.keyHash) ?? this.#meetHost(text.slice(keyStart, keyEnd), note.keyHash)
    if (known === null || known.host.length !== keyEnd - keyStart || !text.startsWith(known.host, keyStart)) return null
    return known.links ?? this.#own(text, note)
  }

  #meetHost(host: string, hash: number): KnownHost | null {
    const { siteHosts, shortHosts } = this.#around
    const isOurs = siteHosts.includes(host) || shortHosts.some((short) => short.host === host)
    if (isOurs && host !== this.#ownHost) return null
    if (this.#hosts.size >= KEYS_MAX) this.#hosts.clear()
    const known = { host: alone(host), links: isOurs ? null : [] }
    this.#hosts.set(hash, known)
    return known
  }

  /** A page of our own host, given in full. */
  #own(text: string, { keyEnd, hrefEnd }: LinkNote): Alike | null {
    if (keyEnd === hrefEnd) return this.#pages
    const extension = scanner().extensionIn(keyEnd, hrefEnd)
    return extension === null ? null : this.#byExtension(text, ...extension)
  }

  /** Nothing but the extension tells a page from a file. */
  #byExtension(text: string, from: number, to: number): Alike {
    if (from === to) return this.#pages
    const extension = text.slice(from, to)
    const known = this.#extensions.get(extension)
    if (known !== undefined) return known
    const group = isPagePath(`/x${extension}`) ? this.#pages : this.#files
    if (this.#extensions.size < KEYS_MAX) this.#extensions.set(alone(extension), group)
    return group
  }
}

/** The variant that is written like this link; undefined when none was decided yet. */
export function variantOf(
  group: Alike,
  text: string,
  { relStart, relEnd, targetStart, targetEnd }: LinkNote,
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

const ASCII = /^[\0-\x7f]*$/

/** Keeps a variant; not one whose bytes another encoding would read or write in another way. */
export function keepVariant(group: Alike, variant: Variant): void {
  const { rel, target, answer } = variant
  if (group.length >= VARIANTS_MAX || !ASCII.test(`${rel}${target}${answer?.added}${answer?.rel}${answer?.target}`)) return
  group.push({ ...variant, rel: rel === null ? null : alone(rel), target: target === null ? null : alone(target) })
}
