import { LIST_DEPTH_MAX, PAGE_DEPTH_MAX, PAGE_LINKS_MAX, PAGE_MAX_BYTES } from '../core/content/index.ts'
import type { FaultDetail } from '../core/result.ts'
import { ASKED_PATH_MAX_CHARS, HOLES_MAX } from '../core/routing/index.ts'
import { isTold, type Said, type Told, tell, type Words } from '../words/index.ts'
import { ONE_FILE_MAX_BYTES } from './files.ts'
import { UNPACKED_MAX_BYTES, UPLOAD_MAX_BYTES } from './imports.ts'
import { SORTED_MAX } from './short-links.ts'

const MB = 1024 * 1024

/** Every refusal that the API knows, and its HTTP status. What a person is told of each stands among the words as "problem.…". */
export const PROBLEMS = {
  'not-signed-in': 401,
  forbidden: 403,
  'cross-site': 403,
  'not-found': 404,
  'wrong-method': 405,
  'wrong-password': 401,
  'too-many-tries': 429,
  'invalid-body': 422,
  'not-json': 400,
  'owner-decides': 403,
  'moved-on': 409,
  'menu-broken': 409,
  'address-empty': 422,
  'address-too-long': 422,
  'address-control-character': 422,
  'address-forbidden-scheme': 422,
  'address-unknown-scheme': 422,
  'address-unreadable': 422,
  'address-not-outside': 422,
  'slug-taken': 409,
  'slug-reserved': 422,
  'course-never': 422,
  'course-weights': 422,
  'course-limit': 422,
  'course-ending': 422,
  'slug-of-two': 422,
  'qr-contrast': 422,
  'qr-too-small': 422,
  'status-unknown': 422,
  'title-too-long': 422,
  'slug-malformed': 422,
  'slug-too-long': 422,
  'no-short-host': 422,
  'path-too-deep': 422,
  'path-too-long': 422,
  'pattern-unreadable': 422,
  'pattern-needs-memory': 422,
  'pattern-too-large': 422,
  'destination-unreadable': 422,
  'destination-refused': 422,
  'destination-group-unknown': 422,
  'destination-holes': 422,
  'destination-control': 422,
  'destination-log-in': 422,
  'redirect-to-itself': 422,
  'redirects-too-many': 422,
  'redirect-goes-round': 422,
  'redirect-under-slug': 409,
  'slug-hides-redirect': 409,
  'redirect-hides-page': 409,
  'unknown-host': 422,
  'patches-unfit': 422,
  'encoding-unpatchable': 422,
  'upload-missing': 422,
  'tokens-too-many': 422,
  'people-too-many': 422,
  'uploads-full': 413,
  'upload-too-large': 413,
  'page-links-relative': 422,
  'path-taken': 409,
  'path-unreadable': 422,
  'time-passed': 422,
  'page-too-large': 413,
  'page-too-many-links': 422,
  'page-too-deep': 422,
  'page-lists-too-deep': 422,
  'file-too-large': 413,
  'file-kind-refused': 422,
  'file-not-what-it-says': 422,
  'file-in-use': 409,
  'template-unclosed': 422,
  'template-places-touch': 422,
  'template-without-account': 422,
  'sites-missing': 422,
  'sites-overlap': 409,
  'network-unknown': 422,
  'partners-too-many': 422,
  'banners-too-many': 422,
  'list-too-long': 413,
  'move-too-large': 422,
  'log-in-sealed': 409,
  'list-unreadable': 422,
  'no-partner': 422,
  'programme-ended': 422,
  'deep-link-refused': 422,
  'list-too-long-to-sort': 422,
  'no-link-left': 422,
  'words-not-there': 422,
  'note-too-long': 422,
  'tags-unfit': 422,
  'picture-away': 422,
  'snippet-too-long': 422,
  'phrases-too-many': 422,
  'phrase-leads-nowhere': 422,
  'disclosure-empty': 422,
  'report-unreadable': 422,
  'report-too-large': 413,
  'report-column-missing': 422,
  'report-built-on': 409,
  'template-unknown-placeholder': 422,
  'template-without-destination': 422,
  'template-not-an-address': 422,
  cancelled: 409,
  'job-not-ready': 409,
  'host-taken': 409,
  'host-is-studio': 422,
  'origin-out-of-bounds': 422,
  'inside-not-allowed': 422,
  'nothing-to-change': 422,
  'already-undone': 409,
  'nothing-to-publish': 422,
  'email-taken': 409,
  'last-owner': 409,
  'person-elsewhere': 409,
  'person-not-in-yet': 409,
  'last-site-host': 409,
  'prefix-only-short': 422,
  'password-not-yours': 422,
  'link-used': 410,
  'set-up-done': 410,
  'partner-unknown': 422,
  'name-taken': 409,
  'body-too-large': 413,
  'work-too-slow': 422,
  'work-too-large': 422,
  'work-broke': 422,
  'links-being-read': 503,
  'database-slow': 503,
  'studio-away': 503,
  'database-away': 503,
  internal: 500,
} as const satisfies Record<string, number>

export type Fault = keyof typeof PROBLEMS

/** Limits that a sentence names. */
const LIMITS: { readonly [F in Fault]?: Readonly<Record<string, number>> } = {
  'path-too-long': { most: ASKED_PATH_MAX_CHARS },
  'destination-holes': { most: HOLES_MAX },
  'upload-too-large': { mb: UPLOAD_MAX_BYTES / MB, unpackedMb: UNPACKED_MAX_BYTES / MB },
  'page-too-large': { mb: PAGE_MAX_BYTES / MB },
  'page-too-many-links': { most: PAGE_LINKS_MAX },
  'page-too-deep': { most: PAGE_DEPTH_MAX },
  'page-lists-too-deep': { most: LIST_DEPTH_MAX },
  'file-too-large': { mb: ONE_FILE_MAX_BYTES / MB },
  'list-too-long-to-sort': { most: SORTED_MAX },
}

export const isFault = (name: string): name is Fault => Object.hasOwn(PROBLEMS, name)

/** What is said of a fault, whatever the case. */
export function titleOf(fault: Fault): Told {
  const name: `problem.${Fault}` & keyof Words = `problem.${fault}`
  const of = LIMITS[fault]
  return of === undefined ? { tell: name } : { tell: name, of }
}

/** What is said of a fault, with what is known of the case. */
export function toldOf(fault: string, { why }: FaultDetail = {}): Told {
  const problem = isFault(fault) ? titleOf(fault) : { tell: fault }
  return isTold(why) || (typeof why === 'string' && why !== '') ? tell('problem.because', { problem, why }) : problem
}

/** An RFC 9457 problem as it travels. `detail` says what was wrong in this case; `fault` is for programs. */
export interface Problem {
  readonly type: string
  readonly title: string
  readonly status: number
  readonly detail?: string
  readonly fault: Fault
  readonly facts?: Readonly<Record<string, unknown>>
  readonly id?: string
}

/** A fault with what is known of this case, to be put into words as it goes out. @param id - its number in the log */
export function problemOf(
  fault: Fault,
  detail: FaultDetail = {},
  id?: string,
): Omit<Problem, 'title' | 'detail'> & { title: Told; detail?: Said } {
  const { why } = detail
  return {
    type: `urn:map-rope:${fault}`,
    title: titleOf(fault),
    status: PROBLEMS[fault],
    fault,
    ...(typeof why === 'string' || isTold(why) ? { detail: why } : {}),
    facts: detail,
    ...(id === undefined ? {} : { id }),
  }
}
