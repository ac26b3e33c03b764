import type { Judged, SeenHop, SeenPage, Verdict } from '../../core/checks/index.ts'
import { bigint, id, integer, json, no, none, now, text, time, uuid, word } from './column.ts'
import { type RowOf, table } from './table.ts'

/** What a destination is used by. */
export type UseKind = 'page' | 'short-link' | 'redirect' | 'partner'

/** What the newest look at a destination saw. */
export interface KeptLook {
  readonly hops: readonly (SeenHop & { readonly ms: number })[]
  readonly page: SeenPage | null
  readonly judged: readonly Judged[]
}

/** Why somebody finds a verdict fine; it counts for as long as just that is said. */
export interface FineVerdict {
  readonly verdict: Verdict
  readonly reason: string
  readonly personId: string | null
  readonly at: string
}

/** Distinct addresses that something of a site leads to, and what is said of them. */
export const destinations = table('destinations', {
  id,
  siteId: uuid,
  /** As addresses are compared, without the name of a section. */
  address: text,
  /** Of the address, by which it is found. */
  digest: uuid,
  /** Whom it asks: host and port. */
  host: text,
  /** Links, short links and rows that lead to it. */
  uses: integer.or('0'),
  createdAt: now,
  /** Null where it is never asked. */
  dueAt: time.orNull,
  /** The job in which somebody asked for a look. */
  askedBy: uuid.orNull,
  verdict: word<Verdict>().orNull,
  also: none,
  isBroken: no,
  since: time.orNull,
  seenAt: time.orNull,
  /** When something else was said of it the last time. */
  toldAt: time.orNull,
  doubts: integer.or('0'),
  same: integer.or('0'),
  slow: integer.or('0'),
  seen: json<KeptLook>().orNull,
  better: text.orNull,
  etag: text.orNull,
  modified: text.orNull,
  fine: json<FineVerdict>().orNull,
})
export type DestinationRow = RowOf<typeof destinations>

export const destinationUses = table('destination_uses', {
  ofKind: word<UseKind>().key,
  ofId: uuid.key,
  destinationId: uuid.key,
  links: integer,
  /** Sections of the page that links lead to. */
  sections: none,
})

/** What was said of a destination when, a line each change. */
export const destinationVerdicts = table('destination_verdicts', {
  destinationId: uuid.key,
  at: time.key,
  verdict: word<Verdict>(),
  also: none,
  /** Null of what is said now. */
  until: time.orNull,
})

/** Hosts that are asked, one request at a time. */
export const askedHosts = table('asked_hosts', {
  host: text.key,
  paceMs: integer.or('2000'),
  /** When it may be asked; whoever asks holds it until then. */
  freeAt: now,
  /** When the first of its destinations is due; “infinity” where none is. */
  dueAt: time,
  /** Made by the database. */
  readyAt: time.or('GREATEST(due_at, free_at)'),
  robots: text.orNull,
  robotsAt: time.orNull,
})

/** How far the uses of destinations have followed a site's log. */
export const destinationsFollowed = table('destinations_followed', { siteId: uuid.key, number: bigint })
