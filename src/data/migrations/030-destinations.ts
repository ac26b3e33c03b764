/**
 * Every distinct address that something of a site leads to, what uses it, and what a visit saw there. Hosts are asked one request at a
 * time, whoever asks: when one may be asked next stands in its row.
 */
export const destinations = {
  name: '030-destinations',
  up: `
CREATE TABLE destinations (
  id uuid PRIMARY KEY DEFAULT gen_random_uuid(), site_id uuid NOT NULL REFERENCES sites ON DELETE CASCADE,
  address text NOT NULL, digest uuid NOT NULL, host text NOT NULL, uses integer NOT NULL DEFAULT 0, created_at timestamptz NOT NULL DEFAULT now(),
  due_at timestamptz, asked_by uuid, verdict text, also text[] NOT NULL DEFAULT '{}', is_broken boolean NOT NULL DEFAULT false,
  since timestamptz, seen_at timestamptz, told_at timestamptz, doubts integer NOT NULL DEFAULT 0, same integer NOT NULL DEFAULT 0, slow integer NOT NULL DEFAULT 0,
  seen jsonb, better text, etag text, modified text, fine jsonb, UNIQUE (site_id, digest));
CREATE INDEX destinations_due ON destinations (host, due_at) WHERE due_at IS NOT NULL;
CREATE INDEX destinations_verdict ON destinations (site_id, verdict, id);
CREATE INDEX destinations_told ON destinations (site_id, told_at, id) WHERE told_at IS NOT NULL;
CREATE INDEX destinations_asked ON destinations (asked_by) WHERE asked_by IS NOT NULL;
CREATE INDEX destinations_unused ON destinations (created_at) WHERE uses = 0;
CREATE TABLE destination_uses (
  of_kind text NOT NULL, of_id uuid NOT NULL, destination_id uuid NOT NULL REFERENCES destinations ON DELETE CASCADE, links integer NOT NULL,
  sections text[] NOT NULL DEFAULT '{}', PRIMARY KEY (of_id, of_kind, destination_id));
CREATE INDEX destination_uses_of ON destination_uses (destination_id);
CREATE TABLE destination_verdicts (
  destination_id uuid NOT NULL REFERENCES destinations ON DELETE CASCADE, at timestamptz NOT NULL, verdict text NOT NULL, also text[] NOT NULL DEFAULT '{}',
  until timestamptz, PRIMARY KEY (destination_id, at));
CREATE INDEX destination_verdicts_until ON destination_verdicts (until) WHERE until IS NOT NULL;
CREATE TABLE asked_hosts (
  host text PRIMARY KEY, pace_ms integer NOT NULL DEFAULT 2000, free_at timestamptz NOT NULL DEFAULT now(), due_at timestamptz NOT NULL,
  ready_at timestamptz NOT NULL GENERATED ALWAYS AS (greatest(due_at, free_at)) STORED, robots text, robots_at timestamptz);
CREATE INDEX asked_hosts_ready ON asked_hosts (ready_at);
CREATE TABLE destinations_followed (site_id uuid PRIMARY KEY REFERENCES sites ON DELETE CASCADE, number bigint NOT NULL);
ALTER TABLE partner_moves ALTER COLUMN partner_id DROP NOT NULL, ADD COLUMN mended jsonb;
ALTER TABLE sites ADD COLUMN never_asked text[] NOT NULL DEFAULT '{}', ADD COLUMN asks_as text NOT NULL DEFAULT '';`,
}
