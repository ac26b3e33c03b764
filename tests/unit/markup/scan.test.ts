import assert from 'node:assert/strict'
import { test } from 'node:test'
import fc from 'fast-check'
import { linkText, scanLinks, valueNamed } from '../../../src/core/markup/index.ts'
import { awkwardPages, treeLinks } from './awkward.ts'

const hrefs = (html: string): string[] => scanLinks(html).links.map((link) => link.href)

const cases = [
  ['plain, upper case and unquoted', '<a href="/a">x</a><A HREF=/b>y</A>', ['/a', '/b']],
  ['newlines in the tag', '<a\r\n href\n=\t"/a"\n>x</a>', ['/a']],
  ['entities decoded as in attributes', '<a href="?a=1&amp;b=2&copy=3&copy;">x</a>', ['?a=1&b=2&copy=3©']],
  ['the first of duplicate attributes', '<a href=a href=b>x</a>', ['a']],
  ['">" inside quotes', '<a title="a > b" href=c>x</a>', ['c']],
  ['an empty destination', '<a href="">x</a><a href>y</a>', ['', '']],
  ['map areas', '<map><area href=a><area alt=no></map>', ['a']],
  ['SVG links, and href before xlink:href', '<svg><a xlink:href=a></a><a href=b xlink:href=c></a></svg>', ['a', 'b']],
  [
    'nothing in comments, scripts, styles, templates, text areas, titles',
    '<!--<a href=n>--><script>"<a href=n>"</script><style><a href=n></style><template><a href=n></template><textarea><a href=n></textarea><title><a href=n></title><a href=y>',
    ['y'],
  ],
  ['nothing in escaped scripts', '<script><!-- <script> </script> <a href=n> --></script><a href=y>', ['y']],
  ['CDATA only inside SVG or MathML', '<svg><![CDATA[ <a href=n> ]]></svg><![CDATA[ > <a href=y>]]>', ['y']],
  ['conditional comments, hidden and revealed', '<!--[if IE]><a href=n><![endif]--><![if !IE]><a href=y><![endif]>', ['y']],
  [
    'HTML again inside foreignObject',
    '<svg><foreignObject><style><a href=n></style><a href=y></a></foreignObject><style><a href=z></style></svg>',
    ['y', 'z'],
  ],
  ['a tag the file breaks off in is none', '<a href=a>x</a><a href="b', ['a']],
  ['links for readers without scripts', '<a href=a>x<noscript><a href=b>y</a><!-- </noscript><a href=c>z</a>', ['a', 'b', 'c']],
  ['links after tags that a select passes over', '<select><title><option></select><a href=a>x</a>', ['a']],
  ['links after a template within SVG', '<svg><foreignObject><template></svg><a href=n></template></foreignObject></svg><a href=y>', ['y']],
  ['links after SVG that a template ends', '<template><svg></template><a href=y>', ['y']],
  ['NUL in a value', '<a href="a\0b">', ['a\uFFFDb']],
] as const
for (const [name, html, expected] of cases) test(`finds links: ${name}`, () => assert.deepEqual(hrefs(html), expected))

test('finds what parse5 finds, where parse5 finds it, with the same attributes', () => {
  fc.assert(
    fc.property(awkwardPages, (html) => {
      const scanned = new Map(scanLinks(html).links.map((link) => [link.start, link]))
      for (const [at, attributes] of treeLinks(html)) {
        const link = scanned.get(at)
        assert.ok(link, `missed the link at ${at} of ${JSON.stringify(html)}`)
        for (const name of ['href', 'rel', 'target']) {
          assert.equal(valueNamed(html, link.attributes, name), attributes.get(name) ?? null, `${name} of ${JSON.stringify(html)}`)
        }
      }
    }),
    { numRuns: 3000 },
  )
})

test('finds nothing that a page without frames and selects does not hold', () => {
  fc.assert(
    fc.property(awkwardPages, (html) => {
      fc.pre(!html.includes('<select'))
      const tree = treeLinks(html)
      for (const link of scanLinks(html).links)
        assert.ok(tree.has(link.start), `made up a link at ${link.start} of ${JSON.stringify(html)}`)
    }),
    { numRuns: 3000 },
  )
})

test('reads a megabyte of attribute and a hundred thousand open elements', () => {
  const long = 'x'.repeat(1_000_000)
  assert.deepEqual(hrefs(`<a title="${long}" href=a>${'<div><b>'.repeat(50_000)}<a href=b>`), ['a', 'b'])
})

const texts = [
  ['<a href=x> tide \n <b>ta</b>ble &amp; co </a>', 'tide table & co'],
  ['<a href=x><img src=y alt="the pier"></a>', 'the pier'],
  ['<a href=x>one<br>two</a>', 'one two'],
  ['<a href=x><!-- no --></a>', ''],
  ['<a href=x>open <a href=y>next', 'open'],
  ['<area href=x alt="north">', 'north'],
  ['<a href=x>one <noscript><a href=y>two</a> <a href=z></noscript> three</a> four', 'one two three'],
] as const
for (const [html, text] of texts) {
  test(`reads the words of ${html}`, () => {
    const [link] = scanLinks(html).links
    assert.ok(link)
    assert.equal(linkText(html, link), text)
  })
}
