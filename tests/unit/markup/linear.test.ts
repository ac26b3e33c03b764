import assert from 'node:assert/strict'
import { test } from 'node:test'
import type { Surroundings } from '../../../src/core/address/index.ts'
import { readPage } from '../../../src/core/content/index.ts'
import { decodeSource, scanLinks, scanPictures, shownPage, walkTags } from '../../../src/core/markup/index.ts'
import { compileRules, deliverPage, ruleStream } from '../../../src/core/rules/index.ts'
import { StepCounter } from './steps.ts'

/** Shapes that pages take by accident and by intent, each about `n` marks long. */
const SHAPES: Readonly<Record<string, (n: number) => string>> = {
  'end tags that close nothing, inside open SVG': (n) => '<svg><g>'.repeat(n / 2) + '</nope>'.repeat(n),
  'end tags of HTML, inside open SVG': (n) => `<div>${'<svg><g>'.repeat(n / 2)}${'</div>'.repeat(n)}`,
  'HTML inside SVG inside HTML': (n) => '<svg><foreignObject>'.repeat(n / 2) + '</p>'.repeat(n),
  'breaking out of SVG': (n) => '<svg><g><p>'.repeat(n),
  'MathML and end tags of nobody': (n) => '<math><mi>'.repeat(n / 2) + '</p></x>'.repeat(n),
  'annotations in MathML': (n) => '<math><annotation-xml encoding="text/html"><svg>'.repeat(n),
  'nested SVG, closed from outside': (n) => '<svg>'.repeat(n) + '</svg>'.repeat(n),
  'links in SVG': (n) => `<svg>${'<a href="x">'.repeat(n)}`,
  'CDATA without end': (n) => `<svg>${'<![CDATA['.repeat(n)}`,
  'CDATA with ends': (n) => `<svg>${'<![CDATA[ ]]>'.repeat(n)}`,
  'many comments': (n) => '<!-- x: a -->'.repeat(n),
  'comments without end': (n) => '<!-- a '.repeat(n),
  'comments that end with a bang': (n) => '<!-- a --!>'.repeat(n),
  'the shortest comments': (n) => '<!--><!--->'.repeat(n),
  'dashes in a comment': (n) => `<!--${'-'.repeat(n)}`,
  'bogus comments': (n) => '<?a <!b </1'.repeat(n),
  'less than signs': (n) => '<'.repeat(n),
  slashes: (n) => '</'.repeat(n),
  'open elements': (n) => '<div>'.repeat(n),
  'open lists': (n) => '<ul><li>'.repeat(n),
  'open tables': (n) => '<table><tr><td>'.repeat(n),
  'open formatting': (n) => '<b><i><em>'.repeat(n),
  'links in links': (n) => '<a href=x>'.repeat(n),
  'links without end in text': (n) => '<a href="https://a.example/">b '.repeat(n),
  'links, one after the other': (n) => '<a href="/a">b</a>'.repeat(n),
  'pictures in links': (n) => '<a href=x><img src=y>'.repeat(n),
  'attributes of one tag': (n) => `<a ${Array.from({ length: n }, (_, i) => `b${i}=c`).join(' ')}>`,
  'one attribute, over and over': (n) => `<a ${'href=c '.repeat(n)}>`,
  'quotes without end': (n) => '<a href="'.repeat(n),
  'quotes of the other kind': (n) => `<a href='${'"'.repeat(n)}`,
  'an attribute full of entities': (n) => `<a href="${'&amp'.repeat(n)}">`,
  'entities in text': (n) => '&notin;&no&#x'.repeat(n),
  'raw text without end': (n) => '<title>'.repeat(n),
  'raw text that nearly ends': (n) => `<textarea>${'</textare'.repeat(n)}`,
  'escaped scripts': (n) => '<script><!--'.repeat(n),
  'scripts in escaped scripts': (n) => `<script><!--${'<script>'.repeat(n)}${'</script>'.repeat(n)}`,
  templates: (n) => '<template>'.repeat(n) + '</template>'.repeat(n),
  'templates around SVG': (n) => '<template><svg>'.repeat(n) + '</template>'.repeat(n),
  'templates in SVG in templates': (n) => '<svg><foreignObject><template>'.repeat(n / 2) + '</template></nope>'.repeat(n),
  'parts without scripts, without end': (n) => '<noscript><a href=x>'.repeat(n),
  'parts without scripts, with all that has no end': (n) => '<noscript><svg><!-- <title> </noscript>'.repeat(n),
  'tags that a menu passes over': (n) => `<select>${'<title><svg><noscript>'.repeat(n)}`,
  'menus to choose from': (n) => '<select><option>'.repeat(n),
  bases: (n) => '<base href="x">'.repeat(n),
}

const around: Surroundings = {
  siteHosts: ['slow-ferry.example'],
  shortHosts: [],
  partnerSites: new Set(),
  page: 'https://slow-ferry.example/',
}
const rules = compileRules([
  { id: 'o', name: 'o', isOn: true, isBinding: false, when: { is: 'kind', of: ['outside', 'inside page'] }, what: { hints: ['nofollow'] } },
])
/** As a site behind a front door sends it. */
const PIECE_BYTES = 16 * 1024
const encode = (text: string): Uint8Array => new TextEncoder().encode(text)
const READERS: Readonly<Record<string, (text: string) => unknown>> = {
  'the walk over tags': (text) => walkTags(text, { open() {}, close() {}, text() {} }),
  'the scan for links': scanLinks,
  'the scan for pictures': scanPictures,
  'a page as it is judged': (text) => readPage(encode(text), 'utf-8'),
  'a page as it is shown': (text) => shownPage(text, 'https://a.example/', { names: () => [], at: () => '' }),
  'the rules, on a page': (text) => deliverPage(text, rules, around, () => null),
  'the rules, on a page that comes in pieces': (text) => {
    const stream = ruleStream(rules, around, () => null, 'utf-8')
    const bytes = encode(text)
    for (let at = 0; at < bytes.length; at += PIECE_BYTES) stream.push(bytes.subarray(at, at + PIECE_BYTES))
    return stream.end()
  },
  'what is decoded': (text) => decodeSource(encode(text), 'utf-8'),
}

const N = 2_000
const COUNTED = 1_000
/** Twice the input may take two and a half times as long; looked at twice over, where a square would take sixteen times. */
const FOUR_TIMES = 2.5 ** 2
/** Below this a clock tells nothing. */
const FLOOR_MS = 25

/** The least of some runs, in milliseconds of this process's own time: what else the machine does is not counted. */
function leastMs(work: () => unknown): number {
  let least = Number.POSITIVE_INFINITY
  for (let i = 0; i < 3; i++) {
    const before = process.cpuUsage()
    work()
    const { user, system } = process.cpuUsage(before)
    least = Math.min(least, (user + system) / 1000)
  }
  return least
}

test('twice the input takes at most two and a half times the steps, whatever it looks like and whoever reads it', () => {
  const steps = new StepCounter()
  try {
    for (const [reader, read] of Object.entries(READERS))
      for (const [shape, make] of Object.entries(SHAPES)) {
        const [once, twice] = [make(COUNTED), make(2 * COUNTED)]
        read(once) // what is done once for all is done before it counts
        const [one, two] = [steps.of(() => read(once)), steps.of(() => read(twice))]
        assert.ok(one > 0, `${reader}: its steps are counted at all`)
        assert.ok(two <= 2.5 * one, `${reader}, ${shape}: ${one} steps, and ${two} for twice as much`)
      }
  } finally {
    steps.close()
  }
})

// What no step shows, such as a search that the runtime does for us, shows in time.
for (const [reader, read] of Object.entries(READERS))
  test(`${reader} grows with what is read and no faster, whatever it looks like`, () => {
    for (const [shape, make] of Object.entries(SHAPES)) {
      const [small, large] = [make(N), make(4 * N)]
      let told = ''
      // A square is one each time; what a compiler or a collector did meanwhile is not.
      for (let tries = 0; tries === 0 || (told !== '' && tries < 4); tries++) {
        const [one, four] = [leastMs(() => read(small)), leastMs(() => read(large))]
        told = four <= FOUR_TIMES * one + FLOOR_MS ? '' : `${shape}: ${one} ms, and ${four} ms for four times as much`
      }
      assert.equal(told, '')
    }
  })
