import { randomUUID } from 'node:crypto'

/**
 * An id for one of many rows that are made together: such ids follow each other, and so do the rows in their indexes.
 * @see RFC 9562 §5.7 (UUID version 7)
 */
export function freshId(nowMs: number = Date.now()): string {
  const time = nowMs.toString(16).padStart(12, '0')
  return `${time.slice(0, 8)}-${time.slice(8)}-7${randomUUID().slice(15)}`
}
