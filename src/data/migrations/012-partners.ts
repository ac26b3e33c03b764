/** What a programme is and pays, its log-in, its links' sub-IDs, banners, phrases, disclosure, and what was reported of it. */
export const partners = {
  name: '012-partners',
  up: `
ALTER TABLE partners
  ADD COLUMN network_id uuid REFERENCES partners ON DELETE SET NULL,
  -- A network carries partners, and may hold the log-in for them.
  ADD COLUMN is_network boolean NOT NULL DEFAULT false,
  ADD COLUMN what text NOT NULL DEFAULT '',
  ADD COLUMN status text NOT NULL DEFAULT 'active' CHECK (status IN ('applied', 'active', 'paused', 'ended')),
  ADD COLUMN ends_on date,
  ADD COLUMN allows text NOT NULL DEFAULT 'any page' CHECK (allows IN ('any page', 'front page')),
  ADD COLUMN commission jsonb NOT NULL DEFAULT '{"kind": "unknown"}',
  ADD COLUMN currency text NOT NULL DEFAULT 'EUR' CHECK (currency ~ '^[A-Z]{3}$'),
  ADD COLUMN cookie_days integer CHECK (cookie_days BETWEEN 0 AND 3650),
  ADD COLUMN payout jsonb NOT NULL DEFAULT '{"method": "", "every": null, "day": null, "afterMonths": 1, "threshold": 0}',
  ADD COLUMN contact text NOT NULL DEFAULT '',
  ADD COLUMN notes text NOT NULL DEFAULT '',
  ADD COLUMN login_url text NOT NULL DEFAULT '',
  -- AES-256-GCM; by which key stands in its first byte.
  ADD COLUMN log_in bytea,
  ADD COLUMN report_layout jsonb;
CREATE TABLE partner_subs (
  site_id uuid NOT NULL REFERENCES sites ON DELETE CASCADE, sub text NOT NULL, partner_id uuid NOT NULL REFERENCES partners ON DELETE CASCADE,
  page_id uuid REFERENCES pages ON DELETE SET NULL, short_link_id uuid REFERENCES short_links ON DELETE SET NULL, destination text NOT NULL,
  made_at timestamptz NOT NULL DEFAULT now(), PRIMARY KEY (site_id, sub));
CREATE INDEX partner_subs_page ON partner_subs (page_id) WHERE page_id IS NOT NULL;
-- Links that were pointed elsewhere together: where each part of it is taken back.
CREATE TABLE partner_moves (
  id uuid PRIMARY KEY, site_id uuid NOT NULL REFERENCES sites ON DELETE CASCADE, partner_id uuid NOT NULL, bulk_change_id uuid, redirect_step_id uuid,
  short_links jsonb NOT NULL DEFAULT '[]', at timestamptz NOT NULL DEFAULT now(), undone_at timestamptz);
CREATE TABLE partner_banners (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(), site_id uuid NOT NULL REFERENCES sites ON DELETE CASCADE, partner_id uuid NOT NULL REFERENCES partners ON DELETE CASCADE,
  href text NOT NULL, words text NOT NULL DEFAULT '', picture jsonb, created_at timestamptz NOT NULL DEFAULT now());
CREATE INDEX partner_banners_partner ON partner_banners (partner_id, created_at DESC);
CREATE TABLE phrases (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(), site_id uuid NOT NULL REFERENCES sites ON DELETE CASCADE, words text NOT NULL, destination text NOT NULL,
  partner_id uuid REFERENCES partners ON DELETE CASCADE, priority smallint NOT NULL DEFAULT 3 CHECK (priority BETWEEN 1 AND 5),
  created_at timestamptz NOT NULL DEFAULT now(), updated_at timestamptz NOT NULL DEFAULT clock_timestamp());
CREATE UNIQUE INDEX phrases_words ON phrases (site_id, lower(words), md5(destination));
-- A phrase that is never to be linked on a page; on no page at all where that is null.
CREATE TABLE phrase_refusals (
  phrase_id uuid NOT NULL REFERENCES phrases ON DELETE CASCADE, page_id uuid REFERENCES pages ON DELETE CASCADE, at timestamptz NOT NULL DEFAULT now());
CREATE UNIQUE INDEX phrase_refusals_where ON phrase_refusals (phrase_id, coalesce(page_id, '00000000-0000-0000-0000-000000000000'));
ALTER TABLE sites
  ADD COLUMN disclosure jsonb NOT NULL DEFAULT '{"text": "", "place": "above", "language": ""}',
  ADD COLUMN phrase_weights jsonb NOT NULL DEFAULT '{"priority": 3, "earns": 3, "early": 2, "fitting": 2}';
-- By the host that they lead to, read from its end, so that a site's own and those below it stand together.
CREATE INDEX short_links_to ON short_links (site_id, (reverse(lower(substring(destination from '^[a-z]+://(?:[^/?#@]*@)?([^/:?#]+)'))) COLLATE "C"));
CREATE INDEX redirects_to ON redirects (site_id, (reverse(lower(substring(destination from '^[a-z]+://(?:[^/?#@]*@)?([^/:?#]+)'))) COLLATE "C"))
  WHERE removed_at IS NULL AND destination LIKE 'http%';
CREATE TABLE reports (
  id uuid PRIMARY KEY, site_id uuid NOT NULL REFERENCES sites ON DELETE CASCADE, partner_id uuid NOT NULL REFERENCES partners ON DELETE CASCADE,
  person_id uuid REFERENCES people ON DELETE SET NULL, name text NOT NULL, at timestamptz NOT NULL DEFAULT now(), made integer NOT NULL DEFAULT 0,
  changed integer NOT NULL DEFAULT 0, same integer NOT NULL DEFAULT 0, refused integer NOT NULL DEFAULT 0, undone_at timestamptz);
CREATE INDEX reports_newest ON reports (site_id, at DESC);
CREATE TABLE earnings (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(), site_id uuid NOT NULL REFERENCES sites ON DELETE CASCADE, partner_id uuid NOT NULL REFERENCES partners ON DELETE CASCADE,
  key text NOT NULL, day date NOT NULL, order_name text NOT NULL, sub text NOT NULL, commission bigint NOT NULL, sale bigint, currency text NOT NULL,
  state text NOT NULL CHECK (state IN ('pending', 'confirmed', 'paid', 'reversed')), report_id uuid NOT NULL REFERENCES reports ON DELETE CASCADE);
CREATE UNIQUE INDEX earnings_key ON earnings (partner_id, md5(key));
CREATE INDEX earnings_site ON earnings (site_id, day);
CREATE INDEX earnings_report ON earnings (report_id);
-- What a report's corrections changed, so that the report can be taken back whole.
CREATE TABLE earning_changes (
  report_id uuid NOT NULL REFERENCES reports ON DELETE CASCADE, earning_id uuid NOT NULL REFERENCES earnings ON DELETE CASCADE, before jsonb NOT NULL,
  PRIMARY KEY (report_id, earning_id));
CREATE INDEX earning_changes_earning ON earning_changes (earning_id);
`,
} as const
