import { countingTag, isWholePage } from '../core/clicks/index.ts'
import type { HostEntry } from './store/index.ts'

/** Whether a host's pages are counted: only where the site has turned that on. */
export const isCounting = ({ kind, ground }: HostEntry): boolean => kind !== 'short' && ground.setup.countsPages === true

/**
 * What is put at the end of a page so that it is counted; null where it is not.
 * @param start - the page's first bytes
 * @param policies - values of Content-Security-Policy that it comes with
 */
export function countingEnd(entry: HostEntry, start: Uint8Array, encoding: string, policies: readonly string[]): Buffer | null {
  if (!isCounting(entry) || encoding.startsWith('utf-16') || encoding === 'iso-2022-jp') return null
  if (!isWholePage(Buffer.from(start.buffer, start.byteOffset, Math.min(start.length, LOOKED_AT_BYTES)).toString('latin1'))) return null
  const tag = countingTag(policies)
  return tag === null ? null : Buffer.from(tag)
}
/** A page says that it is one in its first bytes. */
const LOOKED_AT_BYTES = 1_024
