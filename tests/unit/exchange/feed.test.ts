import assert from 'node:assert/strict'
import { test } from 'node:test'
import { readFeed, readSitemap } from '../../../src/core/exchange/index.ts'

test('reads Atom, RSS 2.0 and RSS 1.0, one entry or many', () => {
  assert.deepEqual(
    readFeed(
      '<feed xmlns="http://www.w3.org/2005/Atom"><title>f</title><entry><title type="html">Low &amp;amp; high</title><link rel="self" href="https://a.example/self"/><link href="https://a.example/1"/><content type="html">&lt;p&gt;x&lt;/p&gt;</content></entry></feed>',
    ),
    [{ title: 'Low &amp; high', link: 'https://a.example/1', html: '<p>x</p>' }],
  )
  assert.deepEqual(
    readFeed(
      '<rss version="2.0"><channel><title>f</title><item><title>A</title><link>https://a.example/a</link><description>short</description><content:encoded><![CDATA[<p>long</p>]]></content:encoded></item><item><title>B</title><guid>https://a.example/b</guid></item></channel></rss>',
    ),
    [
      { title: 'A', link: 'https://a.example/a', html: '<p>long</p>' },
      { title: 'B', link: 'https://a.example/b', html: '' },
    ],
  )
  assert.deepEqual(readFeed('<rdf:RDF><item><title>C</title><link>https://a.example/c</link></item></rdf:RDF>'), [
    { title: 'C', link: 'https://a.example/c', html: '' },
  ])
})

test('what is no feed is none, and an entity bomb does no harm', () => {
  for (const text of ['', 'words', '<html><body>x</body></html>', '<rss', '{"a":1}']) assert.equal(readFeed(text), null)
  const bomb = `<!DOCTYPE r [<!ENTITY a "${'x'.repeat(1_000)}">${Array.from({ length: 20 }, (_, i) => `<!ENTITY b${i} "${'&a;'.repeat(50)}">`).join('')}]><rss><channel><item><title>${'&b1;'.repeat(5_000)}</title></item></channel></rss>`
  const read = readFeed(bomb)
  assert.ok(read === null || (read[0]?.title.length ?? 0) < 5_000_000)
})

test('reads sitemaps and lists of sitemaps', () => {
  assert.deepEqual(
    readSitemap(
      '<urlset><url><loc> https://a.example/ </loc></url><url><loc>https://a.example/b?x=1&amp;y=2</loc></url><url><loc>mailto:x</loc></url></urlset>',
    ),
    {
      pages: ['https://a.example/', 'https://a.example/b?x=1&y=2'],
      sitemaps: [],
    },
  )
  assert.deepEqual(readSitemap('<sitemapindex><sitemap><loc>https://a.example/s.xml.gz</loc></sitemap></sitemapindex>'), {
    pages: [],
    sitemaps: ['https://a.example/s.xml.gz'],
  })
  assert.equal(readSitemap('<html>'), null)
})
