import { randomUUID } from 'node:crypto'
import { fail, type Result } from '../core/result.ts'
import { type Database, inTransaction } from '../data/database.ts'
import { dropUpload, PART_BYTES, putUploadPart, type UploadOwner, waitingUploads } from '../data/uploads.ts'

/** Most that lies in waiting of a site, and of one person, inclusive of what comes. It goes with its job, or after a day. */
const QUOTA = { siteBytes: 2 * 1024 ** 3, personBytes: 1024 ** 3 }

/** What somebody sends: whole, or in pieces of any size as they come. */
export type Coming = Uint8Array | AsyncIterable<Uint8Array>

export type UploadFault = 'upload-missing' | 'upload-too-large' | 'uploads-full'

/**
 * Keeps a file until the job that needs it is done: written down part by part as it comes, so that no process ever holds it whole.
 * @param work - what is done once it is there, given its id
 * @returns what `work` says; where that is a refusal, or the file does not come to its end, nothing of it is kept
 */
export async function withUpload<T, F extends string>(
  db: Database,
  owner: UploadOwner,
  coming: Coming,
  { maxBytes, quota = QUOTA }: { readonly maxBytes: number; readonly quota?: typeof QUOTA },
  work: (upload: string) => Promise<Result<T, F>>,
): Promise<Result<T, F | UploadFault>> {
  const id = randomUUID()
  let isWanted = false
  try {
    let total = 0
    for await (const [part, bytes] of partsOf(coming)) {
      total += bytes.length
      if (total > maxBytes) return fail('upload-too-large', { bytes: total })
      const kept = await inTransaction(db, async (transaction) => {
        const { site, person } = await waitingUploads(db, owner, transaction)
        if (site + bytes.length > quota.siteBytes || person + bytes.length > quota.personBytes) return false
        await putUploadPart(db, { ...owner, id }, part, bytes, transaction)
        return true
      })
      if (!kept) return fail('uploads-full')
    }
    if (total === 0) return fail('upload-missing')
    const done = await work(id)
    isWanted = done.ok
    return done
  } finally {
    if (!isWanted) await dropUpload(db, id).catch(() => {}) // it goes after a day in any case
  }
}

/** What comes, in parts of one size, counted from 0. */
async function* partsOf(coming: Coming): AsyncGenerator<[part: number, bytes: Buffer]> {
  let [part, length] = [0, 0]
  let pieces: Uint8Array[] = []
  for await (const piece of coming instanceof Uint8Array ? [coming] : coming)
    for (let at = 0; at < piece.length; ) {
      const taken = piece.subarray(at, at + PART_BYTES - length)
      pieces.push(taken)
      at += taken.length
      length += taken.length
      if (length < PART_BYTES) continue
      yield [part++, Buffer.concat(pieces)]
      pieces = []
      length = 0
    }
  if (length > 0) yield [part, Buffer.concat(pieces)]
}
