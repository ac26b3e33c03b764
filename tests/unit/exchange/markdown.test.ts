import assert from 'node:assert/strict'
import { test } from 'node:test'
import {
  articleOf,
  htmlOfMarkdown,
  markdownOfHtml,
  pageWithArticle,
  readMarkdown,
  tagsOfMarkdown,
  titleOfMarkdown,
} from '../../../src/core/exchange/index.ts'

const FILE = `---
title: Winter boats
tags: [boats, winter]
---
Three *weeks* without a boat to [Tern Holm](/islands/tern-holm.html).

- one
* odd   spacing

| tide | boat |
|------|------|
| low  | none |

See [the shop](https://gannet-line.example/smocks "Smocks") and <b>wait</b>.
`

test('front matter is read, and kept apart from the text', () => {
  const file = readMarkdown(FILE)
  assert.equal(file.front + file.body, FILE)
  assert.deepEqual([titleOfMarkdown(file), tagsOfMarkdown(file)], ['Winter boats', ['boats', 'winter']])
  assert.deepEqual(tagsOfMarkdown(readMarkdown('---\ntags: a, b\n---\n')), ['a', 'b'])
  assert.equal(titleOfMarkdown(readMarkdown('words\n\n# A *heading* #\n')), 'A heading')
  const broken = readMarkdown('---\n: [\n---\ntext')
  assert.deepEqual([broken.facts, broken.body], [{}, 'text'])
  assert.equal(readMarkdown('--- no front matter').body, '--- no front matter')
})

test('a text that nobody changed comes back byte for byte', () => {
  const { body } = readMarkdown(FILE)
  assert.equal(markdownOfHtml(htmlOfMarkdown(body), body), body)
})

test('only the block that was changed is written anew; a marked link stays HTML', () => {
  const { body } = readMarkdown(FILE)
  const html = htmlOfMarkdown(body)
    .replace('Three <em>weeks</em>', 'Four <em>weeks</em>')
    .replace('<a href="https://gannet-line.example/smocks"', '<a href="https://gannet-line.example/smocks" rel="sponsored nofollow"')
  assert.equal(
    markdownOfHtml(html, body),
    body
      .replace('Three *weeks*', 'Four *weeks*')
      .replace(
        'See [the shop](https://gannet-line.example/smocks "Smocks") and <b>wait</b>.',
        'See <a href="https://gannet-line.example/smocks" rel="sponsored nofollow" title="Smocks">the shop</a> and **wait**.',
      ),
  )
})

test('a block that was added or taken out is', () => {
  const body = 'one\n\ntwo\n\nthree\n'
  const html = htmlOfMarkdown(body)
  assert.equal(markdownOfHtml(html.replace('<p>two</p>\n', ''), body), 'one\n\nthree\n')
  assert.equal(markdownOfHtml(html.replace('<p>two</p>', '<p>two</p><h2>Half</h2>'), body), 'one\n\ntwo\n\n## Half\n\nthree\n')
})

test('an article goes into a page of the site’s look and comes out again', () => {
  const model =
    '<!doctype html><html><head><title>x</title></head><body><nav>menu</nav><main><h1>x</h1><p>words of another page, and more of them</p></main></body></html>'
  const page = pageWithArticle(model, '/', 'Night & day', '<p>text</p>\n')
  assert.match(page, /<title>Night &amp; day<\/title>[\s\S]*<nav>menu<\/nav><main>\s*<h1>Night &amp; day<\/h1>\s*<p>text<\/p><\/main>/)
  assert.equal(articleOf(page, 'Night & day').trim(), '<p>text</p>')
  assert.equal((pageWithArticle(model, '/', 'T', '<h1>Own</h1>').match(/<h1/g) ?? []).length, 1)
})

test('odd markup goes back as parse5 reads it, names that no node can have among it', () => {
  assert.equal(
    markdownOfHtml('<p>a <b"c>odd</b"c> <a href="/x" "=y>link</a></p><p>unclosed <em>words<table><tr><td>1</td></tr></table>', ''),
    'a odd [link](/x)\n\nunclosed *words*\n\n<table><tbody><tr><td>1</td></tr></tbody></table>\n',
  )
})
