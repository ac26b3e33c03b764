import assert from 'node:assert/strict'
import { test } from 'node:test'
import { seeded } from '../../../demo/random.ts'
import { cleanSnippet } from '../../../src/core/partners/index.ts'
import { inWords } from '../../../src/words/index.ts'

test('a banner is a link and its picture; what counts, runs or hides is named and left out', () => {
  const found = cleanSnippet(`<script src="https://track.example/x.js"></script>
    <a href="https://beds.example/rooms?a=1&amp;b=2" onclick="go()" style="color:red"><img src="//img.beds.example/b.png" width="300" height="250px" alt="Six bunks" onload=x></a>
    <img src="https://count.example/p.gif" width=1 height=1 style="display:none">`)
  assert.ok(found.ok)
  assert.equal(found.value.href, 'https://beds.example/rooms?a=1&b=2')
  assert.deepEqual(found.value.picture, { src: 'https://img.beds.example/b.png', alt: 'Six bunks', width: 300, height: 250 })
  assert.deepEqual(
    found.value.removed.map(({ what }) => inWords(what)),
    ['<script>', 'onclick', 'style', 'onload', 'picture of count.example'],
  )
})

test('a snippet that is all script has nothing left, and says what it was', () => {
  const found = cleanSnippet('<script>document.write("<a href=https://x.example>x</a>")</script><iframe src="https://x.example"></iframe>')
  assert.equal(found.ok, false)
  assert.deepEqual(!found.ok && found.fault, 'no-link-left')
})

const BITS = [
  '<a href="https://x.example/">',
  '<a href="javascript:alert(1)">',
  '<a href=" java\tscript:x">',
  '<a href="data:text/html,x">',
  '</a>',
  '<img src="javascript:x">',
  '<img src=x onerror=alert(1)>',
  '<img src="https://i.example/a.png" alt="&lt;script&gt;">',
  '<script>',
  '</script>',
  '<svg><a xlink:href="javascript:x">',
  '</svg>',
  '<iframe srcdoc="<a href=x>">',
  '"',
  "'",
  '<',
  '>',
  '&colon;',
  '<template>',
  '<noscript>',
  '<!--',
  '-->',
  '<a href=//y.example/z>',
  'words',
  '\0',
  '<math><mtext><a href=vbscript:x>',
  '<a href="https://user:pw@x.example/">',
  '<plaintext>',
  '<textarea>',
]

test('what is kept never carries a script, a handler or an unsafe scheme (3,000 seeded snippets)', () => {
  for (let seed = 1; seed <= 3_000; seed++) {
    const random = seeded(seed)
    const html = Array.from({ length: 1 + Math.floor(random() * 14) }, () => BITS[Math.floor(random() * BITS.length)]).join('')
    const found = cleanSnippet(html)
    if (!found.ok) continue
    for (const address of [found.value.href, found.value.picture?.src ?? 'https://none.example/']) {
      const url = new URL(address)
      assert.ok(url.protocol === 'https:' || url.protocol === 'http:', `seed ${seed}: ${address}`)
      assert.equal(url.username + url.password, '')
      assert.doesNotMatch(address, /["'<>\s]/)
    }
  }
})
