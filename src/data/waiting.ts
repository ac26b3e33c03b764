import { type Database, rows, type Transaction } from './database.ts'
import { ago, count, isAfter, isNot, select } from './plain.ts'
import { waitingLinks } from './tables/index.ts'

export interface WaitingRow {
  readonly id: string
  readonly pageId: string
  readonly path: string
  readonly title: string
  readonly address: string
  readonly words: string
  readonly sentence: string
  readonly flags: readonly string[]
  readonly by: string | null
  readonly at: Date
}

/** Links that wait for an editor, newest first. */
export function listWaiting(db: Database, siteId: string, limit: number): Promise<WaitingRow[]> {
  return rows<WaitingRow>(
    db,
    `SELECT w.id, w.page_id AS "pageId", p.path, p.title, w.address, w.words, w.sentence, w.flags,
       (SELECT name FROM people WHERE people.id = w.person_id) AS by, w.created_at AS at
     FROM waiting_links w JOIN pages p ON p.id = w.page_id WHERE w.site_id = $1 AND w.state = 'waiting' ORDER BY w.created_at DESC, w.id LIMIT $2`,
    [siteId, limit],
  )
}

/** How many links wait. */
export function countWaiting(db: Database, siteId: string): Promise<number> {
  return count(db, waitingLinks, { siteId, state: 'waiting' })
}

/**
 * Destinations that are not accepted, by page. Those of shared parts hold on every page; pages without any of their own find them under "shared".
 * @param pageIds - the pages that are asked for; null for all
 */
export async function waitingByPage(
  db: Database,
  siteId: string,
  pageIds: readonly string[] | null = null,
): Promise<Map<string, string[]>> {
  const found = await rows<{ pageId: string; kind: string; address: string }>(
    db,
    `SELECT w.page_id AS "pageId", p.kind, w.address FROM waiting_links w JOIN pages p ON p.id = w.page_id WHERE w.site_id = $1 AND w.state <> 'accepted'
       AND ($2::uuid[] IS NULL OR p.kind <> 'page' OR w.page_id = ANY($2::uuid[]))`,
    [siteId, pageIds],
  )
  const shared = found.filter(({ kind }) => kind !== 'page').map(({ address }) => address)
  const byPage = new Map<string, string[]>()
  if (shared.length > 0) byPage.set('shared', shared)
  for (const { pageId, address } of found) byPage.set(pageId, [...(byPage.get(pageId) ?? shared), address])
  return byPage
}

/** Destinations of one page that are not accepted. */
export async function waitingOn(db: Database, pageId: string): Promise<string[]> {
  const found = await select(db, waitingLinks, ['address'], { pageId, state: isNot('accepted') })
  return found.map(({ address }) => address)
}

/** How many links of a person wait on a page since a while: saves come every second, so several are one. */
export function waitingLately(db: Database, pageId: string, personId: string, minutes: number, transaction: Transaction): Promise<number> {
  return count(db, waitingLinks, { pageId, personId, state: 'waiting', createdAt: isAfter(ago(minutes, 'minutes')) }, transaction)
}

/** Puts links into the queue; what is in it already stays as it is decided. */
export async function putWaiting(
  db: Database,
  {
    siteId,
    pageId,
    personId,
    links,
  }: {
    siteId: string
    pageId: string
    personId: string
    links: readonly { address: string; words: string; sentence: string; flags: readonly string[] }[]
  },
  transaction: Transaction,
): Promise<void> {
  for (const { address, words, sentence, flags } of links) {
    await rows(
      db,
      `INSERT INTO waiting_links (site_id, page_id, person_id, address, words, sentence, flags) VALUES ($1, $2, $3, $4, $5, $6, $7::text[])
       ON CONFLICT (page_id, address) DO UPDATE SET words = $5, sentence = $6`,
      [siteId, pageId, personId, address, words, sentence, flags],
      transaction,
    )
  }
}

/** All links of a person on a page are flagged once they are many. */
export async function flagMany(db: Database, pageId: string, personId: string, transaction: Transaction): Promise<void> {
  await rows(
    db,
    `UPDATE waiting_links SET flags = array_append(flags, 'many') WHERE page_id = $1 AND person_id = $2 AND state = 'waiting' AND NOT 'many' = ANY(flags)`,
    [pageId, personId],
    transaction,
  )
}

/** Links that were taken out again wait no longer. */
export async function dropWaiting(db: Database, pageId: string, present: readonly string[], transaction: Transaction): Promise<void> {
  await rows(
    db,
    `DELETE FROM waiting_links WHERE page_id = $1 AND state = 'waiting' AND NOT address = ANY($2::text[])`,
    [pageId, present],
    transaction,
  )
}

/** Decides a link that waits. @returns the page and destination, or null when nothing of that id waits */
export async function decideWaiting(
  db: Database,
  { siteId, id, state, personId }: { siteId: string; id: string; state: 'accepted' | 'refused'; personId: string },
  transaction: Transaction,
): Promise<{ pageId: string; address: string } | null> {
  const [row] = await rows<{ pageId: string; address: string }>(
    db,
    `UPDATE waiting_links SET state = $3, decided_by = $4, decided_at = now() WHERE id = $1 AND site_id = $2 AND state = 'waiting'
     RETURNING page_id AS "pageId", address`,
    [id, siteId, state, personId],
    transaction,
  )
  return row ?? null
}

/** Tells whether a page, block or menu other than this one leads to a site already. */
export async function isKnownSite(
  db: Database,
  siteId: string,
  site: string,
  exceptPage: string,
  transaction: Transaction,
): Promise<boolean> {
  const [row] = await rows(
    db,
    `SELECT 1 FROM placements l JOIN pages p ON p.id = l.page_id WHERE p.site_id = $1 AND p.id <> $3 AND l.href ~* $2 LIMIT 1`,
    [siteId, `^(https?:)?//([^/?#]*[.])?${site.replace(/[^a-z0-9-]/gi, '[$&]')}([:/?#]|$)`, exceptPage],
    transaction,
  )
  return row !== undefined
}
