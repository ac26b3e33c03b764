import type { Commission, PARTNER_STATUSES, Payout } from '../../contract/partners.ts'
import { bigint, boolean, bytea, date, empty, id, integer, json, no, now, text, texts, time, uuid, version, word } from './column.ts'
import { type RowOf, table } from './table.ts'

export const partners = table('partners', {
  id,
  siteId: uuid,
  name: text,
  sites: texts,
  version,
  createdAt: now,
  updatedAt: now,
  template: empty.by('link_template'),
  account: empty,
  networkId: uuid.orNull,
  isNetwork: no,
  what: empty,
  status: word<(typeof PARTNER_STATUSES)[number]>().or("'active'::text"),
  endsOn: date.orNull,
  allows: word<'any page' | 'front page'>().or("'any page'::text"),
  commission: json<Commission>().or(`'{"kind": "unknown"}'::jsonb`),
  currency: text.or("'EUR'::text"),
  cookieDays: integer.orNull,
  payout: json<Payout>().or(`'{"day": null, "every": null, "method": "", "threshold": 0, "afterMonths": 1}'::jsonb`),
  contact: empty,
  notes: empty,
  loginUrl: empty,
  /** Encrypted: see `log-ins.ts`. */
  logIn: bytea.orNull,
  reportLayout: json<unknown>().orNull,
  /** Null for what the site holds. */
  isPaid: boolean.orNull,
})
export type StoredPartner = RowOf<typeof partners>

export const partnerBanners = table('partner_banners', {
  id,
  siteId: uuid,
  partnerId: uuid,
  href: text,
  text: empty.by('words'),
  picture: json<unknown>().orNull,
  createdAt: now,
})

/** Where sub-IDs stand. */
export const partnerSubs = table('partner_subs', {
  siteId: uuid.key,
  sub: text.key,
  partnerId: uuid,
  pageId: uuid.orNull,
  shortLinkId: uuid.orNull,
  destination: text,
  madeAt: now,
})

/** Links of a partner that were led elsewhere together. */
export const partnerMoves = table('partner_moves', {
  id: uuid.key,
  siteId: uuid,
  partnerId: uuid.orNull,
  mended: json<{ address: string; to: string }>().orNull,
  bulkChangeId: uuid.orNull,
  redirectStepId: uuid.orNull,
  shortLinks: json<unknown>().or("'[]'::jsonb"),
  at: now,
  undoneAt: time.orNull,
  personId: uuid.orNull,
})

/** Partners' reports, and the lines that came of them. */
export const reports = table('reports', {
  id: uuid.key,
  siteId: uuid,
  partnerId: uuid,
  personId: uuid.orNull,
  name: text,
  at: now,
  made: integer.or('0'),
  changed: integer.or('0'),
  same: integer.or('0'),
  refused: integer.or('0'),
  undoneAt: time.orNull,
})
export const earnings = table('earnings', {
  id,
  siteId: uuid,
  partnerId: uuid,
  key: text,
  day: date,
  orderName: text,
  sub: text,
  commission: bigint,
  sale: bigint.orNull,
  currency: text,
  state: text,
  reportId: uuid,
})
export const earningChanges = table('earning_changes', { reportId: uuid.key, earningId: uuid.key, before: json<unknown>() })
