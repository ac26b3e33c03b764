import { DAY_MS, HOUR_MS } from '../core/time.ts'
import { clock, date as dayOf } from '../words/index.ts'

const MINUTE_MS = 60_000

/** A moment as people say it: "just now", "12 minutes ago", "yesterday 14:05", "3 May 2026 14:05". */
export function sayWhen(at: string, now = Date.now()): string {
  const date = new Date(at)
  const ago = now - date.getTime()
  const time = clock(date)
  if (ago >= 0 && ago < MINUTE_MS) return 'just now'
  if (ago >= 0 && ago < HOUR_MS) {
    const minutes = Math.round(ago / MINUTE_MS)
    return `${minutes} ${minutes === 1 ? 'minute' : 'minutes'} ago`
  }
  const day = (each: number): string => new Date(each).toDateString()
  if (day(now) === date.toDateString()) return `today ${time}`
  if (day(now - DAY_MS) === date.toDateString()) return `yesterday ${time}`
  return `${dayOf(date)} ${time}`
}
