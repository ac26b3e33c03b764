import type { RedirectWhen } from '../contract/redirects.ts'
import type { RedirectConditions } from '../core/routing/index.ts'

const toMs = (time: string | undefined): number | undefined => (time === undefined ? undefined : Date.parse(time))

/** What of it is there: a property that is undefined must not hide one that it is put over. */
export const defined = <T extends object>(given: T) =>
  Object.fromEntries(Object.entries(given).filter(([, value]) => value !== undefined)) as { [K in keyof T]?: Exclude<T[K], undefined> }

/** Conditions as people set them, as they are kept. */
export const conditionsOf = ({ query, noOtherQuery, languages, devices, from, until }: RedirectWhen): RedirectConditions =>
  defined({
    query,
    noOtherQuery: noOtherQuery === true ? true : undefined,
    languages,
    devices,
    fromMs: toMs(from),
    untilMs: toMs(until),
  })

/** Conditions as people see them. */
export const shownWhen = ({ query, noOtherQuery, languages, devices, fromMs, untilMs }: RedirectConditions): RedirectWhen =>
  defined({
    query: query?.map((each) => ({ ...each })),
    noOtherQuery,
    languages: languages === undefined ? undefined : [...languages],
    devices: devices === undefined ? undefined : [...devices],
    from: fromMs === undefined ? undefined : new Date(fromMs).toISOString(),
    until: untilMs === undefined ? undefined : new Date(untilMs).toISOString(),
  })
