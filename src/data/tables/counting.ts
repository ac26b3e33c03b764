import { bigint, date, id, now, smallint, text, time, uuid } from './column.ts'
import { table } from './table.ts'

/** Clicks as they came, a part a day; and what is counted of them. A redirect's stand under its id as a short link's do. */
export const clicks = table('clicks', {
  at: time,
  shortLinkId: uuid,
  visit: text,
  visitor: text,
  device: text,
  language: text.orNull,
  referrer: text.orNull,
  variant: smallint.orNull,
})
export const clickRollups = table('click_rollups', { shortLinkId: uuid.key, day: date.key, visit: text.key, clicks: bigint })
export const clickHours = table('click_hours', {
  shortLinkId: uuid.key,
  hour: time.key,
  visit: text.key,
  variant: smallint.key.or("'-1'::integer"),
  clicks: bigint,
})
export const clickSources = table('click_sources', {
  shortLinkId: uuid.key,
  day: date.key,
  kind: text.key,
  value: text.key,
  clicks: bigint,
})
export const clickVisitors = table('click_visitors', { shortLinkId: uuid.key, day: date.key, visitors: bigint })
export const clickDays = table('click_days', { day: date.key, loadedAt: time, judgedAt: time.orNull })
/** How far each log is taken in. */
export const clickLoads = table('click_loads', { node: text.key, segment: text.key, loadedBytes: bigint })
export const setAsideLines = table('set_aside_lines', { node: text.key, day: date.key, lines: bigint })
export const deliveryTroubles = table('delivery_troubles', { node: text.key, since: now })

/** Pages that were looked at, and which of their links were followed. */
export const seenPages = table('seen_pages', { id: bigint.key.or('identity'), siteId: uuid, host: text, path: text })
export const seenPageHours = table('seen_page_hours', { pageId: bigint.key, hour: time.key, people: bigint, others: bigint })
export const seenLinks = table('seen_links', { id: bigint.key.or('identity'), pageId: bigint, address: text, nth: smallint })
export const seenLinkHours = table('seen_link_hours', { linkId: bigint.key, hour: time.key, people: bigint, others: bigint })
export const seenVisitors = table('seen_visitors', { day: date.key, visitor: text.key })

/** Addresses that were asked for in vain. */
export const missed = table('missed', {
  id,
  siteId: uuid,
  host: text,
  path: text,
  people: bigint.or('0'),
  others: bigint.or('0'),
  firstAt: time,
  lastAt: time,
  ignoredAt: time.orNull,
})
export const missedDays = table('missed_days', { missedId: uuid.key, day: date.key, people: bigint.or('0'), others: bigint.or('0') })
export const missedReferrers = table('missed_referrers', { missedId: uuid.key, referrer: text.key, visits: bigint.or('0') })
/** What scanners, icons and probes asked for. */
export const missedNoise = table('missed_noise', { siteId: uuid.key, day: date.key, kind: text.key, visits: bigint.or('0') })
