import assert from 'node:assert/strict'
import { test } from 'node:test'
import { MOVE_KINDS, MovingSite } from '../../../bench/moves.ts'
import {
  isPageLike,
  logTimeMs,
  noiseOf,
  otherFormatOf,
  PageFinder,
  RedirectTable,
  Replay,
  readLogLine,
  SURE,
  slipsBetween,
  TOLERANCE,
  tellingEnding,
} from '../../../src/core/routing/index.ts'
import { inWords } from '../../../src/words/index.ts'
import { numbersFrom } from '../writing/numbers.ts'

const PAGES = [
  { path: '/rooms-by-the-quay.html', title: 'Rooms by the quay' },
  { path: '/timetables.html', title: 'Timetables' },
  { path: '/islands/great-mew.html', title: 'Great Mew', words: ['puffins', 'lighthouse', 'granite'], past: ['/mew.php'] },
  { path: '/islands/skarrow.html', title: 'Skarrow' },
  { path: '/walks/causeway.html', title: 'The causeway on foot' },
  { path: '/caf\u00e9.html', title: 'Caf\u00e9 at the pier' },
]

for (const [asked, to, reason] of [
  ['/timetabels', '/timetables.html', 'two letters swapped'],
  ['/timetable', '/timetables.html', 'one letter left out'],
  ['/walks/causseway.asp', '/walks/causeway.html', 'one letter too many'],
  ['/TIMETABLES.HTM', '/timetables.html', 'the same but for capitals'],
  ['/timetables.php', '/timetables.html', 'the same but for its ending'],
  ['/rooms_by_the_quay.html', '/rooms-by-the-quay.html', 'the same but for the signs between its words'],
  ['/rooms-by-the-q', '/rooms-by-the-quay.html', 'three letters left out'],
  ['/walks/the-causway.html', '/walks/causeway.html', '“causway” is nearly “causeway”, and it shares “walks”'],
  ['/mew.php', '/islands/great-mew.html', 'this page stood here before'],
  ['/great-mew', '/islands/great-mew.html', 'the same name in another place'],
  ['/rooms-by-quay', '/rooms-by-the-quay.html', 'the same words'],
  ['/islands/the-great-mew-rocks.html', '/islands/great-mew.html', 'one word too many'],
  ['/mew/great/islands', '/islands/great-mew.html', 'the same words in another order'],
  ['/cafe', '/caf\u00e9.html', 'the same but for accents'],
  ['/nothing-of-the-kind', undefined, undefined],
] as const)
  test(`for ${asked} ${to ?? 'nothing'} is suggested`, () => {
    const [best] = new PageFinder(PAGES).suggest({ path: asked })
    assert.deepEqual([best?.to, inWords(best?.reason)], [to, reason])
  })

test('the words of the page that once stood there find it where its address says nothing', () => {
  const finder = new PageFinder(PAGES)
  assert.equal(finder.suggest({ path: '/p/4711' }).length, 0)
  const [best] = finder.suggest({ path: '/p/4711', words: ['granite', 'puffins'] })
  assert.deepEqual([best?.to, inWords(best?.reason)], ['/islands/great-mew.html', 'the page that stood here said the same'])
})

test('a score is how likely it is, whatever kind of move, on a site that nothing was fitted to', () => {
  const site = new MovingSite(9, 4_000)
  const finder = new PageFinder(site.pages)
  const tens = new Map<number, { all: number; right: number }>()
  const told = { all: 0, first: 0, three: 0, nowhere: 0, high: 0, sure: 0, right: 0, said: 0, was: 0 }
  for (const kind of MOVE_KINDS)
    for (const { path, to } of site.moves(kind, 150)) {
      const found = finder.suggest({ path }, 3)
      const [best] = found
      if (best !== undefined) {
        told.said += best.score
        if (best.to === to) told.was++
        const ten = tens.get(Math.floor(best.score * 10)) ?? { all: 0, right: 0 }
        tens.set(Math.floor(best.score * 10), { all: ten.all + 1, right: ten.right + Number(best.to === to) })
        if (best.score >= SURE) {
          told.sure++
          if (best.to === to) told.right++
        }
      }
      if (to === null) {
        told.nowhere++
        if ((best?.score ?? 0) >= 0.8) told.high++
        continue
      }
      told.all++
      if (best?.to === to) told.first++
      if (found.some((each) => each.to === to)) told.three++
    }
  const percent = (part: number, whole: number): number => (100 * part) / whole
  assert.ok(told.all > 1_300 && told.nowhere === 150, JSON.stringify(told))
  assert.ok(percent(told.first, told.all) >= 97, `${percent(told.first, told.all)} in 100 come first`)
  assert.ok(percent(told.three, told.all) >= 99, `${percent(told.three, told.all)} in 100 are among three`)
  assert.ok(told.high <= 3, `${told.high} of 150 that moved nowhere are scored 80`)
  assert.ok(
    percent(told.right, told.sure) >= 98 && told.sure > 700,
    `${percent(told.right, told.sure)} in 100 of ${told.sure} sure ones are right`,
  )
  for (const [ten, { all, right }] of tens)
    if (ten >= 7)
      assert.ok(percent(right, all) >= 10 * ten, `${right} of ${all} scored ${ten}0 are right, and people are told that so many are`)
  assert.ok(Math.abs(told.said - told.was) / told.was < 0.04, `${told.said} right ones were promised, ${told.was} were`)
})

test('of two pages that are equally near neither is sure, and another number is another page', () => {
  const two = new PageFinder([
    { path: '/north/harbour-walk.html', title: 'Harbour walk' },
    { path: '/south/harbour-walk.html', title: 'Harbour walk' },
  ])
  const near = two.suggest({ path: '/east/harbour-walk.html' })
  assert.equal(near.length, 2)
  assert.ok(near.every(({ score }) => score <= 0.5))
  const numbered = new PageFinder(
    ['s8', 's16', 's32', 'u32', 'u64'].map((type) => ({ path: `/reference/fn.vbic_${type}.html`, title: `vbic_${type}` })),
  )
  assert.equal(numbered.suggest({ path: '/std/reference/fn.vbic_s32.html' })[0]?.to, '/reference/fn.vbic_s32.html')
  const [gone] = numbered.suggest({ path: '/reference/fn.vbic_s64.html' })
  assert.ok((gone?.score ?? 0) < 0.8, JSON.stringify(gone))
})

test('slips are counted as a full table of them counts (every pair of short words)', () => {
  const words = ['', 'a', 'ab', 'ba', 'abc', 'acb', 'bca', 'abcd', 'badc', 'xyz']
  /** Optimal string alignment, written down as it is defined. */
  const slow = (a: string, b: string): number => {
    const of = (i: number, j: number): number => {
      if (i === 0 || j === 0) return i + j
      const least = Math.min(of(i - 1, j) + 1, of(i, j - 1) + 1, of(i - 1, j - 1) + (a[i - 1] === b[j - 1] ? 0 : 1))
      return i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1] ? Math.min(least, of(i - 2, j - 2) + 1) : least
    }
    return of(a.length, b.length)
  }
  for (const a of words)
    for (const b of words)
      for (const most of [0, 1, 2, 5]) assert.equal(slipsBetween(a, b, most), Math.min(slow(a, b), most + 1), `${a} ${b} ${most}`)
})

for (const [path, kind] of [
  ['/favicon.ico', 'icon'],
  ['/apple-touch-icon-120x120.png', 'icon'],
  ['/robots.txt', 'probe'],
  ['/.well-known/security.txt', 'probe'],
  ['/sign-in.php', null],
  ['/manifest.webmanifest', 'probe'],
  ['/.env', 'scanner'],
  ['/a/../../etc/passwd', 'scanner'],
  ['/pictures/boat.jpeg', 'part of a page'],
  ['/ferries/timetable', null],
  ['/agm-2019.pdf', null],
  ['/walks/', null],
] as const)
  test(`${path} that nobody answers is ${kind ?? 'missed by somebody'}`, () => assert.equal(noiseOf(path), kind))

test('an ending tells something only where not every site may have pages or documents of it', () => {
  for (const [path, ending] of [
    ['/a.PHP', 'php'],
    ['/a.html', ''],
    ['/a', ''],
    ['/agm-2019.pdf', ''],
    ['/v1.2/walks', ''],
    ['/dump.sql', 'sql'],
  ] as const)
    assert.equal(tellingEnding(path), ending, path)
})

test('only who takes a page gets one in place of a missing one', () => {
  assert.equal(isPageLike('/a', 'text/html,*/*'), true)
  assert.equal(isPageLike('/a', undefined), true)
  assert.equal(isPageLike('/a', 'application/json'), false)
  assert.equal(isPageLike('/a.css', 'text/html'), false)
})

for (const [name, line, expected] of [
  ['Common', '1.2.3.4 - - [26/Nov/2026:10:00:00 +0100] "GET /a?b=1 HTTP/1.1" 404 12', ['1.2.3.4', 'GET', '/a?b=1', '']],
  [
    'Combined',
    '::1 - bob [26/Nov/2026:10:00:00 +0000] "HEAD /a b HTTP/1.0" 200 - "https://r.example/" "A \\"B\\" C"',
    ['::1', 'HEAD', '/a b', ' C'],
  ],
  ['of HTTP/0.9', '1.2.3.4 - - [26/Nov/2026:10:00:00 +0000] "GET /a" 200 1', ['1.2.3.4', 'GET', '/a', '']],
  ['an escaped quote', '1.2.3.4 - - [26/Nov/2026:10:00:00 +0000] "GET /a\\"b HTTP/1.1" 200 1', ['1.2.3.4', 'GET', '/a"b', '']],
  ['nothing', '', null],
  ['no log', 'hello world', null],
  ['no request', '1.2.3.4 - - [26/Nov/2026:10:00:00 +0000] "-" 408 0', null],
  ['no status', '1.2.3.4 - - [26/Nov/2026:10:00:00 +0000] "GET /a HTTP/1.1" x', null],
  ['no end', `1.2.3.4 - - [26/Nov/2026:10:00:00 +0000] "GET /${'a'.repeat(30_000)}`, null],
] as const)
  test(`reads a line of a log: ${name}`, () => {
    const read = readLogLine(line)
    assert.deepEqual(read === null ? null : [read.remote, read.method, read.target, read.agent], expected)
  })

test('what servers escape in a log is read as it was asked for, and what is no log is called what it looks like', () => {
  for (const [written, asked] of [
    ['/caf\\xc3\\xa9', '/caf%C3%A9'],
    ['/a\\x22b\\\\c', '/a"b\\c'],
    ['/a\\tb', '/a%09b'],
    ['/a\\q', '/a\\q'],
  ] as const)
    assert.equal(readLogLine(`1.2.3.4 - - [26/Nov/2026:10:00:00 +0000] "GET ${written} HTTP/1.1" 404 12`)?.target, asked)
  for (const [line, looks] of [
    ['[Wed Oct 11 14:32:52.123456 2026] [core:error] [pid 35708] AH00128: File does not exist', 'an error log of Apache httpd'],
    ['2026/11/26 10:00:00 [error] 1234#0: *1 open() failed', 'an error log of nginx'],
    ['#Fields: date time cs-method', 'a log in the W3C Extended format'],
    ['{"request":"/a"}', 'a log in JSON'],
    ['<?xml version="1.0"?>', 'a sitemap or another document in XML'],
    ['Nov 26 10:00:00 host sshd[12]: Accepted', 'a log of the system'],
    ['https://a.example/x', 'a list of addresses'],
    ['hello world', null],
  ] as const)
    assert.equal(inWords(otherFormatOf(line)), looks)
})

test('a time of a log is read in its own zone', () => {
  assert.equal(logTimeMs('26/Nov/2026:10:00:00 +0130'), Date.UTC(2026, 10, 26, 8, 30))
  assert.equal(logTimeMs('26/Nox/2026:10:00:00 +0130'), null)
})

test('conditions of rows are asked of a log by what its lines say: time and device', () => {
  const live = new RedirectTable(TOLERANCE)
  const row = { hosts: [], match: 'exact', to: '/b', status: 302, query: 'drop', beatsPages: false } as const
  live.add({ ...row, id: '1', order: 1, from: '/phone', when: { devices: ['phone'] } })
  live.add({ ...row, id: '2', order: 2, from: '/then', when: { untilMs: Date.UTC(2026, 0, 1) } })
  const replay = new Replay({
    live,
    draft: null,
    host: 'a.example',
    origin: 'https://a.example',
    hasPage: () => false,
    hasEnding: () => true,
  })
  const line = (path: string, agent: string, year: number) =>
    replay.line(`1.2.3.4 - - [26/Nov/${year}:10:00:00 +0000] "GET ${path} HTTP/1.1" 404 1 "-" "${agent}"`)
  line('/phone', 'Mozilla/5.0 (iPhone) Mobile', 2026)
  line('/phone', 'Mozilla/5.0 (X11; Linux)', 2026)
  line('/then', 'x', 2025)
  line('/then', 'x', 2026)
  const { answered, missed } = replay.tally()
  assert.deepEqual([answered, missed], [2, 2])
})

test('pages that came and went are suggested as if it were looked anew (seeded changes)', () => {
  const words = ['ferry', 'tide', 'skarrow', 'map', 'walk', 'room', 'quay', 'mew']
  for (let seed = 1; seed <= 40; seed++) {
    const pick = numbersFrom(seed)
    const word = (): string => words[pick(words.length)] ?? ''
    const pages = new Map<string, { path: string; title: string }>()
    const kept = new PageFinder([])
    for (let step = 0; step < 300; step++) {
      const path = `/${word()}-${word()}.html`
      if (pick(3) === 0) {
        pages.delete(path)
        kept.drop(path)
      } else {
        const page = { path, title: `${word()} ${word()}` }
        pages.delete(path)
        pages.set(path, page)
        kept.put(page)
      }
    }
    const anew = new PageFinder(pages.values())
    for (const asked of ['/ferry', '/tide-map', '/skarow-walk', `/${word()}/${word()}`])
      assert.deepEqual(kept.suggest({ path: asked }), anew.suggest({ path: asked }), `seed ${seed}: ${asked}`)
  }
})
