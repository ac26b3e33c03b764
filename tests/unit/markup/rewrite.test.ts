import assert from 'node:assert/strict'
import { test } from 'node:test'
import fc from 'fast-check'
import { type AttributeChanges, applyPatches, rewriteLinks, scanLinks, valueNamed } from '../../../src/core/markup/index.ts'
import { awkwardPages, treeWithout } from './awkward.ts'

const rewrite = (html: string, changes: AttributeChanges): string => rewriteLinks(html, () => changes).html

const cases = [
  [
    'adds behind the destination',
    '<a class=c href="x" id=i>',
    { rel: 'nofollow', target: '_blank' },
    '<a class=c href="x" rel="nofollow" target="_blank" id=i>',
  ],
  ['adds behind an unquoted destination', '<a href=x>', { rel: 'ugc' }, '<a href=x rel="ugc">'],
  ['keeps single quotes', "<a rel='me' href=x>", { rel: 'me nofollow' }, "<a rel='me nofollow' href=x>"],
  ['quotes what was not quoted', '<a rel=me href=x>', { rel: 'me nofollow' }, '<a rel="me nofollow" href=x>'],
  ['fills an attribute without value', '<a rel href=x>', { rel: 'ugc' }, '<a rel="ugc" href=x>'],
  ['keeps case and odd spacing', '<A   HREF = "x"\n\tREL = "me"  >', { rel: 'ugc' }, '<A   HREF = "x"\n\tREL = "ugc"  >'],
  ['changes the duplicate that counts', '<a href=x rel=a rel=b>', { rel: 'c' }, '<a href=x rel="c" rel=b>'],
  ['takes off every duplicate', '<a href=x rel=a rel=b>', { rel: null }, '<a href=x>'],
  ['keeps names apart when it takes one off', '<a rel="a"href=x>', { rel: null }, '<a href=x>'],
  ['is safe where the destination has no value', '<a href= >', { rel: 'ugc' }, '<a rel="ugc" href= >'],
  ['is safe behind a slash', '<a/href=x/>', { rel: 'ugc' }, '<a/href=x/ rel="ugc">'],
  ['leaves equal values as they are written', '<a href=x rel="&#110;ofollow">', { rel: 'nofollow' }, '<a href=x rel="&#110;ofollow">'],
  ['escapes what it writes', '<a href=x>', { title: '"a" & b' }, '<a href=x title="&quot;a&quot; &amp; b">'],
] as const
for (const [name, before, changes, after] of cases) test(name, () => assert.equal(rewrite(before, changes), after))

const changes = fc.record({
  rel: fc.constantFrom(null, 'nofollow', 'sponsored nofollow', 'a"b'),
  target: fc.constantFrom(null, '_blank', "it's"),
})

test('outside the changed start tags every character stays', () => {
  fc.assert(
    fc.property(awkwardPages, changes, (html, wanted) => {
      const { patches } = rewriteLinks(html, () => wanted)
      const tags = scanLinks(html).links
      for (const patch of patches)
        assert.ok(
          tags.some((tag) => tag.start < patch.from && patch.to < tag.end),
          JSON.stringify(html),
        )
      assert.equal(applyPatches(html, patches), rewrite(html, wanted))
    }),
    { numRuns: 1500 },
  )
})

test('twice equals once, and the attributes are there', () => {
  fc.assert(
    fc.property(awkwardPages, changes, (html, wanted) => {
      const once = rewrite(html, wanted)
      assert.equal(rewrite(once, wanted), once)
      for (const link of scanLinks(once).links) {
        assert.equal(valueNamed(once, link.attributes, 'rel'), wanted.rel, JSON.stringify(html))
        assert.equal(valueNamed(once, link.attributes, 'target'), wanted.target, JSON.stringify(html))
      }
      assert.equal(scanLinks(once).links.length, scanLinks(html).links.length)
    }),
    { numRuns: 1500 },
  )
})

test('the tree differs in nothing but the attributes of links', () => {
  fc.assert(
    fc.property(awkwardPages, changes, (html, wanted) => {
      assert.equal(treeWithout(rewrite(html, wanted), ['rel', 'target']), treeWithout(html, ['rel', 'target']), JSON.stringify(html))
    }),
    { numRuns: 1500 },
  )
})
