import { DAY_MS } from '../time.ts'

/** The month of a day such as "2026-11-26", counted from the year 0. */
export const monthOf = (day: string): number => Number(day.slice(0, 4)) * 12 + Number(day.slice(5, 7)) - 1

/** A day of a month; the last one where the month is shorter. */
export function dayOf(month: number, day: number): string {
  const [year, index] = [Math.floor(month / 12), month % 12]
  const last = new Date(Date.UTC(year, index + 1, 0)).getUTCDate()
  return new Date(Date.UTC(year, index, Math.min(day, last))).toISOString().slice(0, 10)
}

export const daysBetween = (from: string, to: string): number => Math.round((Date.parse(to) - Date.parse(from)) / DAY_MS)
