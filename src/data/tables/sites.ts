import type { LedAway } from '../../core/rules/index.ts'
import { bigint, boolean, empty, id, integer, json, no, none, now, text, texts, time, uuid, version, word, yes } from './column.ts'
import { type RowOf, table } from './table.ts'

/** Sites, what they answer on, and who may do what there. */
export const sites = table('sites', {
  id,
  name: text,
  timeZone: text.or("'UTC'::text"),
  version,
  createdAt: now,
  updatedAt: now,
  downloadsFiles: no,
  language: text.or("'en'::text"),
  isDemo: no,
  ignoresCase: yes,
  ignoresSlash: yes,
  disclosure: json<unknown>().or(`'{"text": "", "place": "above", "language": ""}'::jsonb`),
  phraseWeights: json<unknown>().or(`'{"early": 2, "earns": 3, "fitting": 2, "priority": 3}'::jsonb`),
  countsPages: no,
  clicksKeptDays: integer.or('400'),
  botRule: json<unknown>().or(`'{"perDay": 200, "perMinute": 20, "unseenPerDay": 40}'::jsonb`),
  ledAway: json<LedAway>().or(`'{"rows": [], "pages": []}'::jsonb`),
  insideAllowed: texts.or("'{}'::text[]"),
  /** Patterns of addresses that are never visited. */
  neverAsked: none,
  /** What sites that are visited are told of whoever asks; empty for the site's own address. */
  asksAs: empty,
})
export type SiteRow = RowOf<typeof sites>

export const hosts = table('hosts', {
  id,
  siteId: uuid,
  host: text,
  kind: word<'site' | 'short' | 'door'>(),
  prefix: empty,
  isMain: no,
  version,
  createdAt: now,
  updatedAt: now,
  origin: text.orNull,
  removedAt: time.orNull,
  /** See `SiteSetup`: what hosts of its kind do where it is empty. */
  missingTo: empty,
  oldPrefixes: none,
})
export type HostRow = RowOf<typeof hosts>

export type Role = 'owner' | 'editor' | 'contributor'

export const people = table('people', {
  id,
  email: text,
  name: text,
  /** Null until the person chose a password. */
  passwordHash: text.orNull,
  createdAt: now,
  updatedAt: now,
})
export type PersonRow = RowOf<typeof people>

/** What somebody is at a site. */
export const memberships = table('memberships', {
  personId: uuid.key,
  siteId: uuid.key,
  role: word<Role>(),
  endedAt: time.orNull,
  /** When a session last began there. */
  usedAt: time.orNull,
  version,
  createdAt: now,
  updatedAt: now,
})
export type MembershipRow = RowOf<typeof memberships>

export const sessions = table('sessions', {
  id,
  personId: uuid,
  tokenHash: text,
  expiresAt: time,
  createdAt: now,
  siteId: uuid,
})
export type SessionRow = RowOf<typeof sessions>

/** One-time links by which people come in and choose a password. */
export const entryLinks = table('entry_links', { personId: uuid.key, tokenHash: text, expiresAt: time, createdAt: now })

export const tokens = table('tokens', {
  id,
  personId: uuid,
  name: text,
  tokenHash: text,
  scopes: texts,
  revokedAt: time.orNull,
  createdAt: now,
  siteId: uuid,
})
export type TokenRow = RowOf<typeof tokens>

/** The code with which an installation for real use is set up. */
export const setUpCode = table('set_up_code', { onlyRow: boolean.key.or('true'), codeHash: text, createdAt: now })

export const audit = table('audit', {
  /** Counted by the database. */
  id: bigint.key.or('identity'),
  siteId: uuid,
  personId: uuid.orNull,
  tokenId: uuid.orNull,
  action: text,
  subject: text.orNull,
  detail: json<object>().or("'{}'::jsonb"),
  at: now,
})

/** The change log: see docs/how/changes.md. */
export const changes = table('changes', {
  siteId: uuid.key,
  number: bigint.key,
  capability: text,
  key: text,
  what: text,
  at: now,
})
export const changeCounters = table('change_counters', {
  siteId: uuid.key,
  number: bigint.or('0'),
  setUpNumber: bigint.or('0'),
  prunedTo: bigint.or('0'),
  /** How many short links answer, and the number of the log at which that was right. */
  shortLinksAt: bigint.orNull,
  shortLinksTotal: integer.orNull,
})

export const rules = table('rules', {
  siteId: uuid.key,
  version: integer.key,
  list: json<unknown>(),
  personId: uuid.orNull,
  createdAt: now,
  partnersArePaid: yes,
  undoneAt: time.orNull,
})
