import { keel } from './001-keel.ts'

/** In the order they run; a landed one is never edited, only followed. */
export const MIGRATIONS = [keel] as const
