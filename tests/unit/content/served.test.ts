import assert from 'node:assert/strict'
import { test } from 'node:test'
import { whyNotServed, writtenAddresses } from '../../../src/core/content/index.ts'

test('programs and settings are told by their endings, whatever stands before them', () => {
  for (const name of ['setup.exe', 'a/b/run.SH', 'x.php', '.htaccess', 'key.pem']) assert.notEqual(whyNotServed(name), null, name)
  for (const name of ['prices.pdf', 'exe', 'a.exe.txt', 'photo.jpg', 'shell.html']) assert.equal(whyNotServed(name), null, name)
})

test('addresses written out in the text are found, outside of links, without the sentence’s full stop', () => {
  const html =
    '<p>See https://tides.example/a?b=1&amp;c. Or <a href="/x">www.linked.example</a>, or www.tern.example/maps!</p><script>"https://s.example/"</script>'
  const found = writtenAddresses(html, 10)
  assert.deepEqual(
    found.map(({ from, to }) => html.slice(from, to)),
    ['https://tides.example/a?b=1&amp;c', 'www.tern.example/maps'],
  )
  assert.equal(writtenAddresses(html, 1).length, 1)
})
