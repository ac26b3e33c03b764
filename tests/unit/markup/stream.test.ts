import assert from 'node:assert/strict'
import { test } from 'node:test'
import fc from 'fast-check'
import type { Surroundings } from '../../../src/core/address/index.ts'
import { decodeSource, MarkupStream, TAG_HOLD_BYTES, tagPatches } from '../../../src/core/markup/index.ts'
import { compileRules, deliverPage, type Rule, ruleStream } from '../../../src/core/rules/index.ts'
import { AWKWARD, awkwardPages } from './awkward.ts'

const around: Surroundings = {
  siteHosts: ['slow-ferry.example'],
  shortHosts: [{ host: 'sferry.example', prefix: 'go' }],
  partnerSites: new Set(['gannet-line.example']),
  page: 'https://slow-ferry.example/islands/skarrow',
}
const rule = (when: Rule['when'], what: Rule['what']): Rule => ({
  id: JSON.stringify(what),
  name: 'r',
  isOn: true,
  isBinding: false,
  when,
  what,
})
const rules = compileRules([
  rule({ is: 'partner' }, { hints: ['sponsored', 'nofollow'] }),
  rule({ is: 'kind', of: ['outside'] }, { opens: 'new tab' }),
  rule({ is: 'kind', of: ['inside page', 'section'] }, { opens: 'same tab', hints: ['ugc'] }),
])

function streamed(bytes: Uint8Array, cuts: readonly number[], encoding = 'utf-8', list = rules): Buffer {
  const stream = ruleStream(list, around, () => null, encoding)
  const out: Uint8Array[] = []
  let from = 0
  for (const cut of [...cuts].sort((a, b) => a - b)) {
    const to = Math.max(from, Math.min(cut, bytes.length))
    out.push(...stream.push(bytes.subarray(from, to)).map((piece) => Uint8Array.from(piece)))
    from = to
  }
  out.push(...stream.push(bytes.subarray(from)), ...stream.end())
  return Buffer.concat(out)
}
const whole = (html: string, list = rules): string => deliverPage(html, list, around, () => null).html
const bytesOf = (text: string): Uint8Array => new TextEncoder().encode(text)

for (const html of AWKWARD)
  test(`in pieces as in one: ${JSON.stringify(html)}`, () => {
    const bytes = bytesOf(html)
    const expected = whole(html)
    assert.equal(streamed(bytes, []).toString(), expected)
    assert.equal(
      streamed(
        bytes,
        Array.from(bytes, (_, i) => i),
      ).toString(),
      expected,
      'byte by byte',
    )
  })

/** A stream has passed a link on before it meets a `base` behind it; such pages are left out. */
const hasLateBase = (html: string): boolean => /<(?:a|area)\b[\s\S]*<base/i.test(html)

test('wherever a page is cut, the same comes out (seeded pages)', () => {
  fc.assert(
    fc.property(awkwardPages, fc.array(fc.nat(400), { maxLength: 12 }), (html, cuts) => {
      fc.pre(!hasLateBase(html))
      assert.equal(streamed(bytesOf(html), cuts).toString(), whole(html))
    }),
    { seed: 4471, numRuns: 1_500 },
  )
})

const PAGE = '<p title="é">caf\u00e9 <a href="https://gannet-line.example/smück">x</a><!-- <a href=x> --><a href=/b>y</a>'
for (const [encoding, write] of [
  ['utf-8', (text: string) => bytesOf(text)],
  ['windows-1252', (text: string) => Uint8Array.from(Buffer.from(text, 'latin1'))],
  ['utf-16le', (text: string) => Uint8Array.from(Buffer.from(text, 'utf16le'))],
  ['utf-16be', (text: string) => Uint8Array.from(Buffer.from(text, 'utf16le').swap16())],
] as const)
  test(`in ${encoding}, cut anywhere`, () => {
    const bytes = write(PAGE)
    for (let cut = 0; cut <= bytes.length; cut++)
      assert.equal(decodeSource(streamed(bytes, [cut], encoding), encoding), whole(PAGE), `cut at ${cut}`)
  })

test('an encoding whose bytes change their meaning goes through as it is', () => {
  const bytes = Uint8Array.from([
    0x1b,
    0x24,
    0x42,
    0x3c,
    0x61,
    0x1b,
    0x28,
    0x42,
    ...bytesOf('<a href="https://gannet-line.example/">x</a>'),
  ])
  assert.deepEqual([...streamed(bytes, [3, 9], 'iso-2022-jp')], [...bytes])
})

test('what rules ask of a link’s content is waited for, in pieces too', () => {
  const asking = compileRules([
    rule({ is: 'shows', of: 'picture' }, { hints: ['nofollow'] }),
    rule({ is: 'kind', of: ['outside'] }, { opens: 'new tab', spoken: 'opens in a new tab' }),
  ])
  const html =
    '<a href="https://tides.example/"><img src=a alt="Low water"></a> <a href="https://tides.example/b">The <b>high</b> water</a> <a href="https://x.example">'
  const expected = whole(html, asking)
  assert.match(expected, /aria-label="Low water, opens in a new tab"/)
  assert.match(expected, /aria-label="The high water, opens in a new tab"/)
  for (let cut = 0; cut <= html.length; cut++)
    assert.equal(streamed(bytesOf(html), [cut], 'utf-8', asking).toString(), expected, `cut at ${cut}`)
})

test('a megabyte in one attribute is held; what is held never grows with the page', () => {
  const long = `<a title="${'x'.repeat(1_000_000)}" href="https://gannet-line.example/">x</a>`
  assert.ok(
    streamed(bytesOf(long), [10, 500_000])
      .toString()
      .endsWith('href="https://gannet-line.example/" rel="sponsored nofollow noopener" target="_blank">x</a>'),
  )
  let most = 0
  let sent = 0
  const stream = new MarkupStream({ rewrite: () => [] }, { encoding: 'utf-8', needsContent: false })
  const piece = bytesOf('<p>words <a href="/x">more</a> and <!-- a comment --> words</p>\n'.repeat(1_000))
  for (let i = 1; i <= 200; i++) {
    for (const out of stream.push(piece)) sent += out.length
    most = Math.max(most, i * piece.length - sent)
  }
  assert.ok(most < 1_000, `held ${most} bytes`)
})

test('a tag longer than a stream holds lets the rest through as it is', () => {
  const html = `<a title="${'x'.repeat(TAG_HOLD_BYTES + 10)}`
  const stream = new MarkupStream(
    { rewrite: ({ tag }) => tagPatches(tag, { attributes: [], nameEnd: 2 }, { rel: 'x' }) },
    {
      encoding: 'utf-8',
      needsContent: false,
    },
  )
  const bytes = bytesOf(`${html}" href=/><a href="/y">z</a>`)
  const out = Buffer.concat([...stream.push(bytes.subarray(0, html.length)), ...stream.push(bytes.subarray(html.length)), ...stream.end()])
  assert.equal(out.equals(bytes), true)
})
