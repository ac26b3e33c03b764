import type { RedirectDraft } from '../../core/exchange/index.ts'
import type { QueryHabit, RedirectConditions, RedirectMatch, RedirectStatus, ShortLinkCourse } from '../../core/routing/index.ts'
import type { Said } from '../../words/index.ts'
import { code, double, empty, id, integer, json, no, none, now, text, texts, time, uuid, version, word, yes } from './column.ts'
import { every, type RowOf, table } from './table.ts'

export type ShortLinkStatus = 301 | 302 | 307 | 308

export const shortLinks = table('short_links', {
  id,
  siteId: uuid,
  hostId: uuid,
  destination: text,
  title: empty,
  status: code<ShortLinkStatus>('integer'),
  version,
  createdAt: now,
  updatedAt: now,
  /** The slugs that it had on its own host, main one first, when it was taken away; null while it answers. */
  removedSlugs: texts.orNull,
  slug: text,
  /** As it is kept: only what differs from the plain one. */
  course: json<Partial<ShortLinkCourse>>().or("'{}'::jsonb"),
  note: empty,
  tags: none,
  downAt: time.orNull,
  fullAt: time.orNull,
  lookedAt: time.orNull,
  removedElsewhere: json<unknown>().or("'[]'::jsonb"),
  /** What it is searched by; made by the database. */
  words: text.or(
    "lower(((((((((slug || ' '::text) || title) || ' '::text) || destination) || ' '::text) || note) || ' '::text) || tag_words(tags)))",
  ),
})
export type ShortLinkRow = RowOf<typeof shortLinks>
/** What a version of a short link says: its revisions have just these. */
export const SHORT_LINK_SAYS = ['destination', 'title', 'status', 'note', 'tags', 'course'] as const

export const shortLinkSlugs = table('short_link_slugs', { hostId: uuid.key, slug: text.key, shortLinkId: uuid, isMain: yes })

/** All versions of short links, the present one too. */
export const shortLinkChanges = table('short_link_changes', {
  shortLinkId: uuid.key,
  version: integer.key,
  destination: text,
  title: text,
  status: code<ShortLinkStatus>('integer'),
  personId: uuid.orNull,
  createdAt: now,
  course: json<Partial<ShortLinkCourse>>().or("'{}'::jsonb"),
  note: empty,
  tags: none,
  stepId: uuid.orNull,
})

/** Short links that were changed together. */
export const shortLinkSteps = table('short_link_steps', {
  id: uuid.key,
  siteId: uuid,
  personId: uuid.orNull,
  what: text,
  links: json<unknown>(),
  at: now,
  undoneAt: time.orNull,
})

export const utmValues = table('utm_values', { siteId: uuid.key, name: text.key, value: text.key, uses: integer.or('1'), lastAt: now })

export const redirects = table('redirects', {
  id,
  siteId: uuid,
  match: word<RedirectMatch>(),
  from: text.by('source'),
  /** By what it is found: see `redirectKey`. */
  key: text,
  hosts: none,
  when: json<RedirectConditions>().by('conditions').or("'{}'::jsonb"),
  to: text.by('destination').or("''::text"),
  status: code<RedirectStatus>('smallint'),
  query: word<QueryHabit>(),
  beatsPages: no,
  note: empty,
  isOn: yes,
  /** Its order in the table. */
  place: double,
  version,
  createdAt: now,
  updatedAt: now,
  removedAt: time.orNull,
  /** What it is searched by; made by the database. */
  words: text.or("lower(((((source || ' '::text) || destination) || ' '::text) || note))"),
  /** Never offered for menus, never in the sitemap. */
  isHidden: yes,
  /** See `neededText`. */
  needs: text.orNull,
  personId: uuid.orNull,
  stepId: uuid.orNull,
})
export type RedirectRow = RowOf<typeof redirects>
/** What a row says, and by what it is found: all that a draft has. Whatever else a row has belongs to its place, or to who wrote it when. */
export const REDIRECT_SAYS = every<keyof RedirectDraft | 'key'>()([
  'match',
  'from',
  'key',
  'hosts',
  'when',
  'to',
  'status',
  'query',
  'beatsPages',
  'note',
  'isOn',
  'isHidden',
])

/** What rows said before what they say now. See the view `redirect_versions`. */
export const redirectRevisions = table('redirect_revisions', {
  redirectId: uuid.key,
  version: integer.key,
  at: now,
  personId: uuid.orNull,
  state: json<unknown>(),
  stepId: uuid.orNull,
})

/** Rows that were made, changed or taken away together. */
export const redirectSteps = table('redirect_steps', {
  id: uuid.key,
  siteId: uuid,
  personId: uuid.orNull,
  what: json<Said>(),
  at: now,
  undoneAt: time.orNull,
})
