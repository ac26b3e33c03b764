import assert from 'node:assert/strict'
import { test } from 'node:test'
import fc from 'fast-check'
import { applyPatches, decodeSource, patchBytes, sniffEncoding } from '../../../src/core/markup/index.ts'

const ascii = (text: string): Uint8Array => Uint8Array.from(text, (c) => c.charCodeAt(0))
const bytes = (...parts: (string | number[])[]): Uint8Array =>
  Uint8Array.from(parts.flatMap((part) => (typeof part === 'string' ? [...ascii(part)] : part)))
const utf16 = (text: string, little: boolean): Uint8Array =>
  Uint8Array.from(
    [...text].flatMap((c) => (little ? [c.charCodeAt(0) & 255, c.charCodeAt(0) >> 8] : [c.charCodeAt(0) >> 8, c.charCodeAt(0) & 255])),
  )

const sniffs = [
  ['a UTF-8 mark', bytes([0xef, 0xbb, 0xbf], '<meta charset=gbk>'), 'utf-8', 'byte order mark'],
  ['a UTF-16 mark', utf16('\ufeff<p>', true), 'utf-16le', 'byte order mark'],
  ['a big-endian mark', utf16('\ufeff<p>', false), 'utf-16be', 'byte order mark'],
  ['meta charset', ascii("<!-- <meta charset=gbk> --><META CHARSET='Shift_JIS'>"), 'shift_jis', 'declaration'],
  ['meta http-equiv', ascii('<meta content="text/html; charset=iso-8859-2" http-equiv=Content-Type>'), 'iso-8859-2', 'declaration'],
  ['labels of the web', ascii('<meta charset=latin1>'), 'windows-1252', 'declaration'],
  ['gb2312 means GBK', ascii('<meta charset=gb2312>'), 'gbk', 'declaration'],
  ['UTF-16 declared in ASCII means UTF-8', ascii('<meta charset=utf-16>'), 'utf-8', 'declaration'],
  ['an XML declaration', ascii('<?xml version="1.0" encoding="EUC-JP"?><html>'), 'euc-jp', 'declaration'],
  ['content without its pragma says nothing', ascii('<meta content="text/html; charset=gbk"><p>'), 'utf-8', 'content'],
  ['not inside another attribute', ascii('<p title="<meta charset=gbk>">'), 'utf-8', 'content'],
  ['not past the first 1024 bytes', ascii(`${' '.repeat(1020)}<meta charset=gbk>`), 'utf-8', 'content'],
  ['an unknown label', ascii('<meta charset=klingon><p>'), 'utf-8', 'content'],
  ['valid UTF-8', bytes('<p>', [0xc3, 0xa9]), 'utf-8', 'content'],
  ['nothing known', bytes('<p>', [0xe9, 0x20]), 'windows-1252', 'default'],
] as const
for (const [name, page, encoding, source] of sniffs)
  test(`sniffs ${name}`, () => assert.deepEqual(sniffEncoding(page), { encoding, source }))

test('reads windows-1252 as browsers do', () => assert.equal(decodeSource(Uint8Array.of(0x80, 0x93, 0xe9), 'windows-1252'), '€“é'))

/** Valid and broken byte runs of each encoding, between tags; some trail bytes look like ASCII. */
const SAMPLES: Record<string, number[][]> = {
  'utf-8': [[0xc3, 0xa9], [0xe6, 0xb8, 0xaf], [0xf0, 0x9f, 0x98, 0x80], [0xe6, 0xb8], [0xff], [0xef, 0xbb, 0xbf]],
  gbk: [[0xb8, 0xdb], [0x81, 0x5c], [0x81, 0x40], [0x81], [0xff]],
  gb18030: [
    [0x81, 0x30, 0x81, 0x30],
    [0x90, 0x30, 0x81, 0x30],
    [0xb8, 0xdb],
  ],
  shift_jis: [[0x83, 0x5c], [0x8d, 0x60], [0xb1], [0x81], [0xfd]],
  'euc-jp': [[0xb9, 0xc1], [0x8f, 0xb0, 0xa1], [0x8e, 0xb1], [0xb9]],
  'euc-kr': [[0xc7, 0xd7], [0x81, 0x41], [0xc7]],
  big5: [[0xb4, 0xe4], [0xa5, 0x5c], [0x88, 0x62], [0xb4]],
  'windows-1251': [[0xef, 0xf0], [0x98]],
  'iso-8859-2': [[0xb1, 0xe9]],
}
const ENCODINGS = Object.keys(SAMPLES)

test('a patch at any ASCII place changes no other byte, in every encoding (seeded pages, broken sequences included)', () => {
  const encoding = fc.constantFrom(...ENCODINGS)
  const page = encoding.chain((name) =>
    fc.tuple(
      fc.constant(name),
      fc.array(
        fc.oneof(
          fc.constantFrom(...(SAMPLES[name] ?? [])),
          fc.constantFrom(...['<a href=x>', '</a>', 'tide', ' ', '<p>'].map((text) => [...ascii(text)])),
        ),
        { minLength: 1, maxLength: 20 },
      ),
    ),
  )
  fc.assert(
    fc.property(page, fc.nat(), ([name, runs], pick) => {
      const source = Uint8Array.from([...runs.flat(), ...ascii('<a href=x>')])
      const text = decodeSource(source, name)
      const places = [...text.matchAll(/<a href=x>/g)].map((found) => found.index + '<a href=x'.length)
      const at = places[pick % places.length] ?? 0
      const patches = [{ from: at, to: at, insert: ' rel="ugc"' }]
      const patched = patchBytes(source, name, text, patches)
      assert.ok(patched.ok)
      assert.equal(decodeSource(patched.value, name), applyPatches(text, patches))
      const added = ascii(' rel="ugc"')
      const where = patched.value.length - (source.length - byteIndex(patched.value, added)) - added.length
      assert.deepEqual([...patched.value.subarray(0, where), ...patched.value.subarray(where + added.length)], [...source])
    }),
    { numRuns: 2000 },
  )
})

function byteIndex(whole: Uint8Array, part: Uint8Array): number {
  return Buffer.from(whole).indexOf(Buffer.from(part))
}

test('patches UTF-16 in its own byte order and keeps the mark', () => {
  for (const little of [true, false]) {
    const name = little ? 'utf-16le' : 'utf-16be'
    const source = utf16('\ufeff<a href=x>港</a>', little)
    const text = decodeSource(source, name)
    const patched = patchBytes(source, name, text, [{ from: 10, to: 10, insert: ' rel="é"' }])
    assert.ok(patched.ok)
    assert.deepEqual([...patched.value], [...utf16('\ufeff<a href=x rel="é">港</a>', little)])
  }
})

test('writes what an encoding lacks as character references', () => {
  const source = bytes('<a href=x>', [0xe9], '</a>')
  const patched = patchBytes(source, 'windows-1252', decodeSource(source, 'windows-1252'), [{ from: 9, to: 9, insert: ' title="港 – é"' }])
  assert.ok(patched.ok)
  assert.equal(Buffer.from(patched.value).toString('latin1'), '<a href=x title="&#28207; &#8211; &#233;">é</a>')
})

test('wraps words that are not ASCII, in the middle of a run', () => {
  const source = Uint8Array.from([0x8d, 0x60, 0x83, 0x5c, 0x8d, 0x60])
  const text = decodeSource(source, 'shift_jis')
  const patched = patchBytes(source, 'shift_jis', text, [
    { from: 1, to: 1, insert: '<a>' },
    { from: 2, to: 2, insert: '</a>' },
  ])
  assert.ok(patched.ok)
  assert.equal(decodeSource(patched.value, 'shift_jis'), `${text[0]}<a>${text[1]}</a>${text[2]}`)
})

test('refuses a patch that the bytes around it would swallow', () => {
  const source = bytes([0x1b, 0x24, 0x42, 0x39, 0x41, 0x39, 0x41, 0x1b, 0x28, 0x42])
  const text = decodeSource(source, 'iso-2022-jp')
  assert.equal(text.length, 2)
  const patched = patchBytes(source, 'iso-2022-jp', text, [{ from: 1, to: 1, insert: '<a>' }])
  assert.equal(patched.ok, false)
})
