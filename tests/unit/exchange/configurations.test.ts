import assert from 'node:assert/strict'
import { test } from 'node:test'
import { readHttpd, readNginx } from '../../../src/core/exchange/index.ts'
import { ROWS_AT_ONE_PATH_MAX, TOLERANCE } from '../../../src/core/routing/index.ts'
import { inWords } from '../../../src/words/index.ts'

const SITE = { tolerance: TOLERANCE, hosts: ['a.example', 'www.a.example', 'b.example'] }

for (const [name, text, rows, refused] of [
  ['a line that goes on', 'Redirect 301 /old \\\n  /new', [['/old', '/new$rest', []]], []],
  [
    'hosts by choices of names',
    'RewriteCond %{HTTP_HOST} ^(www\\.)?a\\.example$ [NC]\nRewriteRule ^/x$ /y [R,L]\nRewriteEngine On',
    [['/x', '/y', ['a.example', 'www.a.example']]],
    [],
  ],
  [
    'one of two hosts',
    'RewriteCond %{HTTP_HOST} ^a\\.example$ [OR]\nRewriteCond %{HTTP_HOST} ^b\\.example$\nRewriteRule ^/x$ /y [R,L]\nRewriteEngine On',
    [['/x', '/y', ['a.example', 'b.example']]],
    [],
  ],
  [
    'a path with no slash before it, as .htaccess has them',
    'RewriteRule ^old\\.html$ /new [R=301,L]\nRewriteEngine On',
    [['/old.html', '/new', []]],
    [],
  ],
  ['what could be from either', 'RewriteRule ^(.*)$ /new/$1 [R=301,L]\nRewriteEngine On', [], [1]],
  ['a section that cannot be named', '<Location /x>\nRedirect /a /b\n</Location>', [], [2]],
  ['a server of somebody else’s', '<VirtualHost *>\nServerName c.example\nRedirect /a /b\n</VirtualHost>', [], [3]],
  ['a line behind one that answers first', 'Redirect /a /x\nRedirect /a/b /y', [['/a', '/x$rest', []]], [2]],
  ['a whole site that moves', 'RedirectMatch 301 ^/d(.*)$ https://n.example$1', [['^/d(?:/(.*))?$', 'https://n.example/$1', []]], []],
  [
    'a whole site by its rule',
    'RewriteEngine On\nRewriteRule ^/(a|b)(/.*)$ https://n.example$2 [R,L]',
    [['^/(a|b)/(.*)$', 'https://n.example/$2', []]],
    [],
  ],
  ['what whoever asks would choose the host by', 'RedirectMatch ^/(.*)$ https://n.example$1', [], [1]],
  ['a slash that is missing behind the host', 'Redirect 301 / https://n.example', [], [1]],
  [
    'a section that depends on how the server is started',
    '<IfDefine X>\nRedirect /a /b\n</IfDefine>\nRedirect /c /d',
    [['/c', '/d$rest', []]],
    [2],
  ],
  ['one that depends on its version', '<IfVersion >= 2.4>\nRedirect /a /b\n</IfVersion>', [], [2]],
  ['one for where a module is missing', '<IfModule !mod_rewrite.c>\nRedirect /a /b\n</IfModule>', [], [2]],
  ['rules that nothing switches on', 'RewriteRule ^/x$ /y [R,L]\nRedirect /a /b', [['/a', '/b$rest', []]], [1]],
  ['rules that are switched off', 'RewriteEngine On\nRewriteRule ^/x$ /y [R,L]\nRewriteEngine Off', [], [2]],
  [
    'rules that are switched on for another server',
    '<VirtualHost *>\nServerName a.example\nRewriteEngine On\n</VirtualHost>\n<VirtualHost *>\nServerName b.example\nRewriteRule ^/x$ /y [R,L]\n</VirtualHost>',
    [],
    [7],
  ],
  ['a query of any capitals', 'RewriteEngine On\nRewriteCond %{QUERY_STRING} ^id=five$ [NC]\nRewriteRule ^/x$ /y [R,L]', [], [2, 3]],
  ['a path of a server that could be a folder’s', 'RewriteEngine On\nRewriteRule ^(/.*)$ https://n.example$1 [R,L]', [], [2]],
  ['what is written otherwise when it is put in', 'RewriteEngine On\nRewriteRule ^/a/(.*)$ /b?x=$1 [R,L,B]', [], [2]],
] as const)
  test(`Apache httpd: ${name}`, () => {
    const read = readHttpd(text, SITE)
    assert.deepEqual(
      [read.rows.map(({ draft: { from, to, hosts } }) => [from, to, hosts]), read.refused.map(({ line }) => line)],
      [rows, refused],
    )
  })

for (const [name, text, rows, refused] of [
  ['a whole site that moves', 'rewrite ^/d(.*)$ https://n.example$1 permanent;', [['^/d(?:/(.*))?$', 'https://n.example/$1']], []],
  [
    'one by its location',
    'location ~ ^/(a|b)(/.*)$ { return 301 https://n.example\u0024{2}; }',
    [['^/(a|b)/(.*)$', 'https://n.example/$2']],
    [],
  ],
  ['what whoever asks would choose the host by', 'rewrite ^/(.*)$ https://n.example$1 permanent;', [], [1]],
] as const)
  test(`nginx: ${name}`, () => {
    const read = readNginx(`server { server_name a.example;\n${text}\n}`, SITE)
    assert.deepEqual([read.rows.map(({ draft: { from, to } }) => [from, to]), read.refused.map(({ line }) => line - 1)], [rows, refused])
  })

test('a module that a section asks for is asked about, and answered for or against', () => {
  const text = '<IfModule mod_alias.c>\nRedirect /a /b\n</IfModule>\n<IfModule !mod_alias.c>\nRedirect /c /d\n</IfModule>'
  const lines = (modules: ReadonlyMap<string, boolean>) => {
    const { rows, refused, asks } = readHttpd(text, { ...SITE, modules })
    return [rows.map(({ line }) => line), refused.map(({ line }) => line), asks]
  }
  assert.deepEqual(lines(new Map()), [[], [2, 5], [{ what: 'module', name: 'mod_alias.c', line: 1 }]])
  assert.deepEqual(lines(new Map([['mod_alias.c', true]])), [[2], [5], []])
  assert.deepEqual(lines(new Map([['mod_alias.c', false]])), [[5], [2], []])
})

test('a file that is included is asked for, and stands in its place when it is brought in behind the text', () => {
  const nginx = 'map $uri $to {\n  include moved.map;\n}\nserver {\n  server_name a.example;\n  if ($to) { return 301 $to; }\n}\n'
  assert.deepEqual(readNginx(nginx, SITE).asks, [{ what: 'file', name: 'moved.map', line: 2 }])
  const whole = readNginx(`${nginx}#file moved.map\n/old /new;\n`, SITE)
  assert.deepEqual([whole.rows.map(({ line, draft }) => [line, draft.from, draft.to]), whole.asks], [[[9, '/old', '/new']], []])
  const httpd = '<VirtualHost *>\nServerName b.example\nInclude conf/o*.conf\n</VirtualHost>\n'
  assert.deepEqual(readHttpd(httpd, SITE).asks, [{ what: 'file', name: 'conf/o*.conf', line: 3 }])
  const both = readHttpd(`${httpd}#file one.conf\nRedirect /a /b\nInclude two.conf\n#file two.conf\nRedirect /c /d\n`, SITE)
  assert.deepEqual(
    [both.rows.map(({ line, draft }) => [line, draft.from, draft.hosts]), both.asks],
    [
      [
        [6, '/a', ['b.example']],
        [9, '/c', ['b.example']],
      ],
      [],
    ],
  )
  const twice = readHttpd(
    '<VirtualHost *>\nServerName a.example\nInclude s.conf\n</VirtualHost>\n<VirtualHost *>\nServerName b.example\nInclude s.conf\n</VirtualHost>\n#file s.conf\nRedirect /a /b\n',
    SITE,
  )
  assert.deepEqual(
    twice.rows.map(({ draft }) => draft.hosts),
    [['a.example'], ['b.example']],
    'one that two servers include is each one’s own',
  )
  assert.deepEqual(readHttpd('Include a.conf\n#file a.conf\nInclude a.conf\n', SITE).rows, [], 'one that includes itself comes to an end')
  assert.equal(readNginx('include a.conf;\n#file a.conf\ninclude a.conf;\n', SITE).rows.length, 0)
})

test('what takes addresses there without being a redirect is told with the lines that answer in its place here', () => {
  const nginx = readNginx(
    'server {\n server_name a.example;\n location / { return 301 https://n.example$request_uri; }\n location /api/ { proxy_pass http://c.example; }\n}',
    SITE,
  )
  assert.deepEqual(
    nginx.rows.map(({ line }) => line),
    [3],
  )
  assert.match(
    nginx.refused.map(({ line, reason }) => `${line} ${inWords(reason)}`).join(),
    /^4 It is no redirect, and is left out\. Here line 3 answers for addresses of it\./,
  )
  const httpd = readHttpd('RewriteEngine On\nRewriteRule ^/api/ /inside.php [L]\nRewriteRule ^/(.*)$ https://n.example/$1 [R=301,L]', SITE)
  assert.deepEqual(
    httpd.refused.map(({ line, reason }) => [line, /Here line 3 answers/.test(inWords(reason))]),
    [[2, true]],
  )
})

for (const [name, text, rows] of [
  ['a name with a star', 'server { server_name *.a.example; return 301 /x; }', [['www.a.example']]],
  [
    'an exact name before one with a star',
    'server { server_name *.a.example; return 301 /x; }\nserver { server_name www.a.example; return 301 /y; }',
    [['www.a.example']],
  ],
  ['an expression', 'server { server_name ~^(a|b)\\.example$; return 301 /x; }', [['a.example', 'b.example']]],
  [
    'what no other server has',
    'server { server_name a.example; return 301 /x; }\nserver { listen 80 default_server; server_name _; return 301 /y; }',
    [['a.example'], ['www.a.example', 'b.example']],
  ],
  [
    'all hosts but one',
    'server { server_name a.example www.a.example; if ($host != a.example) { return 301 https://a.example$request_uri; } }',
    [['www.a.example']],
  ],
] as const)
  test(`nginx: hosts by ${name}`, () => {
    assert.deepEqual(
      readNginx(text, SITE).rows.map(({ draft }) => draft.hosts),
      rows,
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
    readHttpd(`RewriteCond %{HTTP_HOST} ^${'(a)?'.repeat(60)}b$\nRewriteRule ^/x$ /y [R,L]\nRewriteEngine On`, {
      ...SITE,
      hosts: ['a'.repeat(60)],
    }).rows,
    [],
  )
  const same = readHttpd(`${'RewriteRule ^/x$ /y [R,L]\n'.repeat(20_000)}RewriteEngine On`, SITE)
  assert.equal(same.rows.length + same.refused.length, 20_000)
  assert.ok(same.rows.length <= ROWS_AT_ONE_PATH_MAX)
  assert.deepEqual(readNginx('{'.repeat(many), SITE).rows, [])
  assert.deepEqual(readNginx(`return 301 "${'x'.repeat(many)}`, SITE).rows, [])
})
