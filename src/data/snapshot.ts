import { Transaction } from 'sequelize'
import { z } from 'zod'
import { RuleList } from '../contract/rules.ts'
import { type Database, rows } from './database.ts'
import { readParts } from './parts.ts'
import { readSiteSetup, siteIds, snapshotVersion } from './sites.ts'

const Row = z.object({ id: z.string(), name: z.string(), sites: z.array(z.string()), template: z.string(), account: z.string() })
const Setup = z.object({
  siteId: z.string(),
  name: z.string(),
  language: z.string().optional(),
  hosts: z.array(
    z.object({
      id: z.string(),
      host: z.string(),
      kind: z.enum(['site', 'short', 'door']),
      prefix: z.string(),
      origin: z.string().nullish(),
    }),
  ),
  mayVisitPrivate: z.boolean().optional(),
  partners: z.array(Row),
  rules: RuleList.shape.rules,
  shortLinks: z.array(
    z.object({
      id: z.string(),
      host: z.string(),
      prefix: z.string(),
      slug: z.string(),
      destination: z.string(),
      title: z.string().optional(),
      status: z.union([z.literal(301), z.literal(302), z.literal(307), z.literal(308)]),
    }),
  ),
})

/** All that delivery answers from, but for the contents, which it keeps by their hash. */
export const Snapshot = z.object({
  version: z.number(),
  sites: z.array(
    z.object({
      setup: Setup,
      pages: z.array(
        z.object({
          path: z.string(),
          hash: z.string(),
          encoding: z.string(),
          waiting: z.array(z.string()),
          tags: z.array(z.string()).default([]),
          writtenFor: z.string().nullable().default(null),
        }),
      ),
      /** Shared parts by "block name" or "menu name". */
      parts: z.array(z.object({ key: z.string(), html: z.string() })),
      files: z.array(z.object({ path: z.string(), hash: z.string(), mediaType: z.string(), bytes: z.number() })),
    }),
  ),
})
export type Snapshot = z.infer<typeof Snapshot>

/** Reads everything as of one moment. */
export function readSnapshot(db: Database): Promise<Snapshot> {
  return db.sequelize.transaction({ isolationLevel: Transaction.ISOLATION_LEVELS.REPEATABLE_READ, readOnly: true }, async (transaction) => {
    const version = await snapshotVersion(db, transaction)
    const sites: Snapshot['sites'] = []
    for (const siteId of await siteIds(db, transaction)) {
      const setup = await readSiteSetup(db, siteId, transaction)
      if (setup === null) continue
      const pages = await rows<Snapshot['sites'][number]['pages'][number]>(
        db,
        `SELECT path, live_hash AS hash, live_encoding AS encoding, b.tags, b.written_for AS "writtenFor",
           coalesce((SELECT array_agg(address) FROM waiting_links w JOIN pages o ON o.id = w.page_id
             WHERE w.state <> 'accepted' AND o.site_id = $1 AND (o.id = p.id OR o.kind <> 'page')), '{}') AS waiting
         FROM pages p JOIN blobs b ON b.hash = p.live_hash WHERE site_id = $1 AND kind = 'page'`,
        [siteId],
        transaction,
      )
      const files = await rows<Snapshot['sites'][number]['files'][number]>(
        db,
        'SELECT path, live_hash AS hash, media_type AS "mediaType", bytes FROM files WHERE site_id = $1 AND live_hash IS NOT NULL',
        [siteId],
        transaction,
      )
      const parts = await readParts(db, siteId, 'live', transaction)
      sites.push({ setup: setup as Snapshot['sites'][number]['setup'], pages, parts, files })
    }
    return { version, sites }
  })
}

/** Contents by hash; those that are gone are left out. */
export async function readBlobs(db: Database, hashes: readonly string[]): Promise<{ hash: string; bytes: Buffer }[]> {
  return rows(db, 'SELECT hash, bytes FROM blobs WHERE hash = ANY($1::text[])', [hashes])
}
