import assert from 'node:assert/strict'
import { test } from 'node:test'
import { neighboursOf, SLUG_PATTERN, sayabilityOf } from '../../../src/core/slugs/index.ts'
import { inWords } from '../../../src/words/index.ts'

const badOf = (slug: string): string =>
  sayabilityOf(slug)
    .reasons.filter(({ isGood }) => !isGood)
    .map(({ what }) => inWords(what))
    .join('; ')

const worse = [
  ['tide', 'tidetablesandsailings', /letters are long/],
  ['boat', 'lighthouse-keepers-own-almanac', /syllables are many.*hyphens have to be said/],
  ['boat', 'knot', /K of “kn” is not said/],
  ['rope', 'wrope', /W of “wr”/],
  ['foto', 'photo', /heard as F/],
  ['map', 'map4', /number is heard as a word/],
  ['sail', 'sa1l', /1 looks like the letter L/],
  ['barn', 'bam', /^$/],
  ['tide', 'brn', /cannot be said as a word/],
  ['regata', 'regatta', /one T is heard/],
  ['island-pen', 'pen-island', /rude in English/],
  ['dock', 'dick', /rude in English/],
] as const
for (const [good, bad, why] of worse)
  test(`${bad} is told what is wrong with it`, () => {
    assert.match(badOf(bad), why)
    if (bad !== 'bam')
      assert.ok(sayabilityOf(good).score > sayabilityOf(bad).score, `${sayabilityOf(good).score} ${sayabilityOf(bad).score}`)
  })

test('words with a rude one inside are not taken for it', () => {
  for (const slug of ['class', 'document', 'hello', 'grass', 'sextant', 'peacock', 'titanic'])
    assert.doesNotMatch(badOf(slug), /rude/, slug)
})

test('a slug is said and spelled as a person would on the telephone', () => {
  const { aloud, spelled, syllables } = sayabilityOf('low-tide2')
  assert.deepEqual([aloud, spelled, syllables], ['low dash tide two', 'L, O, W, dash, T, I, D, E, two', 3])
  for (const [word, beats] of [
    ['the', 1],
    ['tide', 1],
    ['table', 2],
    ['harbour', 2],
    ['timetable', 3],
    ['causeway', 2],
    ['seven7', 4],
  ] as const)
    assert.ok(
      Math.abs(sayabilityOf(word).syllables - beats) <= (word === 'causeway' || word === 'timetable' ? 1 : 0),
      `${word}: ${sayabilityOf(word).syllables}`,
    )
})

const slips = [
  ['smock', 'smok', 'sounds alike'],
  ['smock', 'smocks', 'one or many'],
  ['smocks', 'smock', 'one or many'],
  ['ferry', 'ferries', 'one or many'],
  ['box', 'boxes', 'one or many'],
  ['low-tide', 'lowtide', 'hyphen'],
  ['four-boats', '4-boats', 'number'],
  ['quay', 'key', 'sounds alike'],
  ['photo', 'foto', 'sounds alike'],
  ['regatta', 'regata', 'sounds alike'],
  ['tide', 'tid', 'dropped'],
  ['tide', 'tiide', 'doubled'],
  ['tide', 'itde', 'swapped'],
  ['tide', 'tode', 'next key'],
] as const
for (const [slug, other, slip] of slips)
  test(`${other} is ${slip} of ${slug}`, () => assert.equal(neighboursOf(slug).find((each) => each.slug === other)?.slip, slip))

test('neighbours can all be slugs, are there once, and are not too many to be looked up', () => {
  for (const slug of ['a1', 'smock', 'the-northern-hide', 'x'.repeat(60), 'low-tide-tables-for-all-four-islands']) {
    const all = neighboursOf(slug).map((each) => each.slug)
    assert.equal(new Set(all).size, all.length)
    assert.ok(all.every((each) => each !== slug && SLUG_PATTERN.test(each) && each.length <= 60))
    assert.ok(all.length <= 12 * slug.length + 40, `${slug}: ${all.length}`)
  }
})
