import assert from 'node:assert/strict'
import path from 'node:path'
import { test } from 'node:test'
import fc from 'fast-check'
import { compileKernel } from '../../../bin/kernel.mjs'
import { Form, LinkNote, Mode, NO_NUMBER, NOT_NUMBERED, Stop, scanner, startOfReading } from '../../../src/core/markup/stream/index.ts'
import { SCAN_KERNEL } from '../../../src/core/markup/stream/kernel/index.ts'
import { readAttributes } from '../../../src/core/markup/tags/index.ts'
import { AWKWARD, awkwardPages } from './awkward.ts'

const bytesOf = (text: string): Uint8Array => new TextEncoder().encode(text)

/** The first link of a text, as it is noted. */
function noteOf(html: string): LinkNote {
  const note = new LinkNote()
  scanner().load(bytesOf(html))
  scanner().scan(0, bytesOf(html).length, startOfReading(Mode.Data), true, false)
  assert.ok(scanner().count > 0, `no link in ${html}`)
  scanner().read(0, note)
  return note
}

test('what was compiled is what the source says', async () => {
  const compiled = await compileKernel(path.resolve(import.meta.dirname, '../../..'))
  assert.equal(compiled.toString('base64'), SCAN_KERNEL, 'run npm run kernel')
})

/** A link whose tag says these, wherever it says it. */
const spansOf = (html: string) => {
  const { start, end, hrefStart, hrefEnd, relStart, relEnd, targetStart, targetEnd } = noteOf(html)
  const cut = (from: number, to: number): string | null => (from === -1 ? null : html.slice(from, to))
  return { tag: html.slice(start, end), href: cut(hrefStart, hrefEnd), rel: cut(relStart, relEnd), target: cut(targetStart, targetEnd) }
}

for (const tag of [
  '<a href="/x">',
  "<A\nHREF='/x'\trel = me target=_top>",
  '<a rel rel=me href=/x>',
  '<a href=/x/ target>',
  '<a title="a > b" href="/x"rel="me">',
  '<a = "x" href="/x">',
  '<a/href="/x"/rel="a"/>',
  '<area shape=rect href="#map" target="_blank">',
  '<a href="/x" href="/y" rel="a" REL="b">',
  '<a title=\'"\' href="/it\'s">',
])
  test(`notes a tag as its attributes are read: ${JSON.stringify(tag)}`, () => {
    const attributes = readAttributes(tag, tag.startsWith('<area') ? 5 : 2)
    const written = (name: string): string | null => {
      const found = attributes.find((each) => each.name === name)
      return found === undefined ? null : tag.slice(found.valueStart, found.valueEnd)
    }
    assert.deepEqual(spansOf(`<p>${tag}x</a>`), { tag, href: written('href'), rel: written('rel'), target: written('target') })
  })

test('a long page is read the same from any place of memory, in one go and link by link (seeded pages)', () => {
  const linksOf = (html: string): string[] => {
    const note = new LinkNote()
    const state = startOfReading(Mode.Data)
    const bytes = bytesOf(html)
    scanner().load(bytes)
    const found: string[] = []
    for (let at = 0; at < bytes.length; ) {
      at = scanner().scan(at, bytes.length, state, true, false)
      for (let k = 0; k < scanner().count; k++) {
        scanner().read(k, note)
        found.push(Buffer.from(bytes.subarray(note.start, note.end)).toString())
      }
      if (scanner().reason === Stop.AtTag) at += 1
      else if (scanner().reason !== Stop.Paused) break
    }
    return found
  }
  fc.assert(
    fc.property(awkwardPages, fc.nat(40), (html, shift) => {
      const before = linksOf(html)
      assert.deepEqual(linksOf(`${'x'.repeat(shift)}${html}`), before)
    }),
    { seed: 11, numRuns: 400 },
  )
  const many = '<a href="/x">y</a>'.repeat(5_000)
  assert.equal(linksOf(many).length, 5_000, 'more links than there is room for notes')
})

for (const [href, form, key] of [
  ['https://tides.example/low?x#y', Form.Host, 'tides.example'],
  ['http://tides.example', Form.Host, 'tides.example'],
  ['https://tides.example?x', Form.Host, 'tides.example'],
  ['https://Tides.example/', Form.Other, ''],
  ['https://tides.example:8080/', Form.Other, ''],
  ['https://me@tides.example/', Form.Other, ''],
  ['https:///x', Form.Other, ''],
  ['//tides.example/', Form.Other, ''],
  ['HTTPS://tides.example/', Form.Other, ''],
  ['/islands/skarrow', Form.Path, ''],
  ['../../files/packing.pdf?x=1&amp;y', Form.Path, '.pdf'],
  ['a.b/c', Form.Path, ''],
  ['..//x', Form.Path, ''],
  ['/x?a&b', Form.Other, ''],
  ['/x?a&#35;b', Form.Other, ''],
  ['/x#y', Form.Other, ''],
  ['./x', Form.Other, ''],
  ['/a/../b', Form.Other, ''],
  ['/a%20b', Form.Other, ''],
  ['mailto:a@b', Form.Other, ''],
  ['?x', Form.Other, ''],
  ['', Form.Other, ''],
  ['#tide', Form.Section, ''],
  ['#', Form.Other, ''],
  ['#a:b', Form.Other, ''],
] as const)
  test(`tells what ${JSON.stringify(href)} looks like`, () => {
    const html = `<a href="${href}">`
    const note = noteOf(html)
    assert.equal(note.form, form)
    assert.equal(note.keyNumber !== NO_NUMBER, key !== '')
    if (key !== '') assert.equal(html.slice(note.keyStart, note.keyStart + key.length), key)
  })

test('the same bytes have the same number, others another, and none that is too long', () => {
  const numberOf = (rel: string): number => noteOf(`<a rel="${rel}" href=/x>`).relNumber
  assert.equal(numberOf('me license'), numberOf('me license'))
  assert.notEqual(numberOf('me license'), numberOf('me licensf'))
  assert.notEqual(numberOf('12345678'), numberOf('123456780'))
  assert.notEqual(numberOf(''), NO_NUMBER)
  assert.equal(noteOf('<a href=/x>').relNumber, NO_NUMBER)
  assert.equal(numberOf('x'.repeat(200)), NOT_NUMBERED)
})

test('when numbers run out they are given anew, and whoever kept some is told', () => {
  const before = scanner().generation
  const names = Array.from({ length: 9_000 }, (_, i) => `<a href="https://h${i}.example/">`).join('')
  const numbers = new Set<number>()
  const note = new LinkNote()
  const state = startOfReading(Mode.Data)
  scanner().load(bytesOf(names))
  for (let at = 0; at < names.length; ) {
    at = scanner().scan(at, names.length, state, true, false)
    for (let k = 0; k < scanner().count; k++) {
      scanner().read(k, note)
      if (note.keyNumber !== NOT_NUMBERED) assert.equal(numbers.has(note.keyNumber), false, 'two hosts of one number')
      numbers.add(note.keyNumber)
    }
    if (scanner().reason === Stop.AtEnd) break
  }
  assert.ok(numbers.has(NOT_NUMBERED))
  assert.equal(scanner().generation, before, 'not while a page is being read')
  assert.ok(noteOf('<a href="https://tides.example/">').keyNumber > 0)
  assert.equal(scanner().generation, before + 1)
})

test('no page of ours is written with the bytes of the one before', () => {
  scanner().load(bytesOf('<script>x</script> <!-- a comment --> ]]>'))
  for (const html of ['<scrip', '<!-', '</', '<a href="/x', ...AWKWARD.map((each) => each.slice(0, 7))]) {
    scanner().load(bytesOf(html))
    const at = scanner().scan(0, bytesOf(html).length, startOfReading(Mode.Data), true, false)
    assert.ok(at >= 0 && at <= bytesOf(html).length, `${html}: ${at}`)
  }
})
