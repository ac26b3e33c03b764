import assert from 'node:assert/strict'
import { test } from 'node:test'
import { isPageName, nameForPath, pathForName, readPage } from '../../../src/core/content/index.ts'

const paths = [
  ['index.html', '/'],
  ['islands/index.htm', '/islands/'],
  ['islands/skarrow.html', '/islands/skarrow.html'],
  ['a b.html', '/a%20b.html'],
  ['a%20b.html', '/a%2520b.html'],
  ['Größe.html', '/Gr%C3%B6%C3%9Fe.html'],
  ['a&b=c;d.html', '/a&b=c;d.html'],
  ['why?.html', '/why%3F.html'],
  ['c#.html', '/c%23.html'],
  ['a~b.html', '/a~b.html'],
] as const
for (const [name, path] of paths) {
  test(`${name} answers under ${path}`, () => {
    assert.equal(pathForName(name), path)
    assert.equal(new URL(path, 'http://site.example').pathname, path, 'as browsers ask for it')
  })
}

test('a path without a file gets a name that leads back to it', () => {
  for (const path of ['/', '/islands/', '/islands/skarrow.html']) assert.equal(pathForName(nameForPath(path)), path)
  assert.equal(nameForPath('/about'), 'about.html')
  assert.deepEqual(['a.HTML', 'a.xhtml', 'a.html.gz', 'html'].map(isPageName), [true, true, false, false])
})

test('reads a page’s encoding, title and placements in one go', () => {
  const page = readPage(
    new TextEncoder().encode(
      '<h1>Tide <i>tables</i></h1><a href=x data-by-hand="opens" target=_blank>é &amp; co</a><a href=y><img alt=pier></a>',
    ),
  )
  assert.deepEqual([page.encoding, page.title], ['utf-8', 'Tide tables'])
  assert.deepEqual(
    page.placements.map(({ ordinal, href, byHand, shows, text, tag }) => [ordinal, href, byHand, shows, text, tag]),
    [
      [0, 'x', 'opens', 'text', 'é & co', '<a href=x data-by-hand="opens" target=_blank>'],
      [1, 'y', null, 'picture', 'pier', '<a href=y>'],
    ],
  )
})
