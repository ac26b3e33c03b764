import type { IncomingMessage } from 'node:http'
import { isOutOfBounds } from '../../core/address/index.ts'
import type { CompiledSite } from '../../core/rules/index.ts'
import type { Delivery } from '../delivery.ts'
import type { HostEntry, StoreView } from '../store/index.ts'

/** One request at a front door: what it knows of itself and of the site behind. */
export interface Door {
  readonly delivery: Delivery
  readonly view: StoreView
  readonly entry: HostEntry
  /** The rules and the short links of one moment. */
  readonly site: CompiledSite
  readonly host: string
  /** Origin of the site behind. */
  readonly origin: URL
  /** Path and query on that site, as they were asked for: it may read them in its own way. */
  readonly path: string
  readonly publicOrigin: string
  /** Ends the entity tags of rewritten pages: other rules make another page. */
  readonly stamp: string
  /** By what the door tells itself again in a ring of doors. */
  readonly sign: string
}

/** The site behind this has this long to begin its answer. */
export const DOOR_TIMEOUT_MS = 30_000

/** The origin of the site behind the door; null where that is none we may ask. */
export function originBehind({ origin, ground }: HostEntry): URL | null {
  if (origin === null || !/^https?:$/.test(origin.protocol)) return null
  return isOutOfBounds(origin.hostname, ground.setup.insideAllowed) ? null : origin
}

/** Path and query of a request, be it written in full (RFC 9112 §3.2.2); null where they cannot be told. */
export function pathOf({ url = '/' }: IncomingMessage): string | null {
  if (url.startsWith('/')) return url
  if (!URL.canParse(url)) return null
  const { pathname, search } = new URL(url)
  return pathname + search
}
