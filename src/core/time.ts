/** Spans of time, in milliseconds. Days of a calendar are counted in UTC, where none has an hour more or less. */
export const HOUR_MS = 3_600_000
export const DAY_MS = 24 * HOUR_MS
