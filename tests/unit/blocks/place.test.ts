import assert from 'node:assert/strict'
import { test } from 'node:test'
import { placeFor } from '../../../src/core/blocks/index.ts'
import { applyPatches } from '../../../src/core/markup/index.ts'

const PAGE = '<body><header>h</header><main>\n<p>t</p>\n</main><footer>f</footer></body>'
const put = (html: string, where: Parameters<typeof placeFor>[1]): string | null => {
  const patch = placeFor(html, where, '<!-- block: x -->')
  return patch === null ? null : applyPatches(html, [patch])
}

test('a part goes before the text, behind it, or to the end of the page', () => {
  assert.match(put(PAGE, 'before the text') ?? '', /<main>\n<!-- block: x -->\n<p>t/)
  assert.match(put(PAGE, 'behind the text') ?? '', /<\/p>\n<!-- block: x -->\n<\/main>/)
  assert.match(put(PAGE, 'at the end of the page') ?? '', /<\/footer><!-- block: x -->\n<\/body>/)
})

test('a page without main takes its body; one without either has no place', () => {
  assert.match(put('<body><p>t</p></body>', 'behind the text') ?? '', /<p>t<\/p><!-- block: x -->\n<\/body>/)
  assert.equal(put('<p>t', 'behind the text'), null)
  assert.equal(put('<script>"</body>"</script><p>t', 'at the end of the page'), null)
})
