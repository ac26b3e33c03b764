/** What is counted beside short links: pages that were looked at, their links that were followed; who is taken for a bot; how long single clicks are kept. */
export const counting = {
  name: '015-counting',
  up: `
ALTER TABLE sites
  ADD COLUMN counts_pages boolean NOT NULL DEFAULT false,
  ADD COLUMN clicks_kept_days integer NOT NULL DEFAULT 400,
  ADD COLUMN bot_rule jsonb NOT NULL DEFAULT '{"perMinute": 20, "perDay": 200, "unseenPerDay": 40}';
-- Delivery on these machines cannot write its log of clicks, since when.
CREATE TABLE delivery_troubles (node text PRIMARY KEY, since timestamptz NOT NULL DEFAULT now());
CREATE TABLE seen_pages (
  id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY, site_id uuid NOT NULL REFERENCES sites ON DELETE CASCADE, host text NOT NULL, path text NOT NULL);
CREATE UNIQUE INDEX seen_pages_path ON seen_pages (site_id, host, md5(path));
CREATE TABLE seen_page_hours (
  page_id bigint NOT NULL REFERENCES seen_pages ON DELETE CASCADE, hour timestamptz NOT NULL, people bigint NOT NULL, others bigint NOT NULL,
  PRIMARY KEY (page_id, hour));
CREATE TABLE seen_links (
  id bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY, page_id bigint NOT NULL REFERENCES seen_pages ON DELETE CASCADE,
  address text NOT NULL, nth smallint NOT NULL);
CREATE UNIQUE INDEX seen_links_address ON seen_links (page_id, md5(address), nth);
CREATE INDEX seen_links_to ON seen_links (md5(address));
CREATE TABLE seen_link_hours (
  link_id bigint NOT NULL REFERENCES seen_links ON DELETE CASCADE, hour timestamptz NOT NULL, people bigint NOT NULL, others bigint NOT NULL,
  PRIMARY KEY (link_id, hour));
-- Who looked at a page on a day: what tells a visitor from others is nothing any more when the day is over.
CREATE TABLE seen_visitors (day date NOT NULL, visitor text NOT NULL, PRIMARY KEY (day, visitor));
-- Different visitors of a link on a day, as last counted; and up to when each day was judged and counted.
CREATE TABLE click_visitors (short_link_id uuid NOT NULL, day date NOT NULL, visitors bigint NOT NULL, PRIMARY KEY (short_link_id, day));
CREATE TABLE click_days (day date PRIMARY KEY, loaded_at timestamptz NOT NULL, judged_at timestamptz);
-- A line goes with its report, and that with its partner and its site: to look for those at each line was half of the time that one takes.
ALTER TABLE earnings DROP CONSTRAINT earnings_site_id_fkey, DROP CONSTRAINT earnings_partner_id_fkey;
INSERT INTO click_days (day, loaded_at) SELECT DISTINCT day, now() FROM click_rollups;`,
} as const
