import type { PhraseWeights } from '../contract/phrases.ts'
import { type Database, jsonOf, rows, type Transaction } from './database.ts'
import { count, remove, selectOne, update } from './plain.ts'
import { phrases, selected, sites } from './tables/index.ts'

export interface PhraseRow {
  readonly id: string
  readonly words: string
  readonly destination: string
  readonly partnerId: string | null
  readonly priority: number
  readonly refused: number
  readonly isRefusedEverywhere: boolean
}

const SHOWN = `${selected(phrases, ['id', 'words', 'destination', 'partnerId', 'priority'], 'p')},
  (SELECT count(*)::int FROM phrase_refusals r WHERE r.phrase_id = p.id AND r.page_id IS NOT NULL) AS refused,
  EXISTS (SELECT 1 FROM phrase_refusals r WHERE r.phrase_id = p.id AND r.page_id IS NULL) AS "isRefusedEverywhere"`

export const listPhrases = (db: Database, siteId: string, partnerId: string | null, limit: number): Promise<PhraseRow[]> =>
  rows(
    db,
    `SELECT ${SHOWN} FROM phrases p WHERE p.site_id = $1 AND ($2::uuid IS NULL OR p.partner_id = $2) ORDER BY lower(p.words), p.id LIMIT $3`,
    [siteId, partnerId, limit],
  )

export function countPhrases(db: Database, siteId: string, partnerId: string | null, transaction?: Transaction): Promise<number> {
  return count(db, phrases, { siteId, ...(partnerId === null ? {} : { partnerId }) }, transaction)
}

/** Changes whenever a phrase of the site does. */
export async function phrasesStamp(db: Database, siteId: string): Promise<string> {
  const [found] = await rows<{ stamp: string }>(
    db,
    `SELECT count(*) || ' ' || coalesce(max(updated_at)::text, '') AS stamp FROM phrases WHERE site_id = $1`,
    [siteId],
  )
  return found?.stamp ?? ''
}

/** @returns those that were made; a phrase that is there already for the same destination is left as it is */
export const insertPhrases = (
  db: Database,
  { siteId, personId }: { readonly siteId: string; readonly personId: string },
  made: readonly { readonly words: string; readonly destination: string; readonly partnerId: string | null; readonly priority: number }[],
  transaction: Transaction,
): Promise<PhraseRow[]> =>
  rows(
    db,
    `INSERT INTO phrases AS p (site_id, words, destination, partner_id, priority, person_id)
     SELECT $1, w.words, w.destination, w."partnerId", w.priority, $3 FROM jsonb_to_recordset($2::jsonb) AS w (words text, destination text, "partnerId" uuid, priority int)
     ON CONFLICT DO NOTHING RETURNING ${SHOWN}`,
    [siteId, jsonOf(made), personId],
    transaction,
  )

export async function updatePhrase(
  db: Database,
  siteId: string,
  id: string,
  priority: number,
  transaction: Transaction,
): Promise<PhraseRow | null> {
  const [row] = await rows<PhraseRow>(
    db,
    `UPDATE phrases p SET priority = $3, updated_at = clock_timestamp() WHERE p.site_id = $1 AND p.id = $2 RETURNING ${SHOWN}`,
    [siteId, id, priority],
    transaction,
  )
  return row ?? null
}

export async function removePhrase(db: Database, siteId: string, id: string, transaction: Transaction): Promise<boolean> {
  return (await remove(db, phrases, { siteId, id }, transaction)) > 0
}

/** @param pageId - null for every page. @returns false where there is no such phrase or page */
export async function refusePhrase(
  db: Database,
  siteId: string,
  id: string,
  pageId: string | null,
  transaction: Transaction,
): Promise<boolean> {
  const found = await rows(
    db,
    `INSERT INTO phrase_refusals (phrase_id, page_id) SELECT p.id, $3::uuid FROM phrases p WHERE p.site_id = $1 AND p.id = $2
     AND ($3::uuid IS NULL OR EXISTS (SELECT 1 FROM pages WHERE id = $3 AND site_id = $1)) ON CONFLICT DO NOTHING RETURNING phrase_id`,
    [siteId, id, pageId],
    transaction,
  )
  return found.length > 0 || (await count(db, phrases, { siteId, id }, transaction)) > 0
}

export async function allowPhrase(db: Database, siteId: string, id: string, transaction: Transaction): Promise<boolean> {
  const found = await rows(
    db,
    `WITH allowed AS (DELETE FROM phrase_refusals r USING phrases p WHERE p.id = r.phrase_id AND p.site_id = $1 AND p.id = $2)
     SELECT 1 AS found FROM phrases WHERE site_id = $1 AND id = $2`,
    [siteId, id],
    transaction,
  )
  return found.length > 0
}

/** Phrases that are not to be linked on pages: "phrase page", or "phrase" for all of them. */
export async function phraseRefusals(db: Database, siteId: string): Promise<ReadonlySet<string>> {
  const found = await rows<{ phraseId: string; pageId: string | null }>(
    db,
    'SELECT r.phrase_id AS "phraseId", r.page_id AS "pageId" FROM phrase_refusals r JOIN phrases p ON p.id = r.phrase_id WHERE p.site_id = $1',
    [siteId],
  )
  return new Set(found.map(({ phraseId, pageId }) => (pageId === null ? phraseId : `${phraseId} ${pageId}`)))
}

export async function readWeights(db: Database, siteId: string): Promise<unknown> {
  return (await selectOne(db, sites, ['phraseWeights'], { id: siteId }))?.phraseWeights
}
export const writeWeights = (db: Database, siteId: string, weights: PhraseWeights, transaction: Transaction): Promise<unknown> =>
  update(db, sites, { phraseWeights: weights }, { id: siteId }, transaction)

export async function readDisclosure(db: Database, siteId: string): Promise<unknown> {
  return (await selectOne(db, sites, ['disclosure'], { id: siteId }))?.disclosure
}
export const writeDisclosure = (db: Database, siteId: string, disclosure: object, transaction: Transaction): Promise<unknown> =>
  update(db, sites, { disclosure }, { id: siteId }, transaction)

/** The words that links to a destination hang on, most used first. @param hrefs - spellings of the destination */
export const wordsOfLinks = (
  db: Database,
  siteId: string,
  hrefs: readonly string[],
  limit: number,
): Promise<{ words: string; links: number }[]> =>
  rows(
    db,
    `SELECT min(l.shown_text) AS words, count(*)::int AS links FROM placements l JOIN pages p ON p.id = l.page_id
     WHERE p.site_id = $1 AND l.href = ANY($2::text[]) AND l.shows = 'text' AND length(l.shown_text) BETWEEN 3 AND 80
     GROUP BY lower(l.shown_text) ORDER BY count(*) DESC, min(l.shown_text) LIMIT $3`,
    [siteId, hrefs, limit],
  )
