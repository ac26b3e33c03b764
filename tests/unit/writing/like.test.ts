import assert from 'node:assert/strict'
import { test } from 'node:test'
import { pageLike } from '../../../src/core/writing/index.ts'

const MODEL = `<!DOCTYPE html>
<html lang="en">
<head>
  <title>Old &amp; long</title>
  <link rel="stylesheet" href="../style.css">
</head>
<body>
  <header><a href="../index.html"><img src="../boat.svg" alt=""></a><nav><!-- menu: main --></nav></header>
  <main class="text">
    <h1 id="old" class="big">Old</h1>
    <p>Words and <a href="other.html">more</a> words.</p>
    <ul><li>item</li></ul>
  </main>
  <footer>Foot</footer>
</body>
</html>
`

test('a new page has the head, header and footer of another, its heading’s look, and none of its words', () => {
  assert.equal(
    pageLike(MODEL, '/islands/old.html', 'Tea & cake'),
    MODEL.replace('Old &amp; long', 'Tea &amp; cake')
      .replace('href="../style.css"', 'href="/style.css"')
      .replace('href="../index.html"', 'href="/index.html"')
      .replace('src="../boat.svg"', 'src="/boat.svg"')
      .replace(/<h1[\s\S]*<\/ul>/, '<h1 class="big">Tea &amp; cake</h1>\n    <p></p>'),
  )
})

test('where the text stands in the body itself, and where a site has no page yet', () => {
  assert.match(pageLike('<title>x</title><h1>X</h1><p>Some words here.</p>', '/x', 'New'), /<title>New<\/title>\n<h1>New<\/h1>\n<p><\/p>/)
  assert.match(pageLike(null, '/', 'First'), /<title>First<\/title>[\s\S]*<h1>First<\/h1>\s*<p><\/p>/)
})
