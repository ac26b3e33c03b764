import assert from 'node:assert/strict'
import { test } from 'node:test'
import { seeded } from '../../../demo/random.ts'
import {
  type Candidate,
  type ChoiceLimits,
  choose,
  keyOf,
  otherWords,
  Phrasebook,
  paragraphAt,
  readProse,
  type Standing,
  sentenceIn,
  sourceOf,
} from '../../../src/core/phrases/index.ts'

const found = (html: string, phrases: readonly string[], language = 'en'): string[] => {
  const prose = readProse(html)
  return new Phrasebook(phrases, language)
    .find(prose, 1_000)
    .map(({ phrase, piece, from, to }) => `${phrase}: ${prose.pieces[piece]?.text.slice(from, to)}`)
}

test('phrases are found with simple endings, other spellings, hyphens and apostrophes, and across formatting', () => {
  assert.deepEqual(found('<p>Two waxed smocks, one WAXED <b>smo</b>ck; a waxed-smock.</p>', ['waxed smock']), [
    '0: waxed smocks',
    '0: WAXED smock',
    '0: waxed-smock',
  ])
  assert.deepEqual(found('<p>The ferry’s colour, colored ferries.</p>', ['ferry', 'color']), ['0: ferry’s', '1: colour', '0: ferries'])
  assert.deepEqual(found('<p>A sheetmap of the isles</p>', ['sheet map']), ['0: sheetmap'])
  assert.deepEqual(found('<p>Die Fähren der Inseln</p>', ['Fähre', 'insel'], 'de'), ['0: Fähren', '1: Inseln'])
  assert.deepEqual(found('<p>caf&eacute; &amp; CAFÉS</p>', ['café']), ['0: café', '0: CAFÉS'])
  assert.deepEqual(found('<p>bus, gas, less</p>', ['bu', 'ga', 'les']), [])
})

test('nothing is found in headings, links, code, quotes and what leads through the site, nor across a comma or a paragraph', () => {
  const inside = [
    '<h2>%</h2>',
    '<p><a href="/x">%</a></p>',
    '<p><code>%</code></p>',
    '<blockquote><p>%</p></blockquote>',
    '<nav>%</nav>',
    '<script>%</script>',
    '<template>%</template>',
    '<!-- % -->',
  ]
  for (const each of inside) assert.deepEqual(found(each.replace('%', 'sheet map'), ['sheet map']), [], each)
  assert.deepEqual(found('<p>a sheet, map</p><p>sheet</p><p>map</p><p>sheet <a href="/x">and</a> map</p>', ['sheet map']), [])
})

test('what is found stands where it is said in the source, also behind entities and line ends', () => {
  const html = '<p>Tea &amp; a\r\nwaxed <em>smock</em> &mdash; dry.</p>'
  const prose = readProse(html)
  const [hit] = new Phrasebook(['waxed smock'], 'en').find(prose, 10)
  const piece = prose.pieces[hit?.piece ?? 0]
  assert.ok(hit !== undefined && piece !== undefined)
  const { from, to } = sourceOf(html, piece, hit.from, hit.to)
  assert.equal(html.slice(from, to), 'waxed <em>smock')
  assert.deepEqual(sentenceIn(piece, hit.from, hit.to), { before: 'Tea & a ', words: 'waxed smock', behind: ' — dry.' })
})

test('a sentence is shown from its beginning to its end', () => {
  const prose = readProse('<p>First one. Bring a proper waxed smock, because it rains. Last one.</p>')
  const [hit] = new Phrasebook(['waxed smock'], 'en').find(prose, 10)
  assert.ok(hit !== undefined && prose.pieces[0] !== undefined)
  const { before, words, behind } = sentenceIn(prose.pieces[0], hit.from, hit.to)
  assert.equal(before + words + behind, 'Bring a proper waxed smock, because it rains.')
})

const ALIKE: readonly (readonly [language: string, one: string, other: string])[] = [
  ['en', 'ferries', 'Ferry'],
  ['en', 'organised', 'organized'],
  ['en', 'colours', 'color'],
  ['en', 'centre', 'center'],
  ['en', 'boxes', 'box'],
  ['de', 'Häuser', 'hausern'],
  ['fr', 'chevaux', 'cheval'],
  ['es', 'luces', 'luc'],
  ['xx', 'ropes', 'rope'],
]
for (const [language, one, other] of ALIKE)
  test(`“${one}” and “${other}” are one word (${language})`, () => {
    assert.equal(keyOf(one, language), keyOf(other, language))
  })

test('short words, numbers and words that only look alike stay apart', () => {
  for (const [one, other] of [
    ['bus', 'bu'],
    ['glass', 'glas'],
    ['sheet14', 'sheet'],
    ['gas', 'ga'],
    ['this', 'thi'],
  ] as const)
    assert.notEqual(keyOf(one, 'en'), keyOf(other, 'en'), one)
})

/** The slow, obvious answer. */
function bestByTrying(
  candidates: readonly Candidate[],
  standing: readonly Standing[],
  { paid, links, distance, beside }: ChoiceLimits,
): number {
  let best = 0
  for (let mask = 0; mask < 1 << candidates.length; mask++) {
    const chosen = candidates.filter((_, i) => mask & (1 << i))
    const all = [...standing, ...chosen]
    const isNear = (a: Standing, b: Standing): boolean => {
      const gap = standing.includes(b) && !b.isPaid ? beside : distance
      return a.at < b.until + gap && b.at < a.until + gap
    }
    const isKept =
      chosen.length <= links &&
      (chosen.every(({ isPaid }) => !isPaid) || all.filter(({ isPaid }) => isPaid).length <= paid) &&
      chosen.every((a) =>
        all.every(
          (b) => a === b || (a.destination !== b.destination && !isNear(a, b) && !(a.isPaid && b.isPaid && a.paragraph === b.paragraph)),
        ),
      )
    if (isKept)
      best = Math.max(
        best,
        chosen.reduce((sum, { value }) => sum + Math.max(1, Math.round(value * 1_000)), 0),
      )
  }
  return best / 1_000
}

test('the choice is the best there is: never less than by trying all, and within every limit (1,500 seeded pages)', () => {
  for (let seed = 1; seed <= 1_500; seed++) {
    const random = seeded(seed)
    const some = (count: number, length: number): Candidate[] =>
      Array.from({ length: count }, () => {
        const at = Math.floor(random() * length)
        return {
          destination: `to ${Math.floor(random() * 5)}`,
          paragraph: Math.floor(at / 12),
          at,
          until: at + 1 + Math.floor(random() * 3),
          isPaid: random() < 0.7,
          value: random() * 3,
        }
      })
    const candidates = some(1 + Math.floor(random() * 10), 70)
    const standing = some(Math.floor(random() * 3), 70)
    const limits = {
      paid: Math.floor(random() * 5),
      links: Math.floor(random() * 6),
      distance: Math.floor(random() * 9),
      beside: Math.floor(random() * 4),
    }
    const choice = choose(candidates, standing, limits)
    assert.ok(Math.abs(choice.value - bestByTrying(candidates, standing, limits)) < 1e-9, `seed ${seed}`)
    assert.equal(choice.chosen.length + choice.left.size, candidates.length, `seed ${seed}`)
  }
})

test('each candidate that is left says why', () => {
  const at = (n: number, more: Partial<Candidate> = {}): Candidate => ({
    destination: `to ${n}`,
    paragraph: n,
    at: n * 100,
    until: n * 100 + 2,
    isPaid: true,
    value: 1,
    ...more,
  })
  const standing: Standing[] = [at(1)]
  const candidates = [
    at(2, { destination: 'to 1' }),
    at(1, { destination: 'b', at: 150, until: 151 }),
    at(3, { at: 110, until: 111 }),
    at(4, { value: 5 }),
    at(5, { value: 4 }),
    at(6),
  ]
  const { chosen, left } = choose(candidates, standing, { paid: 3, links: 10, distance: 20, beside: 3 })
  assert.deepEqual([...chosen], [3, 4])
  assert.deepEqual(
    [...left].sort(([a], [b]) => a - b),
    [
      [0, 'destination linked'],
      [1, 'paragraph full'],
      [2, 'too near'],
      [5, 'page full'],
    ],
  )
})

test('other words of the same sentence are found, across tags and folded space, and nowhere else', () => {
  const html = '<p>We wore a waxed smock, and a\n  <b>good</b> oilskin cap. A cap is no oilskin cap.</p><p>An oilskin cap.'
  const near = { from: html.indexOf('waxed'), to: html.indexOf('smock') + 5 }
  const found = (words: string): string | null => {
    const place = otherWords(html, near, words)
    return place === null ? null : html.slice(place.from, place.to)
  }
  assert.equal(found('oilskin cap'), 'oilskin cap')
  assert.equal(otherWords(html, near, 'oilskin cap')?.from, html.indexOf('oilskin cap'))
  assert.equal(found('a good  oilskin'), 'a\n  <b>good</b> oilskin')
  assert.equal(found('A cap'), null)
  assert.equal(found('(.*'), null)
})

test('the paragraph at a place is that of the text or link which begins last before it', () => {
  const html = '<h1>T</h1><p>One <a href="/x">link</a> here.</p><p>Two</p>'
  const prose = readProse(html)
  const at = (words: string): number | null => paragraphAt(prose, html.indexOf(words))
  assert.equal(paragraphAt(prose, 0), null)
  assert.deepEqual([at('link'), at('here')], [at('One'), at('One')])
  assert.notEqual(at('Two'), at('One'))
  assert.equal(at('Two'), prose.pieces.at(-1)?.paragraph)
})
