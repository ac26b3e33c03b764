import { OTHER_SOURCES } from '../core/clicks/index.ts'
import { type Database, rows } from './database.ts'

/** What is kept apart of where people came from, on one day: values of a link and kind, and of a site and kind. The rest is told as others. */
const VALUES_OF_LINK = 200
const VALUES_OF_SITE = 20_000
/** Days are folded once their counting is over, and looked at again for so long. */
const FOLDED_AFTER_DAYS = 2
const FOLDED_FOR_DAYS = 9
/** Where people came from, and which pages and links they saw, goes after so long. */
const SOURCES_KEPT_DAYS = 800
/** Referrers that are kept of a missed address. */
const REFERRERS_OF_MISSED = 20

/** Bounds what strangers can make grow by what they say of themselves: forged referrers and languages become others, and what is old goes. */
export async function foldGrowth(db: Database): Promise<void> {
  await rows(
    db,
    `WITH sited AS (
       SELECT s.short_link_id, s.day, s.kind, s.value, s.clicks, o.site_id FROM click_sources s
         JOIN (SELECT id, site_id FROM short_links UNION ALL SELECT id, site_id FROM redirects) o ON o.id = s.short_link_id
       WHERE s.day BETWEEN current_date - $1::int AND current_date - $2::int AND s.kind <> 'device' AND s.value NOT IN ('', '${OTHER_SOURCES}')),
     ranked AS (
       SELECT *, row_number() OVER (PARTITION BY short_link_id, day, kind ORDER BY clicks DESC, value) AS of_link,
         row_number() OVER (PARTITION BY site_id, day, kind ORDER BY clicks DESC, value) AS of_site FROM sited),
     gone AS (
       DELETE FROM click_sources s USING ranked r WHERE (r.of_link > $3 OR r.of_site > $4)
         AND s.short_link_id = r.short_link_id AND s.day = r.day AND s.kind = r.kind AND s.value = r.value
       RETURNING s.short_link_id, s.day, s.kind, s.clicks)
     INSERT INTO click_sources (short_link_id, day, kind, value, clicks)
       SELECT short_link_id, day, kind, '${OTHER_SOURCES}', sum(clicks) FROM gone GROUP BY 1, 2, 3
     ON CONFLICT (short_link_id, day, kind, value) DO UPDATE SET clicks = click_sources.clicks + excluded.clicks`,
    [FOLDED_FOR_DAYS, FOLDED_AFTER_DAYS, VALUES_OF_LINK, VALUES_OF_SITE],
  )
  await rows(
    db,
    `DELETE FROM missed_referrers r USING (
       SELECT missed_id, referrer, row_number() OVER (PARTITION BY missed_id ORDER BY visits DESC, referrer) AS nth FROM missed_referrers
       WHERE missed_id IN (SELECT missed_id FROM missed_referrers GROUP BY missed_id HAVING count(*) > $1)) ranked
     WHERE ranked.nth > $1 AND r.missed_id = ranked.missed_id AND r.referrer = ranked.referrer`,
    [REFERRERS_OF_MISSED],
  )
  await rows(db, 'DELETE FROM click_sources WHERE day < current_date - $1::int', [SOURCES_KEPT_DAYS])
  await rows(db, 'DELETE FROM missed_noise WHERE day < current_date - $1::int', [SOURCES_KEPT_DAYS])
  for (const hours of ['seen_page_hours', 'seen_link_hours'])
    await rows(db, `DELETE FROM ${hours} WHERE hour < now() - make_interval(days => $1)`, [SOURCES_KEPT_DAYS])
  await rows(db, 'DELETE FROM seen_links l WHERE NOT EXISTS (SELECT 1 FROM seen_link_hours h WHERE h.link_id = l.id)')
  await rows(
    db,
    `DELETE FROM seen_pages p WHERE NOT EXISTS (SELECT 1 FROM seen_page_hours h WHERE h.page_id = p.id)
       AND NOT EXISTS (SELECT 1 FROM seen_links l WHERE l.page_id = p.id)`,
  )
}
