import { parseUrl } from '../address/index.ts'
import type { Device } from '../clicks/index.ts'
import { PLAIN_COURSE, type ShortLinkCourse, variantFor } from './course.ts'
import { withQuery } from './destination.ts'
import { unmetCondition } from './match.ts'
import { QueryParameters } from './parameters.ts'

/** With what a short link may answer: moved for good or found, for looks alone or for every method (RFC 9110 §15.4). */
export type ShortLinkStatus = 301 | 302 | 307 | 308

/** What answers on a short link's address. */
export interface ShortLinkTarget {
  readonly id: string
  readonly destination: string
  readonly status: ShortLinkStatus
  /** As it is kept; nothing in it for a plain link. */
  readonly course: Partial<ShortLinkCourse>
  /** Its destination does not answer. */
  readonly isDown: boolean
  /** It has had all the clicks that it was to have. */
  readonly isFull: boolean
}

/** A short link made ready to answer with. */
export interface CompiledShortLink extends Omit<ShortLinkTarget, 'course'> {
  /** Ready for the `Location` header: ASCII only (RFC 9110 §10.2.2). */
  readonly location: string
  /** Null where everybody gets the same, always. */
  readonly course: ShortLinkCourse | null
}

/** @returns null where the destination is no address any more */
export function compileShortLink({ course, ...target }: ShortLinkTarget): CompiledShortLink | null {
  const url = parseUrl(target.destination)
  if (url === null) return null
  return { ...target, location: url.href, course: Object.keys(course).length === 0 ? null : { ...PLAIN_COURSE, ...course } }
}

/** What is asked of a short link. */
export interface AskedOfShortLink {
  /** As sent, without "?"; "" for none. */
  readonly query: string
  readonly language: string | null
  readonly device: Device
  readonly nowMs: number
  /** From 0 inclusive to 1 exclusive: the same for the same visitor of the same link, whenever asked. */
  readonly chance: () => number
}

export type ShortLinkAnswer =
  | {
      readonly kind: 'leads'
      readonly status: ShortLinkStatus
      /** Absolute and ASCII. */
      readonly location: string
      /** Of a split, by its place: 0 is the main destination. Null where no split decided. */
      readonly variant: number | null
    }
  /** Before its start; after its end, where that is told; after its end, gone for good. */
  | { readonly kind: 'not yet' | 'over' | 'gone' }

/** What a short link answers to a visitor. */
export function answerShortLink(link: CompiledShortLink, asked: AskedOfShortLink): ShortLinkAnswer {
  const { course, status } = link
  if (course === null) return { kind: 'leads', status, location: link.location, variant: null }
  const leads = (to: string, variant: number | null = null): ShortLinkAnswer => {
    const url = parseUrl(to) ?? new URL(link.location)
    if (asked.query !== '' && course.query !== 'drop') withQuery(url, asked.query, course.query)
    return { kind: 'leads', status, location: url.href, variant }
  }
  if (course.startsAtMs !== null && asked.nowMs < course.startsAtMs) return { kind: 'not yet' }
  if (link.isFull || (course.endsAtMs !== null && asked.nowMs >= course.endsAtMs)) {
    if (course.ending === 'elsewhere') return leads(course.endingTo)
    return { kind: course.ending === 'gone' ? 'gone' : 'over' }
  }
  const parameters = new QueryParameters(asked.query)
  const met = course.cases.find(({ when }) => unmetCondition(when, asked, parameters) === null)
  if (met !== undefined) return leads(met.to)
  if (link.isDown && course.fallback !== '') return leads(course.fallback)
  if (course.split === null) return leads(link.location)
  const variant = variantFor(course.split, asked.chance())
  return leads(variant === 0 ? link.location : (course.split.others[variant - 1]?.to ?? link.location), variant)
}

/** Longest path looked at; no slug is near as long. */
const PATH_MAX_CHARS = 200

/**
 * What answers a request's path on a short host. At most two look-ups a prefix, however many short links there are.
 * @param path - as sent, without query
 * @param prefixes - path segments before the slug, without slashes, the current one first; "" for none
 * @param find - by slug, lower case; null where there is none
 */
export function matchShortLink<T>(path: string, prefixes: readonly string[], find: (slug: string) => T | null): T | null {
  if (path.length > PATH_MAX_CHARS) return null
  for (const prefix of prefixes) {
    const found = under(path, prefix === '' ? '/' : `/${prefix}/`, find)
    if (found !== null) return found
  }
  return null
}

function under<T>(path: string, start: string, find: (slug: string) => T | null): T | null {
  if (!path.startsWith(start)) return null
  const end = path.endsWith('/') ? path.length - 1 : path.length
  const slug = path.slice(start.length, end)
  if (slug === '') return null
  // Most requests are spelt as meant; only the others pay for being made plain.
  const found = find(slug)
  if (found !== null) return found
  const plain = plainSlug(slug)
  return plain === slug || plain === '' ? null : find(plain)
}

/** Percent-encoding and capitals are tolerated; a full stop or comma picked up from the sentence too. */
function plainSlug(slug: string): string {
  let plain = slug
  try {
    plain = decodeURIComponent(slug)
  } catch {
    // Not decodable, so it is compared as it came.
  }
  return plain.toLowerCase().replace(/[.,;:!?)\]'"’”]+$/, '')
}
