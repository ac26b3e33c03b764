import { randomUUID } from 'node:crypto'
import { fail, ok, type Result } from '../core/result.ts'
import { type Database, inTransaction } from '../data/database.ts'
import { putUpload, waitingUploads } from '../data/uploads.ts'
import type { Actor } from './context.ts'

/** Most that lies in waiting of a site, and of one person, inclusive of what comes. It goes with its job, or after a day. */
const QUOTA = { siteBytes: 2 * 1024 ** 3, personBytes: 1024 ** 3 }

/** Keeps files until the job that needs them is done. @returns an id for each, in their order */
export async function keepUploads(
  db: Database,
  { siteId, personId }: Pick<Actor, 'siteId' | 'personId'>,
  files: readonly Uint8Array[],
  quota = QUOTA,
): Promise<Result<readonly string[], 'uploads-full'>> {
  const bytes = files.reduce((sum, each) => sum + each.length, 0)
  return inTransaction(db, async (transaction) => {
    const { site, person } = await waitingUploads(db, { siteId, personId }, transaction)
    if (site + bytes > quota.siteBytes || person + bytes > quota.personBytes) return fail('uploads-full')
    const ids: string[] = []
    for (const each of files) {
      const id = randomUUID()
      await putUpload(db, { id, siteId, personId }, each, transaction)
      ids.push(id)
    }
    return ok(ids)
  })
}
