/** Days without times, as "2026-11-26", and months counted from the year 0. */
export const DateTimeless = {
  month: (day: string): number => Number(day.slice(0, 4)) * 12 + Number(day.slice(5, 7)) - 1,
  /** A day of a month; the last one where the month is shorter. */
  day(month: number, day: number): string {
    const [year, index] = [Math.floor(month / 12), month % 12]
    const last = new Date(Date.UTC(year, index + 1, 0)).getUTCDate()
    return new Date(Date.UTC(year, index, Math.min(day, last))).toISOString().slice(0, 10)
  },
  daysBetween: (from: string, to: string): number => Math.round((Date.parse(to) - Date.parse(from)) / 86_400_000),
} as const
