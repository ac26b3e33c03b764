import { type Told, tell } from '../../words/index.ts'
/** What of a visitor's clicks no person does. A visitor is one for a day, and unknown on the next. */
export interface BotRule {
  /** Links followed within one minute of the clock, more than this. */
  readonly perMinute: number
  /** Links followed on one day (UTC), more than this. */
  readonly perDay: number
  /** Links followed on one day without looking at one page, more than this; only where pages are counted. */
  readonly unseenPerDay: number
}

/** A rule as it is told where clicks are shown. */
export const tellBotRule = ({ perMinute, perDay, unseenPerDay }: BotRule, countsPages: boolean): Told =>
  tell('clicks.bots', { perMinute, perDay, unseenPerDay: countsPages ? unseenPerDay : null })
