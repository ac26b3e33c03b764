import { isPagePath, siteOfHost } from '../address/index.ts'
import { Form, type LinkNote, NO_NUMBER, NOT_NUMBERED, type NotedText, type QuickAnswer, scanner } from '../markup/index.ts'
import type { Decision } from './decide.ts'
import type { LinkFacts, PageAround } from './facts.ts'

/** What was decided for a link as it is written, and so for every other one that is written alike. */
export interface Variant {
  /** Of the values as they are written; see {@link LinkNote}. */
  readonly relNumber: number
  readonly targetNumber: number
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

/**
 * Puts links together of which rules that ask neither for addresses nor for words cannot say different things, by what their
 * destinations look like, at a twentieth of the cost of parsing them. What it is not sure of belongs to no group.
 */
export class AlikeLinks {
  /** By the number of the host; null for hosts of ours whose links are told apart by more. */
  #hosts: (Alike | 'own' | null)[] = []
  #pages: Alike = []
  #files: Alike = []
  #sections: Alike = []
  /** By the number of the extension. */
  #extensions: Alike[] = []
  #generation = -1
  readonly #around: PageAround
  readonly #ownHost: string | null

  /**
   * @param around - of any page of one host: its own path is not looked at
   * @param ownHost - that host, where it has pages of the site and no short links; else null
   */
  constructor(around: PageAround, ownHost: string | null) {
    this.#around = around
    this.#ownHost = ownHost
  }

  /** @param isOwnBase - relative addresses start from a page of the own host */
  groupOf(note: LinkNote, text: NotedText, isOwnBase: boolean): Alike | null {
    const { form, keyStart, keyNumber } = note
    if (this.#generation !== scanner().generation) this.#forget()
    const { led } = this.#around
    if (led !== undefined && form !== Form.Section && led.mayBe(text(note.hrefStart, note.hrefEnd))) return null
    if (form === Form.Path) return isOwnBase ? this.#byExtension(keyStart, keyNumber, text) : null
    if (form === Form.Section) return isOwnBase ? this.#sections : null
    if (form !== Form.Host || keyNumber === NOT_NUMBERED) return null
    let group = this.#hosts[keyNumber]
    if (group === undefined) {
      group = this.#meetHost(/^[a-z0-9.-]*/.exec(text(keyStart, note.hrefEnd))?.[0] ?? '')
      this.#hosts[keyNumber] = group
    }
    return group === 'own' ? this.#own(note, text) : group
  }

  /** Numbers mean other things from now on. */
  #forget(): void {
    this.#generation = scanner().generation
    this.#hosts = []
    this.#extensions = []
    this.#pages = []
    this.#files = []
    this.#sections = []
  }

  #meetHost(host: string): Alike | 'own' | null {
    const { siteHosts, shortHosts, linkSites } = this.#around
    if (linkSites !== undefined && linkSites.size > 0 && linkSites.has(siteOfHost(host))) return null
    if (!siteHosts.includes(host) && !shortHosts.some((short) => short.host === host)) return []
    return host === this.#ownHost ? 'own' : null
  }

  /** A page of our own host, given in full. */
  #own({ keyStart, hrefEnd }: LinkNote, text: NotedText): Alike | null {
    const pathStart = keyStart + (this.#ownHost?.length ?? 0)
    if (pathStart === hrefEnd) return this.#pages
    const extension = scanner().extensionIn(pathStart, hrefEnd)
    return extension === null ? null : this.#byExtension(extension.start, extension.number, text)
  }

  /** Nothing but the extension tells a page from a file. */
  #byExtension(start: number, number: number, text: NotedText): Alike | null {
    if (number === NO_NUMBER) return this.#pages
    if (number === NOT_NUMBERED) return null
    const known = this.#extensions[number]
    if (known !== undefined) return known
    const extension = /^\.[a-z0-9_~-]*/i.exec(text(start, start + EXTENSION_MAX_CHARS))?.[0] ?? ''
    const group = isPagePath(`/x${extension}`) ? this.#pages : this.#files
    this.#extensions[number] = group
    return group
  }
}
/** Longer than any run of bytes that has a number. */
const EXTENSION_MAX_CHARS = 256

/** The variant that is written like this link; undefined when none was decided yet. */
export function variantOf(group: Alike, { relNumber, targetNumber }: LinkNote, shows: LinkFacts['shows'] | null): Variant | undefined {
  for (let k = 0; k < group.length; k++) {
    const variant = group[k]
    if (variant === undefined || variant.relNumber !== relNumber || variant.targetNumber !== targetNumber) continue
    if (shows === null || variant.shows === shows) return variant
  }
  return undefined
}

const ASCII = /^[\0-\x7f]*$/

/**
 * Keeps a variant; not one whose bytes another encoding would read or write in another way.
 * @param written - the values of `rel` and `target` as they are written
 */
export function keepVariant(group: Alike, variant: Variant, written: string): void {
  const { relNumber, targetNumber, answer } = variant
  if (group.length >= VARIANTS_MAX || relNumber === NOT_NUMBERED || targetNumber === NOT_NUMBERED) return
  if (ASCII.test(`${written}${answer?.added}${answer?.rel?.double}${answer?.target?.double}`)) group.push(variant)
}
