import assert from 'node:assert/strict'
import { test } from 'node:test'
import { BY_HAND, type HandAnswers, handChanges, type Rule, strandOf } from '../../../src/core/rules/index.ts'
import { sayWhat, sayWhich } from '../../../src/islands/rules/say.ts'

type Written = Parameters<typeof handChanges>[0]
const fresh: Written = { rel: null, target: null, byHand: null }

const answers: readonly (readonly [string, Written, HandAnswers, Record<string, string | null>])[] = [
  ['all is left to the rules', fresh, {}, { [BY_HAND]: '' }],
  ['paid, by hand', fresh, { hints: ['sponsored', 'nofollow'] }, { rel: 'sponsored nofollow', [BY_HAND]: 'hints' }],
  ['vouched for, by hand', { ...fresh, rel: 'nofollow me' }, { hints: [] }, { rel: 'me', [BY_HAND]: 'hints' }],
  ['a new tab, by hand', fresh, { opens: 'new tab' }, { target: '_blank', [BY_HAND]: 'opens' }],
  ['the same tab, by hand', { ...fresh, target: '_blank' }, { opens: 'same tab' }, { target: null, [BY_HAND]: 'opens' }],
  [
    'both answers taken back',
    { rel: 'ugc license', target: '_blank', byHand: 'hints opens' },
    {},
    { rel: 'license', target: null, [BY_HAND]: '' },
  ],
  [
    'one taken back, one kept',
    { rel: 'ugc', target: '_blank', byHand: 'hints opens' },
    { opens: 'new tab' },
    { rel: null, target: '_blank', [BY_HAND]: 'opens' },
  ],
]
for (const [name, written, given, changes] of answers)
  test(`hand-set: ${name}`, () => assert.deepEqual(handChanges(written, given), changes))

const rule = (when: Rule['when'], what: Rule['what']): Rule => ({ id: 'r', name: 'r', isOn: true, isBinding: false, when, what })
const sentences: readonly (readonly [Rule, string])[] = [
  [rule({ all: [] }, { hints: [] }), 'All links are vouched for'],
  [rule({ is: 'kind', of: ['outside'] }, { opens: 'new tab' }), 'Links to other sites open a new tab'],
  [
    rule({ is: 'site', of: ['a.example', 'b.example', 'c.example'] }, { hints: ['sponsored', 'nofollow'] }),
    'Links to a.example, b.example and c.example are marked as paid and not vouched for',
  ],
  [
    rule(
      {
        all: [
          { is: 'shows', of: 'picture' },
          { is: 'under', of: ['/islands'] },
        ],
      },
      { hints: [], title: 'See {site}' },
    ),
    'Links that show a picture and on pages under /islands are vouched for and have the title “See {site}”',
  ],
  [
    rule(
      { any: [{ all: [{ is: 'kind', of: ['outside'] }, { not: { is: 'partner' } }] }, { is: 'part', of: ['block'], named: ['footer'] }] },
      { noreferrer: true, noopener: true },
    ),
    'Links (to other sites and not to partners’ sites), or in the block “footer” carry noopener and do not tell where the reader came from',
  ],
  [
    rule({ all: [{ is: 'tag', of: ['spring', 'winter'] }, { is: 'sponsored page' }] }, { spoken: 'opens in a new tab', mark: true }),
    'Links tagged “spring” or “winter” and on pages written for a partner get an arrow behind their words and say “opens in a new tab” aloud where they open a new tab',
  ],
]
for (const [each, sentence] of sentences) test(`says: ${sentence}`, () => assert.equal(`${sayWhich(each)} ${sayWhat(each)}`, sentence))

test('of several hints the strongest is drawn', () => {
  assert.deepEqual(
    [strandOf(['nofollow', 'sponsored']), strandOf(['ugc', 'nofollow']), strandOf(['NoFollow']), strandOf(['me'])],
    ['sponsored', 'ugc', 'nofollow', 'vouched'],
  )
})
