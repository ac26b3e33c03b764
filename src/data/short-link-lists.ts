import { type Database, rows, type Transaction } from './database.ts'
import { columnsOf, SHORT_LINK_SAYS, type ShortLinkRow, shortLinks } from './tables/index.ts'

/** Lists of texts travel as JSON: an array of arrays would have to have them all of one length. */
const TAGS = 'ARRAY(SELECT jsonb_array_elements_text(w.tags::jsonb))'

const SAYS = columnsOf(shortLinks, SHORT_LINK_SAYS)

/** A short link to be made in a list. */
export type NewShortLink = Pick<ShortLinkRow, 'id' | 'hostId' | 'slug' | 'destination' | 'title' | 'status' | 'note'> & {
  readonly tags: readonly string[]
}

/** Makes short links, each with its first entry of history. @returns the ids of those whose slug nobody took meanwhile */
export async function insertShortLinks(
  db: Database,
  { siteId, personId, step, links }: { siteId: string; personId: string | null; step: string; links: readonly NewShortLink[] },
  transaction: Transaction,
): Promise<Set<string>> {
  const made = await rows<{ id: string }>(
    db,
    `WITH wanted AS (SELECT * FROM unnest($3::uuid[], $4::uuid[], $5::text[], $6::text[], $7::text[], $8::int[], $9::text[], $10::text[]) AS w (id, host_id, slug, destination, title, status, note, tags)),
       taken AS (INSERT INTO short_link_slugs (host_id, slug, short_link_id) SELECT host_id, slug, id FROM wanted ON CONFLICT DO NOTHING RETURNING short_link_id),
       made AS (INSERT INTO short_links (id, site_id, host_id, slug, destination, title, status, note, tags)
         SELECT w.id, $1, w.host_id, w.slug, w.destination, w.title, w.status, w.note, ${TAGS} FROM wanted w JOIN taken ON taken.short_link_id = w.id
         RETURNING id, ${SAYS})
     INSERT INTO short_link_changes (short_link_id, version, ${SAYS}, person_id, step_id) SELECT id, 1, ${SAYS}, $2, $11 FROM made RETURNING short_link_id AS id`,
    [
      siteId,
      personId,
      links.map(({ id }) => id),
      links.map(({ hostId }) => hostId),
      links.map(({ slug }) => slug),
      links.map(({ destination }) => destination),
      links.map(({ title }) => title),
      links.map(({ status }) => status),
      links.map(({ note }) => note),
      links.map(({ tags }) => JSON.stringify(tags)),
      step,
    ],
    transaction,
  )
  return new Set(made.map(({ id }) => id))
}

/** Changes where short links lead, each on top of the version that was seen. @returns the ids of those that were still of it */
export async function updateShortLinks(
  db: Database,
  {
    siteId,
    personId,
    step,
    links,
  }: {
    siteId: string
    personId: string | null
    step: string
    links: readonly (Pick<ShortLinkRow, 'id' | 'version' | 'destination' | 'title' | 'status' | 'note'> & {
      readonly tags: readonly string[]
    })[]
  },
  transaction: Transaction,
): Promise<Set<string>> {
  const changed = await rows<{ id: string }>(
    db,
    `WITH changed AS (
       UPDATE short_links l SET destination = w.destination, title = w.title, status = w.status, note = w.note, tags = ${TAGS}, version = l.version + 1, updated_at = now()
       FROM unnest($3::uuid[], $4::int[], $5::text[], $6::text[], $7::int[], $8::text[], $9::text[]) AS w (id, version, destination, title, status, note, tags)
       WHERE l.id = w.id AND l.site_id = $1 AND l.version = w.version RETURNING l.id, l.version, ${columnsOf(shortLinks, SHORT_LINK_SAYS, 'l')})
     INSERT INTO short_link_changes (short_link_id, version, ${SAYS}, person_id, step_id)
       SELECT id, version, ${SAYS}, $2, $10 FROM changed RETURNING short_link_id AS id`,
    [
      siteId,
      personId,
      links.map(({ id }) => id),
      links.map(({ version }) => version),
      links.map(({ destination }) => destination),
      links.map(({ title }) => title),
      links.map(({ status }) => status),
      links.map(({ note }) => note),
      links.map(({ tags }) => JSON.stringify(tags)),
      step,
    ],
    transaction,
  )
  return new Set(changed.map(({ id }) => id))
}
