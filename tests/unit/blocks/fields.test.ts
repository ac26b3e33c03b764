import assert from 'node:assert/strict'
import { test } from 'node:test'
import { expandParts, fieldPlaces, fieldValues, filledBlock, partMarks, setFieldValues } from '../../../src/core/blocks/index.ts'
import { applyPatches } from '../../../src/core/markup/index.ts'

const fill = (source: string, values: Record<string, string>) => filledBlock(applyPatches(source, setFieldValues(source, values)))

/** What a value becomes where its field stands; null where it must be left empty, with the reason. */
const FILLED: readonly (readonly [name: string, source: string, value: string, html: string, why: string | null])[] = [
  ['text', '<p>{{x}}</p>', 'A & <b>', '<p>A &amp; &lt;b></p>', null],
  ['a quoted attribute', '<p title="{{x}}">', 'say "hi" \'you\'', '<p title="say &quot;hi&quot; &#39;you&#39;">', null],
  ['a single-quoted attribute', "<p title='{{x}}'>", "it's", "<p title='it&#39;s'>", null],
  ['an address', '<a href="{{x}}">', 'https://x.example/?a=1&b=2', '<a href="https://x.example/?a=1&amp;b=2">', null],
  ['a path', '<a href="{{ x }}">', '/about', '<a href="/about">', null],
  ['the rest of an address', '<a href="/p/{{x}}">', 'javascript:1', '<a href="/p/javascript:1">', null],
  ['a mail address behind its scheme', '<a href="mailto:{{x}}">', 'a@b.example', '<a href="mailto:a@b.example">', null],
  ['a script as an address', '<a href="{{x}}">', 'javascript:alert(1)', '<a href="">', 'unsafe address'],
  ['a script with a tab in it', '<a href="{{x}}">', 'java\tscript:alert(1)', '<a href="">', 'unsafe address'],
  ['data as a picture', '<img src="{{x}}">', 'data:text/html,x', '<img src="">', 'unsafe address'],
  ['an unquoted value', '<a href={{x}}>', '/a', '<a href=>', 'unsafe place'],
  ['an event', '<a onclick="{{x}}">', 'alert(1)', '<a onclick="">', 'unsafe place'],
  ['a style attribute', '<p style="{{x}}">', 'color:red', '<p style="">', 'unsafe place'],
  ['a script', '<script>var a = "{{x}}"</script>', '1', '<script>var a = ""</script>', 'unsafe place'],
  ['a style sheet', '<style>p{color:{{x}}}</style>', 'red', '<style>p{color:}</style>', 'unsafe place'],
  ['a tag name', '<{{x}}>', 'b', '<>', 'unsafe place'],
  ['an end tag', 'a</{{x}}>', 'b', 'a</>', 'unsafe place'],
  ['a reference', '<p>&{{x}};</p>', 'lt', '<p>&;</p>', 'unsafe place'],
  ['a comment', '<!-- {{x}} -->', 'a --> b', '<!--  -->', 'unsafe place'],
  ['an attribute name', '<p {{x}}="1">', 'onclick', '<p ="1">', 'unsafe place'],
  ['nothing filled in', '<p>{{x}}</p>', ' ', '<p></p>', 'missing'],
]

for (const [name, source, value, html, why] of FILLED) {
  test(`a field in ${name}`, () => {
    const filled = fill(source, { x: value })
    assert.equal(filled.html, html)
    assert.ok(!/<b>|javascript:alert|{{/.test(filled.html), filled.html)
    assert.deepEqual(
      filled.faults.map((fault) => fault.why),
      why === null ? [] : [why],
    )
  })
}

test('values are kept in the source, read back, and never delivered', () => {
  const source = '<p>{{name}} {{name}} {{ PLACE }}</p>'
  const values = { name: 'a --> </script> "b"', place: '\u00e9' }
  const kept = applyPatches(source, setFieldValues(source, values))
  assert.deepEqual(fieldValues(kept), values)
  assert.deepEqual(
    fieldPlaces(kept).map(({ name }) => name),
    ['name', 'name', 'place'],
  )
  assert.equal(filledBlock(kept).html, '<p>a --> &lt;/script> "b" a --> &lt;/script> "b" \u00e9</p>')
  assert.equal(applyPatches(kept, setFieldValues(kept, {})), source)
})

test('shared parts are put in where their comments stand, and nowhere else', () => {
  const html =
    '<nav><!-- menu: main --></nav><p title="<!-- block: a -->">x</p><script>"<!-- block: a -->"</script><!-- block: a --><!--block:none-->'
  assert.deepEqual(
    partMarks(html).map(({ kind, name }) => `${kind} ${name}`),
    ['menu main', 'block a', 'block none'],
  )
  const find = (kind: string, name: string): string | null => (name === 'none' ? null : `[${kind} ${name}]`)
  assert.equal(
    applyPatches(html, expandParts(html, find)),
    '<nav>[menu main]</nav><p title="<!-- block: a -->">x</p><script>"<!-- block: a -->"</script>[block a]<!--block:none-->',
  )
})

test('parts in parts are put in too; one that holds itself ends', () => {
  const parts: Record<string, string> = { a: 'a(<!-- block: b -->)', b: 'b(<!-- block: a --><!-- block: c -->)', c: 'c' }
  const html = '<!-- block: a -->'
  assert.equal(
    applyPatches(
      html,
      expandParts(html, (_, name) => parts[name] ?? null),
    ),
    'a(b(<!-- block: a -->c))',
  )
})
