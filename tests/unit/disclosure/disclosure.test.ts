import assert from 'node:assert/strict'
import { test } from 'node:test'
import { disclosureOf, mendDisclosure } from '../../../src/core/disclosure/index.ts'
import { applyPatches, scanLinks } from '../../../src/core/markup/index.ts'

const TOLD = { text: 'Some links earn us a fee & cost you nothing.', place: 'above', language: 'en' } as const
const firstPaid = (html: string): number | null => scanLinks(html).links.find(({ href }) => href.includes('shop'))?.start ?? null
const mended = (html: string, place: 'above' | 'top' = 'above'): string =>
  applyPatches(html, [...mendDisclosure(html, { ...TOLD, place }, firstPaid(html))])
const stateOf = (html: string): string => disclosureOf(html, TOLD, firstPaid(html)).state
const NOTE = '<p role="note" data-disclosure lang="en">Some links earn us a fee &amp; cost you nothing.</p>\n'

const PAGES = [
  ['a paragraph', '<h1>T</h1><p>No.</p>§<p>A <b><a href="https://shop.example">x</a></b></p>'],
  ['a list', '<main><h1>T</h1>§<ul><li>a<li><a href="https://shop.example">x</a></ul></main>'],
  ['a table', '<h1>T</h1>§<table><tr><td><p><a href="https://shop.example">x</a></table>'],
  ['no end tags', '<h1>T</h1><p>one§<p>two <a href="https://shop.example">x</a>'],
  ['a picture in a figure', '<h1>T</h1>§<figure><a href="https://shop.example"><img src=a></a></figure>'],
] as const
for (const [what, page] of PAGES)
  test(`above the first paid link: ${what}`, () => {
    const html = page.replace('§', '')
    assert.equal(stateOf(html), 'lacking')
    assert.equal(mended(html), page.replace('§', NOTE))
    assert.equal(stateOf(mended(html)), 'well')
    assert.equal(mended(mended(html)), mended(html))
  })

test('below the title where the site wants it there', () => {
  assert.equal(
    mended('<h1>T</h1><p>a</p><p><a href="https://shop.example">x</a></p>', 'top'),
    `<h1>T</h1>${NOTE}<p>a</p><p><a href="https://shop.example">x</a></p>`,
  )
})

test('one that stands too late is moved, one of other words is brought up to date, and a page without paid links is let alone', () => {
  const late = `<p><a href="https://shop.example">x</a></p>\n${NOTE}<p>end</p>`
  assert.equal(stateOf(late), 'too late')
  assert.equal(mended(late), `${NOTE}<p><a href="https://shop.example">x</a></p>\n<p>end</p>`)
  const old = '<p data-disclosure>Old <em>words</em></p><p><a href="https://shop.example">x</a></p>'
  assert.equal(stateOf(old), 'outdated')
  assert.equal(mended(old), `${NOTE.trimEnd()}<p><a href="https://shop.example">x</a></p>`)
  assert.equal(mended('<p><a href="/inside">x</a></p>'), '<p><a href="/inside">x</a></p>')
})

test('somebody else’s words are never taken for the disclosure', () => {
  assert.equal(
    stateOf('<p class="disclosure">Some links earn us a fee &amp; cost you nothing.</p><a href="https://shop.example">x</a>'),
    'lacking',
  )
  assert.equal(
    stateOf('<!-- data-disclosure --><template><p data-disclosure>x</p></template><a href="https://shop.example">x</a>'),
    'lacking',
  )
})
