import type { ShortLinkCourse } from '../../contract/short-link-course.ts'
import type { ShortLink } from '../../contract/short-links.ts'
import { readableAddress } from '../../core/address/index.ts'
import type { DEVICES } from '../../core/clicks/index.ts'
import type { Slip } from '../../core/slugs/index.ts'
import { counted, dateAndClock } from '../../words/index.ts'

/** An address without what everybody knows. */
export const bare = (address: string): string => readableAddress(address.replace(/^https?:\/\//, ''))

export const STATE_WORDS: Readonly<Record<ShortLink['state'], string>> = {
  answers: '',
  'not yet': 'not yet',
  over: 'over',
  down: 'destination is down',
}

export const SLIP_WORDS: Readonly<Record<Slip, string>> = {
  dropped: 'a letter left out',
  doubled: 'a letter doubled',
  swapped: 'two letters swapped',
  'next key': 'the key beside it',
  'sounds alike': 'sounds the same',
  'one or many': 'one or many',
  hyphen: 'without the hyphen',
  number: 'number or word',
}

export const DEVICE_WORDS: Readonly<Record<(typeof DEVICES)[number], string>> = {
  phone: 'phones',
  tablet: 'tablets',
  computer: 'computers',
  other: 'other devices',
}

export const VISIT_WORDS: Readonly<Record<string, string>> = {
  bot: 'robots',
  prefetch: 'browsers loading ahead',
  head: 'programs asking for headers only',
  rush: 'visitors faster than people are',
}

const moment = (at: string): string => dateAndClock(new Date(at))

/** What is out of the ordinary about a link, a sentence each; nothing for a plain one. */
export function courseWords(course: ShortLinkCourse): string[] {
  const { startsAt, endsAt, clickLimit, ending, endingTo, cases, split, fallback, query, isIndexed, referrer } = course
  const all = split === null ? 0 : split.main + split.others.reduce((sum, { weight }) => sum + weight, 0)
  const share = (weight: number): string => `${Math.round((weight / all) * 100)} in a hundred`
  const after =
    ending === 'elsewhere'
      ? `goes to ${bare(endingTo)}`
      : ending === 'gone'
        ? 'is told that it is gone for good'
        : 'is told that it is over'
  return [
    ...(startsAt === null ? [] : [`Begins on ${moment(startsAt)}.`]),
    ...cases.map(({ when, to }) => `${whenWords(when)}: to ${bare(to)}.`),
    ...(split === null
      ? []
      : [`Shared out: ${share(split.main)} here, ${split.others.map(({ to, weight }) => `${share(weight)} to ${bare(to)}`).join(', ')}.`]),
    ...(fallback === '' ? [] : [`While it does not answer: to ${bare(fallback)}.`]),
    ...(endsAt === null ? [] : [`Ends on ${moment(endsAt)}; then whoever comes ${after}.`]),
    ...(clickLimit === null ? [] : [`Ends after about ${counted(clickLimit, 'click')}; then whoever comes ${after}.`]),
    ...(query === 'drop' ? [] : [query === 'pass' ? 'What stands behind “?” is passed on.' : 'What stands behind “?” is merged in.']),
    ...(isIndexed ? ['Search engines may list it.'] : []),
    ...(referrer === '' ? [] : [`Tells where visitors come from: ${referrer}.`]),
  ]
}

function whenWords({ languages = [], devices = [], from, until, query = [] }: ShortLinkCourse['cases'][number]['when']): string {
  const parts = [
    ...(from === undefined ? [] : [`from ${moment(from)}`]),
    ...(until === undefined ? [] : [`until ${moment(until)}`]),
    ...(languages.length === 0 ? [] : [`for readers of ${languages.join(', ')}`]),
    ...(devices.length === 0 ? [] : [`on ${devices.map((each) => DEVICE_WORDS[each]).join(', ')}`]),
    ...(query.length === 0 ? [] : [`with ${query.map(({ name }) => name).join(', ')} in the query`]),
  ]
  const words = parts.join(', ')
  return words === '' ? 'Always' : words[0]?.toUpperCase() + words.slice(1)
}
