import assert from 'node:assert/strict'
import { test } from 'node:test'
import {
  answerShortLink,
  compileShortLink,
  courseFault,
  keptCourse,
  PLAIN_COURSE,
  type ShortLinkCourse,
  variantFor,
} from '../../../src/core/routing/index.ts'

const NOON = Date.UTC(2027, 4, 1, 12)
const HOUR = 3_600_000
function answer(
  course: Partial<ShortLinkCourse>,
  asked: { nowMs?: number; language?: string; device?: 'phone' | 'computer'; query?: string; chance?: number } = {},
  state: { isDown?: boolean; isFull?: boolean } = {},
): string {
  const link = compileShortLink({
    id: 'k',
    destination: 'https://tides.example/a?x=1',
    status: 302,
    course,
    isDown: false,
    isFull: false,
    ...state,
  })
  assert.ok(link !== null)
  const { chance = 0, ...rest } = asked
  const found = answerShortLink(link, { query: '', language: null, device: 'computer', nowMs: NOON, ...rest, chance: () => chance })
  return found.kind === 'leads' ? `${found.location}${found.variant === null ? '' : ` #${found.variant}`}` : found.kind
}
const to = (path: string): string => `https://tides.example/${path}`

const cases: readonly (readonly [string, string, string])[] = [
  ['a plain link leads to its destination', answer({}), to('a?x=1')],
  ['before its start it is told as not there yet', answer({ startsAtMs: NOON + 1 }), 'not yet'],
  ['from its start on it leads', answer({ startsAtMs: NOON }), to('a?x=1')],
  ['until its end it leads', answer({ endsAtMs: NOON + 1 }), to('a?x=1')],
  ['from its end on it is over', answer({ endsAtMs: NOON }), 'over'],
  ['an ended one is gone where that is wanted', answer({ endsAtMs: NOON, ending: 'gone' }), 'gone'],
  ['an ended one leads elsewhere where that is wanted', answer({ endsAtMs: NOON, ending: 'elsewhere', endingTo: to('end') }), to('end')],
  ['one that had all its clicks is over', answer({ clickLimit: 5 }, {}, { isFull: true }), 'over'],
  [
    'readers of a language are sent to their page',
    answer({ cases: [{ when: { languages: ['de'] }, to: to('de') }] }, { language: 'de' }),
    to('de'),
  ],
  ['others are not', answer({ cases: [{ when: { languages: ['de'] }, to: to('de') }] }, { language: 'en' }), to('a?x=1')],
  ['a destination changes when its time comes', answer({ cases: [{ when: { fromMs: NOON }, to: to('new') }] }), to('new')],
  ['and not before', answer({ cases: [{ when: { fromMs: NOON }, to: to('new') }] }, { nowMs: NOON - 1 }), to('a?x=1')],
  [
    'the first case that fits is taken',
    answer(
      {
        cases: [
          { when: { devices: ['phone'] }, to: to('1') },
          { when: {}, to: to('2') },
        ],
      },
      { device: 'phone' },
    ),
    to('1'),
  ],
  ['while the destination is down the fallback answers', answer({ fallback: to('shelter') }, {}, { isDown: true }), to('shelter')],
  ['a case comes before the fallback', answer({ fallback: to('s'), cases: [{ when: {}, to: to('c') }] }, {}, { isDown: true }), to('c')],
  ['without a fallback a destination that is down is still led to', answer({ query: 'pass' }, {}, { isDown: true }), to('a?x=1')],
  ['a query is dropped', answer({}, { query: 'y=2' }), to('a?x=1')],
  ['a query is passed on', answer({ query: 'pass' }, { query: 'x=9&y=2' }), to('a?x=1&x=9&y=2')],
  ['a query is merged', answer({ query: 'merge' }, { query: 'x=9&y=2' }), to('a?x=1&y=2')],
  [
    'of a split the lucky ones get the other page',
    answer({ split: { main: 30, others: [{ to: to('b'), weight: 70 }] } }, { chance: 0.3 }),
    `${to('b')} #1`,
  ],
  [
    'and the others the main one',
    answer({ split: { main: 30, others: [{ to: to('b'), weight: 70 }] } }, { chance: 0.299 }),
    `${to('a?x=1')} #0`,
  ],
]
for (const [name, found, expected] of cases) test(name, () => assert.equal(found, expected))

test('a split gives each destination its share, none more than that, whatever the weights (300 seeded splits)', () => {
  let state = 7
  const random = (): number => {
    state = (state * 48_271) % 2_147_483_647
    return state / 2_147_483_647
  }
  for (let n = 0; n < 300; n++) {
    const weights = Array.from({ length: 2 + Math.floor(random() * 4) }, () => Math.floor(random() * 5))
    const all = weights.reduce((sum, each) => sum + each, 0)
    if (all === 0) continue
    const split = { main: weights[0] ?? 0, others: weights.slice(1).map((weight) => ({ to: '', weight })) }
    const counted = weights.map(() => 0)
    for (let i = 0; i < all * 10; i++) {
      const at = variantFor(split, i / (all * 10))
      counted[at] = (counted[at] ?? 0) + 1
    }
    assert.deepEqual(
      counted,
      weights.map((weight) => weight * 10),
      `split ${n}: ${weights}`,
    )
  }
})

test('a course that nobody could follow is refused by what is wrong with it', () => {
  const fault = (course: Partial<ShortLinkCourse>) => courseFault({ ...PLAIN_COURSE, ...course })
  assert.deepEqual(
    [
      fault({}),
      fault({ startsAtMs: NOON, endsAtMs: NOON }),
      fault({ cases: [{ when: { fromMs: NOON, untilMs: NOON - HOUR }, to: to('x') }] }),
      fault({ split: { main: 0, others: [{ to: to('x'), weight: 0 }] } }),
      fault({ clickLimit: 0 }),
      fault({ endsAtMs: NOON, ending: 'elsewhere' }),
    ],
    [null, 'course-never', 'course-never', 'course-weights', 'course-limit', 'course-ending'],
  )
})

test('what is kept of a course is what differs, and reads back as the same', () => {
  const course: ShortLinkCourse = { ...PLAIN_COURSE, fallback: to('s'), split: { main: 1, others: [{ to: to('b'), weight: 2 }] } }
  assert.deepEqual(Object.keys(keptCourse(course)).sort(), ['fallback', 'split'])
  assert.deepEqual({ ...PLAIN_COURSE, ...keptCourse(course) }, course)
  assert.deepEqual(keptCourse(PLAIN_COURSE), {})
})
