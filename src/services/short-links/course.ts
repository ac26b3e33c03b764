import type { ShortLinkCourse as ShownCourse } from '../../contract/short-link-course.ts'
import type { AddressFault } from '../../core/address/index.ts'
import { fail, ok, type Result } from '../../core/result.ts'
import { type CourseFault, courseFault, keptCourse, PLAIN_COURSE, type ShortLinkCourse } from '../../core/routing/index.ts'
import type { SiteGround } from '../../core/rules/index.ts'
import { conditionsOf, defined, shownWhen } from '../conditions.ts'
import { mendDestination } from './look-up.ts'

const toMs = (time: string | null): number | null => (time === null ? null : Date.parse(time))
const toTime = (ms: number | null): string | null => (ms === null ? null : new Date(ms).toISOString())

/** A course as people see it. */
export function shownCourse(kept: Partial<ShortLinkCourse>): ShownCourse {
  const { startsAtMs, endsAtMs, cases, split, ...course } = { ...PLAIN_COURSE, ...kept }
  return {
    ...course,
    cases: cases.map(({ when, to }) => ({ when: shownWhen(when), to })),
    split: split === null ? null : { main: split.main, others: split.others.map((each) => ({ ...each })) },
    startsAt: toTime(startsAtMs),
    endsAt: toTime(endsAtMs),
  }
}

/**
 * A course as a person changes it: what is left out stays. Its destinations are mended as the main one is.
 * @returns as it is kept
 */
export function changedCourse(
  view: SiteGround,
  before: ShownCourse,
  change: Partial<{ [K in keyof ShownCourse]: ShownCourse[K] | undefined }>,
): Result<Partial<ShortLinkCourse>, CourseFault | AddressFault | 'address-not-outside'> {
  const { startsAt, endsAt, ...given } = { ...before, ...defined(change) } as ShownCourse
  let fault: Result<never, AddressFault | 'address-not-outside'> | null = null
  const mended = (to: string): string => {
    if (to.trim() === '') return ''
    const found = mendDestination(view, to)
    if (found.ok) return found.value.address
    fault ??= found
    return ''
  }
  const course: ShortLinkCourse = {
    ...given,
    cases: given.cases.map(({ when, to }) => ({ when: conditionsOf(when), to: mended(to === '' ? ' - ' : to) })),
    split:
      given.split === null
        ? null
        : { main: given.split.main, others: given.split.others.map(({ to, weight }) => ({ to: mended(to === '' ? ' - ' : to), weight })) },
    endingTo: given.ending === 'elsewhere' ? mended(given.endingTo) : '',
    fallback: mended(given.fallback),
    startsAtMs: toMs(startsAt),
    endsAtMs: toMs(endsAt),
  }
  if (fault !== null) return fault
  const unusable = courseFault(course)
  return unusable === null ? ok(keptCourse(course)) : fail(unusable)
}
