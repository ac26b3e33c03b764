import { createHash } from 'node:crypto'
import type { PageNotes } from '../core/content/index.ts'

/** The name content is kept under: of its bytes, and of what is said of it, where something is. */
export function contentHash(bytes: Uint8Array, { tags, writtenFor }: PageNotes): string {
  const hash = createHash('sha256').update(bytes)
  if (tags.length > 0 || writtenFor !== null) hash.update(`\0${JSON.stringify([tags, writtenFor])}`)
  return hash.digest('hex')
}
