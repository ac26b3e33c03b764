import { z } from 'zod'
import type { Capability } from './capabilities.ts'
import type { Permission } from './permissions.ts'

/** One call of the API: what it takes, what it answers. Endpoints parse by it, screens call it by its name, and the OpenAPI document is made from it. */
export interface Operation<B extends z.ZodType = z.ZodType, Q extends z.ZodType = z.ZodType, A extends z.ZodType = z.ZodType> {
  readonly method: 'get' | 'post' | 'put' | 'patch' | 'delete'
  /** Below /api/v1; the parameter, if there is one, as {id}. */
  readonly path: string
  readonly summary: string
  /** What the caller must be allowed; null for whoever is signed in. Services look again, at what they hand out. */
  readonly needs: Permission | readonly Permission[] | null
  readonly status: 200 | 201 | 202 | 204
  readonly body?: B
  readonly query?: Q
  readonly answer?: A
  /** How much its body may hold, where that is more than the few facts that most take; see {@link BODY_LIMITS}. */
  readonly takes?: 'list' | 'source'
  /** When the answer or the body is not JSON. */
  readonly media?: { readonly body?: string; readonly answer?: string }
  /**
   * What the answer is made from: it is out of date when the log tells of a change to it. Of the capability that its path begins
   * with, an operation on one thing shows that thing alone.
   */
  readonly shows?: readonly Capability[]
  /** Changes nothing that a screen shows, although it is no GET. */
  readonly isQuestion?: true
}

const KB = 1024
/**
 * Most bytes of a JSON body, and most values in it: strings, numbers, lists and the rest, which cost more to read than their
 * bytes. "list" is for what names many things at once, "source" for the text of a page.
 */
export const BODY_LIMITS = {
  facts: { bytes: 256 * KB, values: 20_000 },
  list: { bytes: 8 * KB * KB, values: 200_000 },
  source: { bytes: 25 * KB * KB, values: 200_000 },
} as const

/** Whether somebody may ask for an operation: the one place where what it needs is held against what they may do, at its endpoint and in its service. */
export const mayAsk = (asker: { can(permission: Permission): boolean }, { needs }: Pick<Operation, 'needs'>): boolean =>
  needs === null || [needs].flat().every((each) => asker.can(each))

/** Holds an operation to its shape, and keeps what it says of itself. */
export const operation = <const O extends Operation>(o: O): O => o
/** The answer of an operation that has none. */
export const Nothing = z.null()
