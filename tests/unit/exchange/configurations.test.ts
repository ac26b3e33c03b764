import assert from 'node:assert/strict'
import { test } from 'node:test'
import { readHttpd, readNginx } from '../../../src/core/exchange/index.ts'
import { ROWS_AT_ONE_PATH_MAX, TOLERANCE } from '../../../src/core/routing/index.ts'

const SITE = { tolerance: TOLERANCE, hosts: ['a.example', 'www.a.example', 'b.example'] }

for (const [name, text, rows, refused] of [
  ['a line that goes on', 'Redirect 301 /old \\\n  /new', [['/old', '/new$rest', []]], []],
  [
    'hosts by choices of names',
    'RewriteCond %{HTTP_HOST} ^(www\\.)?a\\.example$ [NC]\nRewriteRule ^/x$ /y [R,L]',
    [['/x', '/y', ['a.example', 'www.a.example']]],
    [],
  ],
  [
    'one of two hosts',
    'RewriteCond %{HTTP_HOST} ^a\\.example$ [OR]\nRewriteCond %{HTTP_HOST} ^b\\.example$\nRewriteRule ^/x$ /y [R,L]',
    [['/x', '/y', ['a.example', 'b.example']]],
    [],
  ],
  ['a path with no slash before it, as .htaccess has them', 'RewriteRule ^old\\.html$ /new [R=301,L]', [['/old.html', '/new', []]], []],
  ['what could be from either', 'RewriteRule ^(.*)$ /new/$1 [R=301,L]', [], [1]],
  ['a section that cannot be named', '<Location /x>\nRedirect /a /b\n</Location>', [], [2]],
  ['a server of somebody else’s', '<VirtualHost *>\nServerName c.example\nRedirect /a /b\n</VirtualHost>', [], [3]],
  ['a line behind one that answers first', 'Redirect /a /x\nRedirect /a/b /y', [['/a', '/x$rest', []]], [2]],
] as const)
  test(`Apache httpd: ${name}`, () => {
    const read = readHttpd(text, SITE)
    assert.deepEqual(
      [read.rows.map(({ draft: { from, to, hosts } }) => [from, to, hosts]), read.refused.map(({ line }) => line)],
      [rows, refused],
    )
  })

test('a line that has the server answer otherwise is said to be left out', () => {
  const httpd = readHttpd('ErrorDocument 404 /lost.html\nRedirect 301 /a /b\nProxyPass /x http://c.example/\nServerName a.example', SITE)
  assert.deepEqual([httpd.rows.length, httpd.refused.map(({ line }) => line)], [1, [1, 3]])
  const nginx = readNginx('server {\n  error_page 404 /lost.html;\n  location /x {\n    proxy_pass http://c.example;\n  }\n}', SITE)
  assert.deepEqual([nginx.rows.length, nginx.refused.map(({ line }) => line)], [0, [2, 4]])
})

// Seconds on a slow machine; in quadratic time this would not come to its end.
test('what is written to take for ever does not: lines that go on, quotes without an end, choices without number, one path over and over', () => {
  const many = 200_000
  assert.deepEqual(readHttpd('\\\n'.repeat(many), SITE).rows, [])
  assert.deepEqual(readHttpd(`Redirect ${'"x '.repeat(many)}`, SITE).refused.length, 1)
  assert.deepEqual(
    readHttpd(`RewriteCond %{HTTP_HOST} ^${'(a)?'.repeat(60)}b$\nRewriteRule ^/x$ /y [R,L]`, { ...SITE, hosts: ['a'.repeat(60)] }).rows,
    [],
  )
  const same = readHttpd('RewriteRule ^/x$ /y [R,L]\n'.repeat(20_000), SITE)
  assert.equal(same.rows.length + same.refused.length, 20_000)
  assert.ok(same.rows.length <= ROWS_AT_ONE_PATH_MAX)
  assert.deepEqual(readNginx('{'.repeat(many), SITE).rows, [])
  assert.deepEqual(readNginx(`return 301 "${'x'.repeat(many)}`, SITE).rows, [])
})
