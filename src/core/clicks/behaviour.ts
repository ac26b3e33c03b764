/** What of a visitor's clicks no person does. A visitor is one for a day, and unknown on the next. */
export interface BotRule {
  /** Links followed within one minute of the clock, more than this. */
  readonly perMinute: number
  /** Links followed on one day (UTC), more than this. */
  readonly perDay: number
  /** Links followed on one day without looking at one page, more than this; only where pages are counted. */
  readonly unseenPerDay: number
}

/** A rule in words, as it stands where clicks are shown. */
export function sayBotRule({ perMinute, perDay, unseenPerDay }: BotRule, countsPages: boolean): string {
  const unseen = countsPages ? `, or more than ${unseenPerDay} on a day without looking at a page` : ''
  return `more than ${perMinute} clicks within a minute, or more than ${perDay} on a day${unseen}`
}
