import { decodeSource, patchBytes, walkTags } from '../../core/markup/index.ts'
import { contentHash } from '../content-hash.ts'

/** Asks the database, within the migration's transaction. */
type Ask = <Row extends object>(sql: string, bind?: readonly unknown[]) => Promise<Row[]>

/** What is said of a page moves out of its source, where a comment of somebody else's could be taken for it, into columns beside its content. */
export const notesBesideContent = {
  name: '007-notes',
  up: `
ALTER TABLE blobs ADD COLUMN tags text[] NOT NULL DEFAULT '{}', ADD COLUMN written_for uuid;
-- Live versions get other names below.
UPDATE snapshot_state SET version = version + 1;
`,
  /** Takes the comments out of every version of a page or block in which they were written, and notes it as a revision. */
  async after(ask: Ask): Promise<void> {
    const found = await ask<{ hash: string; encoding: string }>(
      `SELECT b.hash, v.encoding FROM blobs b JOIN (
         SELECT hash, max(encoding) AS encoding FROM (
           SELECT r.hash, r.encoding FROM page_revisions r JOIN pages p ON p.id = r.page_id WHERE p.kind <> 'menu'
           UNION ALL SELECT draft_hash, encoding FROM pages WHERE kind <> 'menu'
           UNION ALL SELECT live_hash, coalesce(live_encoding, encoding) FROM pages WHERE kind <> 'menu' AND live_hash IS NOT NULL
           UNION ALL SELECT to_hash, coalesce(encoding, 'utf-8') FROM publication_items WHERE kind IN ('page', 'block') AND to_hash IS NOT NULL) AS all_versions
         GROUP BY hash) AS v ON v.hash = b.hash
       WHERE position('written-for:'::bytea IN b.bytes) > 0 OR position('tags:'::bytea IN b.bytes) > 0`,
    )
    for (const { hash, encoding } of found) {
      // One at a time: all versions of all pages may be more than memory holds.
      const [kept] = await ask<{ bytes: Buffer }>('SELECT bytes FROM blobs WHERE hash = $1', [hash])
      const lifted = kept === undefined ? null : lift(kept.bytes, encoding)
      if (lifted === null) continue
      const next = contentHash(lifted.bytes, lifted)
      await ask('INSERT INTO blobs (hash, bytes, tags, written_for) VALUES ($1, $2, $3::text[], $4::uuid) ON CONFLICT DO NOTHING', [
        next,
        Buffer.from(lifted.bytes),
        lifted.tags,
        lifted.writtenFor,
      ])
      for (const [table, column] of POINTING) await ask(`UPDATE ${table} SET ${column} = $2 WHERE ${column} = $1`, [hash, next])
      await ask(
        `WITH moved AS (UPDATE pages SET version = version + 1, updated_at = now(), words = NULL WHERE draft_hash = $1 RETURNING id, version, draft_hash, encoding, title)
         INSERT INTO page_revisions (page_id, version, hash, encoding, title, made_by) SELECT id, version, draft_hash, encoding, title, 'notes' FROM moved`,
        [next],
      )
    }
    // What was derived from comments of another form than ours was never said here.
    await ask('UPDATE pages p SET tags = b.tags, written_for = b.written_for FROM blobs b WHERE b.hash = p.draft_hash')
  },
} as const

const POINTING = [
  ['pages', 'draft_hash'],
  ['pages', 'live_hash'],
  ['pages', 'import_hash'],
  ['page_revisions', 'hash'],
  ['publication_items', 'from_hash'],
  ['publication_items', 'to_hash'],
  ['bulk_change_pages', 'before_hash'],
  ['bulk_change_pages', 'after_hash'],
] as const

const WRITTEN_FOR = /^<!-- written-for: ([0-9a-f]{8}(?:-[0-9a-f]{4}){3}-[0-9a-f]{12}) -->$/
const TAGS = /^<!-- tags: ([^<>]+) -->$/

/** What was said in comments as we wrote them, in a page's content; null where nothing was. */
function lift(bytes: Uint8Array, encoding: string): { bytes: Uint8Array; tags: string[]; writtenFor: string | null } | null {
  const html = decodeSource(bytes, encoding)
  let tags: string[] | null = null
  let writtenFor: string | null = null
  const patches: { from: number; to: number; insert: string }[] = []
  walkTags(html, {
    comment(from, to, inert) {
      if (inert) return
      const comment = html.slice(from, to)
      const [, partner] = WRITTEN_FOR.exec(comment) ?? []
      const [, list] = TAGS.exec(comment) ?? []
      if (partner !== undefined && writtenFor === null) writtenFor = partner
      else if (list !== undefined && tags === null) tags = list.split(',').map((tag) => tag.trim())
      else return
      patches.push({ from, to, insert: '' })
    },
  })
  if (patches.length === 0) return null
  const patched = patchBytes(bytes, encoding, html, patches)
  return patched.ok ? { bytes: patched.value, tags: (tags ?? []).filter((tag) => tag !== ''), writtenFor } : null
}
