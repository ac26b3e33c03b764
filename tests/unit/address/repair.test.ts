import assert from 'node:assert/strict'
import { test } from 'node:test'
import fc from 'fast-check'
import { ADDRESS_MAX_CHARS, repair, type Surroundings } from '../../../src/core/address/index.ts'
import { inWords, isTold } from '../../../src/words/index.ts'

const around: Surroundings = {
  siteHosts: ['slow-ferry.example', 'www.slow-ferry.example'],
  shortHosts: [{ host: 'sferry.example', prefix: 'go' }],
  partnerSites: new Set(['gannet-line.example']),
  page: 'https://slow-ferry.example/islands/skarrow',
}

const repaired = [
  ['https://tides.example/skarrow', 'https://tides.example/skarrow', 'outside'],
  ['http://https://tides.example/a', 'https://tides.example/a', 'outside'],
  ['https://http://tides.example/a', 'http://tides.example/a', 'outside'],
  ['https://https//tides.example', 'https://tides.example', 'outside'],
  ['http:/tides.example/a', 'http://tides.example/a', 'outside'],
  ['http:\\\\tides.example\\a\\b', 'http://tides.example/a/b', 'outside'],
  ['http//tides.example', 'http://tides.example', 'outside'],
  ['htp://tides.example', 'http://tides.example', 'outside'],
  ['ttps://tides.example', 'https://tides.example', 'outside'],
  ['https:///tides.example/a', 'https://tides.example/a', 'outside'],
  ['ferries.com/times', 'https://ferries.com/times', 'outside'],
  ['www.ferries.co.uk', 'https://www.ferries.co.uk', 'outside'],
  ['ferries.com:8080/times', 'https://ferries.com:8080/times', 'outside'],
  ['gannet-line.localhost:4301/smock', 'http://gannet-line.localhost:4301/smock', 'outside'],
  ['//ferries.com/times', 'https://ferries.com/times', 'outside'],
  ['  https://tides.example/a \n', 'https://tides.example/a', 'outside'],
  ['https://tides.example/a\n  b', 'https://tides.example/ab', 'outside'],
  ['https://tides.example/tide table.html', 'https://tides.example/tide%20table.html', 'outside'],
  ['https://tides .example/a', 'https://tides.example/a', 'outside'],
  ['\u200bhttps://tides.example/\u202ea\ufeff', 'https://tides.example/a', 'outside'],
  ['“https://tides.example/a”', 'https://tides.example/a', 'outside'],
  ['<https://tides.example/a>.', 'https://tides.example/a', 'outside'],
  ['“https://tides.example/a”…', 'https://tides.example/a', 'outside'],
  ['<https://tides.example/a> ,', 'https://tides.example/a', 'outside'],
  ['“https://tides.example/a?day=1”;', 'https://tides.example/a?day=1', 'outside'],
  ['https://tides.example/a ,', 'https://tides.example/a', 'outside'],
  ['(see)', null, null],
  ['(https://tides.example/a),', 'https://tides.example/a', 'outside'],
  ['https://tides.example/Skarrow_(island)', 'https://tides.example/Skarrow_(island)', 'outside'],
  ['https://tides.example/Skarrow_(island)).', 'https://tides.example/Skarrow_(island)', 'outside'],
  ['[tide table](https://tides.example/a)', 'https://tides.example/a', 'outside'],
  ['https://tides.example/?a=1&amp;b=2', 'https://tides.example/?a=1&b=2', 'outside'],
  ['deckhand@slow-ferry.example', 'mailto:deckhand@slow-ferry.example', 'mail'],
  ['mailto://deckhand@slow-ferry.example', 'mailto:deckhand@slow-ferry.example', 'mail'],
  ['+44 (0)1632 960 123', 'tel:+441632960123', 'phone'],
  ['01632 960123', 'tel:01632960123', 'phone'],
  ['https://slow-ferry.example/islands/tern-holm?x=1#pier', '/islands/tern-holm?x=1#pier', 'inside page'],
  ['HTTP://WWW.slow-ferry.example', '/', 'inside page'],
  ['slow-ferry.example/timetables', '/timetables', 'inside page'],
  ['https://slow-ferry.example/files/packing.pdf', '/files/packing.pdf', 'file'],
  ['#pier', '#pier', 'section'],
  ['../timetables', '../timetables', 'inside page'],
  ['skarrow.html', 'skarrow.html', 'inside page'],
  ['https://sferry.example/go/Smock', 'https://sferry.example/go/Smock', 'short link'],
  ['https://shop.gannet-line.example/smock', 'https://shop.gannet-line.example/smock', 'partner'],
  ['https://archive.example/web/https://tides.example/', 'https://archive.example/web/https://tides.example/', 'outside'],
] as const
for (const [text, address, kind] of repaired) {
  test(`repairs ${JSON.stringify(text)}`, () => {
    const answer = repair(text, around)
    if (address === null) return assert.equal(answer.ok, false)
    assert.ok(answer.ok, JSON.stringify(answer))
    assert.deepEqual([answer.value.address, answer.value.kind], [address, kind])
    assert.equal(answer.value.repairs.length > 0, address !== text, 'told exactly when something changed')
    assert.deepEqual(repair(address, around), { ok: true, value: { ...answer.value, repairs: [] } }, 'what was mended needs no mending')
  })
}

const refused = [
  ['', 'address-empty'],
  ['  “” ', 'address-empty'],
  ['javascript:alert(1)', 'address-forbidden-scheme'],
  [' JaVaScRiPt:alert(1)', 'address-forbidden-scheme'],
  ['java\nscript:alert(1)', 'address-forbidden-scheme'],
  ['javascript&colon;alert(1)', 'address-forbidden-scheme'],
  ['\u200bjavascript:alert(1)', 'address-forbidden-scheme'],
  ['http://javascript:alert(1)', 'address-unreadable'],
  ['data:text/html,<b>x', 'address-forbidden-scheme'],
  ['vbscript:x', 'address-forbidden-scheme'],
  ['file:///home/me/page.html', 'address-forbidden-scheme'],
  ['C:\\Users\\me\\page.html', 'address-forbidden-scheme'],
  ['https://tides.example/\u0007', 'address-control-character'],
  ['gopherish://tides.example', 'address-unknown-scheme'],
  ['tide table', 'address-unreadable'],
  ['tide', 'address-unreadable'],
  ['https://', 'address-unreadable'],
  [`https://tides.example/${'a'.repeat(ADDRESS_MAX_CHARS)}`, 'address-too-long'],
] as const
for (const [text, fault] of refused) {
  test(`refuses ${JSON.stringify(text.slice(0, 40))}`, () => {
    const answer = repair(text, around)
    assert.equal(answer.ok ? answer.value.address : answer.fault, fault)
  })
}

test('offers to leave tracking off and to skip a redirector, and does neither unasked', () => {
  const tracked = repair('https://tides.example/a?x=1&utm_source=mail&fbclid=9#pier', around)
  assert.ok(tracked.ok)
  assert.equal(tracked.value.address, 'https://tides.example/a?x=1&utm_source=mail&fbclid=9#pier')
  assert.deepEqual(
    tracked.value.offers.map((offer) => offer.to),
    ['https://tides.example/a?x=1#pier'],
  )
  const wrapped = repair('https://finder.example/url?sa=t&url=https%3A%2F%2Ftides.example%2Fa', around)
  assert.ok(wrapped.ok)
  assert.deepEqual(
    wrapped.value.offers.map((offer) => offer.to),
    ['https://tides.example/a'],
  )
})

test('never changes the meaning of a valid web address', () => {
  const valid = fc
    .webUrl({ withQueryParameters: true, withFragments: true })
    .filter((address) => !/[.,;:!)\]}'"]$|&(amp|#)|\s/.test(address) && !address.includes('slow-ferry'))
  fc.assert(
    fc.property(valid, (address) => {
      const answer = repair(address, around)
      assert.ok(answer.ok, address)
      assert.equal(new URL(answer.value.address).href, new URL(address).href)
    }),
    { numRuns: 500 },
  )
})

test('answers any text without throwing, and never with a scheme that runs', () => {
  const slips = fc.constantFrom(
    'http',
    'https',
    ':',
    '/',
    '//',
    '\\',
    'javascript:',
    'data:',
    '.',
    '@',
    '?',
    '#',
    ' ',
    '\n',
    '\u200b',
    '"',
    '(',
    ')',
    'a.com',
    '&amp;',
    '%',
  )
  fc.assert(
    fc.property(fc.array(fc.oneof(slips, fc.string({ maxLength: 4 })), { maxLength: 8 }), (parts) => {
      const answer = repair(parts.join(''), around)
      if (answer.ok) assert.match(new URL(answer.value.address, around.page).protocol, /^(https?|mailto|tel|sms|ftp):$/)
    }),
    { numRuns: 2000 },
  )
})

const KEPT = [
  "options.html#'arabic'",
  'https://a.example/?id=Kelp+Holdings,+Inc.',
  'https://a.example/wait...',
  'https://a.example/a;b;',
  "https://a.example/it's'",
  'https://a.example/q?x=what!',
  'https://a.example/#end.',
]
for (const address of KEPT)
  test(`a valid address stays as it is: ${address}`, () => {
    const read = repair(address, around)
    assert.equal(read.ok && read.value.address, address)
    assert.deepEqual(read.ok && read.value.repairs, [])
  })

const MENDED: readonly (readonly [string, string])[] = [
  ['www.tern.example', 'https://www.tern.example'],
  ['tern.example', 'https://tern.example'],
  ['tern.example/maps', 'https://tern.example/maps'],
  ['office.internal/x', 'https://office.internal/x'],
  ['//tern.example/x', 'https://tern.example/x'],
  ['mailto:quay@tern.example?subject=Two words', 'mailto:quay@tern.example?subject=Two%20words'],
  ['https://tern.example/tides!', 'https://tern.example/tides'],
  ['"https://tern.example/tides"', 'https://tern.example/tides'],
]
for (const [text, address] of MENDED)
  test(`mended: ${text}`, () => {
    const read = repair(text, around)
    assert.equal(read.ok && read.value.address, address)
  })

test('a place without scheme takes the one of the page it stands on', () => {
  const read = repair('//tern.example/x', { ...around, page: 'http://slow-ferry.example/' })
  assert.equal(read.ok && read.value.address, 'http://tern.example/x')
})

for (const text of [
  'http:',
  'https://',
  'mailto:',
  '\\\\\\.\\Y:',
  '\\\\server\\share',
  'tern.example hollin.example',
  'https://tern.example https://hollin.example',
  'https://tern.example hollin.example/x',
])
  test(`refused with the reason: ${text}`, () => {
    const read = repair(text, around)
    assert.equal(read.ok, false)
    assert.ok(!read.ok && isTold(read.detail.why))
  })

test('what is put in front is said as it is', () => {
  for (const [text, what] of [
    ['//ferries.com/times', 'Put “https:” in front'],
    ['ferries.com/times', 'Put “https://” in front'],
    ['gannet-line.localhost:4301/smock', 'Put “http://” in front'],
  ] as const) {
    const read = repair(text, around)
    assert.deepEqual(read.ok ? read.value.repairs.map((each) => inWords(each.what)) : null, [what])
  }
  assert.deepEqual(repair('mailto:crew%40ferries.com', around).ok, true)
})

test('what may be the sentence’s is offered where nobody can tell', () => {
  for (const [text, without] of [
    ['https://tern.example/tides?', 'https://tern.example/tides'],
    ['https://tern.example/?q=why!', 'https://tern.example/?q=why'],
    ['https://tern.example/wait...', 'https://tern.example/wait'],
    ['https://tern.example/tides)', 'https://tern.example/tides'],
    ['https://tern.example/a(b)c]', 'https://tern.example/a(b)c'],
    ['https://tern.example/?q=(a))', 'https://tern.example/?q=(a)'],
  ]) {
    const read = repair(text ?? '', around)
    assert.equal(read.ok && read.value.address, text)
    assert.equal(read.ok && read.value.offers.at(-1)?.to, without)
  }
})
