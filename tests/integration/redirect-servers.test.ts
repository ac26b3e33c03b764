import assert from 'node:assert/strict'
import { before, test } from 'node:test'
import { needDebian } from '../../bin/prepare.mjs'
import { draftOf, type RedirectDraft, readHttpd, readNginx, writeHttpd } from '../../src/core/exchange/index.ts'
import { RedirectTable, TOLERANCE, type Tolerance } from '../../src/core/routing/index.ts'
import { inWords } from '../../src/words/index.ts'
import { numbersFrom } from '../unit/writing/numbers.ts'
import { HOSTS, ownAnswer } from './own-answers.ts'
import { startHttpd, startNginx, type WebServer } from './web-servers.ts'

const STRICT: Tolerance = { ignoresCase: false, ignoresSlash: false }

before(() => needDebian('apache2', 'nginx'))

function tableOf(drafts: readonly RedirectDraft[], tolerance: Tolerance): RedirectTable {
  const table = new RedirectTable(tolerance)
  for (const [order, draft] of drafts.entries())
    if (draft.isOn) assert.ok(table.add({ ...draft, id: String(order), order }).ok, JSON.stringify(draft))
  return table
}

/** A location as it is compared: absolute, each sign of a path written in one way. */
const spelt = (location: string | null, host: string): string | null => {
  if (location === null) return null
  const url = new URL(location, `http://${host}`)
  return `${url.protocol}//${url.hostname}${decodeURIComponent(url.pathname)}${url.search}${url.hash}`
}

/** Addresses that a row means, and some that are nearly those. */
function around(path: string, random: (below: number) => number): string[] {
  const letter = 'abcxyz019-_'[random(11)] ?? 'a'
  return [
    path,
    `${path}?q=1`,
    `${path}?id=7&q=a%20b`,
    `${path}/`,
    `${path}/${letter}`,
    `${path}/sub/${letter}.html?x=y`,
    `${path}${letter}`,
    path.slice(0, -1) || '/',
    path.toUpperCase(),
    path.replace(/[a-z]/, (found) => found.toUpperCase()),
    `${path}.html`,
    `/x${path}`,
    path.replace(/\/[^/]*$/, '') || '/',
  ]
}

async function compare(server: WebServer, table: RedirectTable, targets: Iterable<string>): Promise<number> {
  let answered = 0
  for (const target of new Set(targets))
    for (const host of HOSTS) {
      const theirs = await server.ask(host, target)
      const own = ownAnswer(table, host, target)
      const isAnswer = theirs.status >= 300 && theirs.status !== 404 && theirs.status !== 403
      if (isAnswer) answered++
      assert.deepEqual(
        [isAnswer ? theirs.status : 404, isAnswer ? spelt(theirs.location, host) : null],
        [own.status, spelt(own.location, host)],
        `${host} ${target}: ${own.by}`,
      )
    }
  return answered
}

/** A path that an expression of the tests' own kind matches. */
const sample = (text: string): string =>
  text
    .replace(/^\^|\$$|\(\?i\)/g, '')
    .replace(/\((\w+)\|[^()]*\)/g, '$1')
    .replace(/\(\?:|\(|\)/g, '')
    .replace(/\\d\+|\[0-9\]\+/g, '42')
    .replace(/\.[*+]|\[\^\/\]\+/g, 'some')
    .replace(/\\(.)/g, '$1')
    .replace(/\?$/, '')
    .replace(/^(?!\/)/, '/')

const HTTPD = `
Redirect permanent /ferries/timetable /timetables.html
Redirect 302 /shop http://gannet-line.example/shop
RedirectMatch 301 ^/skarrow/(.+)\\.htm$ /islands/skarrow/$1.html
RedirectMatch ^/tide-(\\d+)$ http://tides.example/table?day=$1
RedirectPermanent /maps/ /charts/
Redirect gone /agm-2019.pdf
Redirect 303 /form /thanks?from=form
Redirect /host http://b.example
RewriteEngine On
RewriteRule "^/winter$" "/winter-2026" [R=301,L]
RewriteRule ^/walks/([a-z-]+)/([0-9]+)$ /walk/$1-part-$2 [L,R=308]
RewriteRule ^/old\\.php$ /new? [R=301,L]
RewriteRule ^/keep$ /kept?a=1 [R=302,L,QSA,NE]
RewriteCond %{QUERY_STRING} ^id=7$
RewriteRule ^/page\\.php$ /seven [R=301,L,QSD]
RewriteCond %{QUERY_STRING} (^|&)id=8(&|$)
RewriteRule ^/page\\.php$ /eight [R=301,L]
RewriteCond %{HTTP_HOST} ^a\\.example$ [NC]
RewriteRule ^/only/(.*)$ https://elsewhere.example/$1 [R=301,L]
RewriteRule ^/gone/ - [G]
RewriteRule ^/inside$ /outside [L]
RewriteRule ^/(am|bm)(/.*)$ https://moved.example$2 [R=301,L]
RewriteRule ^/Case$ /lower [R,NC,L]
RedirectMatch 301 ^/dmove(.*)$ https://moved.example$1
`

test('what is read from Apache httpd answers as it does there, and what cannot be said is told by its line', async (t) => {
  const read = readHttpd(HTTPD, { tolerance: STRICT, hosts: HOSTS })
  assert.deepEqual(
    read.refused.map(({ text }) => text),
    ['Redirect 303 /form /thanks?from=form', 'RewriteRule ^/inside$ /outside [L]'],
  )
  const table = tableOf(
    read.rows.map(({ draft }) => draft),
    STRICT,
  )
  const said = HTTPD.split('\n').filter((line) => !/303|\/inside/.test(line))
  const server = await startHttpd(said.join('\n'))
  t.after(() => server.stop())
  const random = numbersFrom(1)
  const paths = read.rows.flatMap(({ draft: { match, from } }) => around(match === 'expression' ? sample(from) : from, random))
  const answered = await compare(server, table, paths)
  assert.ok(answered > 60, `${answered} answers`)
})

const NGINX = `
map $uri $moved { default ""; /winter /winter-2026; /Ferries/Old.htm /timetables.html; ~^/skarrow/(.+)\\.htm$ /islands/skarrow/$1.html; ~*^/tide-(\\d+)$ /tides/$1; }
map $request_uri $asked { /page.php?id=7 /seven; /12?7=8 /twelve; /bare /without; }
server { listen 127.0.0.1:@PORT; server_name a.example; merge_slashes off;
  if ($moved) { return 301 $moved; }
  if ($asked) { return 302 $asked; }
  rewrite ^/walks/([a-z-]+)/([0-9]+)$ /walk/$1-part-$2 permanent;
  rewrite ^/plain$ /simple? redirect;
  rewrite ^/nmove(.*)$ https://moved.example$1 permanent;
  rewrite ^/inside$ /outside last;
  location = /exact { return 308 https://elsewhere.example/x; }
  location /maps/ { return 301 /charts; }
  location ~ ^/film/(\\d+)$ { return 307 /films/$1$is_args$args; }
  location = /gone { return 410; }
  location = /teapot { return 418; }
}
server { listen 127.0.0.1:@PORT; server_name b.example; return 301 https://other.example$request_uri; }
`

test('what is read from nginx answers as it does there, and what cannot be said is told by its line', async (t) => {
  for (const tolerance of [STRICT, { ...STRICT, ignoresCase: true }]) {
    const read = readNginx(NGINX, { tolerance, hosts: HOSTS })
    assert.deepEqual(
      read.refused.map(({ text }) => text),
      ['/page.php?id=7 /seven', 'rewrite ^/inside$ /outside last', 'return 418'],
    )
    const rows = read.rows.map(({ draft }) => draft)
    const table = tableOf(rows, tolerance)
    const server = await startNginx(NGINX.replace(/^.*(?:inside|teapot).*$/gm, '').replace('/page.php?id=7 /seven; ', ''), '')
    t.after(() => server.stop())
    const random = numbersFrom(2)
    const paths = rows.flatMap(({ match, from }) => around(match === 'expression' ? sample(from) : from, random))
    // What tells case apart there does so here only where the site does.
    const answered = await compare(server, table, tolerance.ignoresCase ? paths.filter((path) => path === path.toLowerCase()) : paths)
    assert.ok(answered > 60, `${answered} answers`)
  }
})

const WORDS = ['ferry', 'tide', 'skarrow', 'map', 'walks', 'room', 'old', 'a', 'é', 'b c', '2019']

/** Rows of every kind that a person could have set. */
function randomDrafts(seed: number): RedirectDraft[] {
  const random = numbersFrom(seed)
  const pick = <T>(from: readonly T[]): T => from[random(from.length)] as T
  const path = (): string => `/${Array.from({ length: 1 + random(3) }, () => pick(WORDS)).join('/')}`
  const drafts: RedirectDraft[] = []
  for (let i = 0; i < 40; i++) {
    const match = pick(['exact', 'exact', 'exact', 'under', 'pattern', 'expression'] as const)
    const status = pick([301, 302, 303, 307, 308, 410] as const)
    const from = match === 'pattern' ? `${path()}/:name.html` : match === 'expression' ? `^${path()}/(\\d+)$` : path()
    const hole = match === 'exact' ? '' : match === 'pattern' ? '/$name' : match === 'expression' ? '/n$1' : pick(['/$1', '$rest', '/'])
    const own = match === 'exact' && random(100) < 30 ? pick(['?a=1', '?a=1#there', '#here']) : ''
    drafts.push(
      draftOf({
        from,
        to: status === 410 ? '' : `${pick(['', 'https://elsewhere.example'])}/to/${pick(WORDS).replace(' ', '%20')}${i}${hole}${own}`,
        status,
        match,
        query: pick(['drop', 'pass', 'merge'] as const),
        hosts: random(100) < 25 ? [pick(HOSTS)] : [],
        when: random(100) < 20 ? { query: [{ name: 'id', value: pick(['7', null]) }] } : random(100) < 10 ? { noOtherQuery: true } : {},
        isOn: random(100) < 95,
      }),
    )
  }
  return drafts
}

const targetsOf = (drafts: readonly RedirectDraft[], seed: number): string[] => {
  const random = numbersFrom(seed)
  return (
    drafts
      .flatMap(({ match, from }) =>
        around(encodeURI(match === 'pattern' ? from.replace(':name', 'some') : match === 'expression' ? sample(from) : from), random),
      )
      // Half an escape is taken otherwise by each of the three.
      .filter((target) => {
        try {
          return decodeURIComponent(target) !== ''
        } catch {
          return false
        }
      })
  )
}

test('what was written for Apache httpd is read again as rows that answer the same', () => {
  for (let seed = 1; seed <= 20; seed++) {
    const drafts = randomDrafts(seed).map((draft) => ({ ...draft, when: {} }))
    const { text, unsaid } = writeHttpd(drafts, { tolerance: TOLERANCE, hosts: HOSTS, say: inWords })
    const left = new Set(unsaid.map(({ draft }) => draft))
    const again = readHttpd(text, { tolerance: TOLERANCE, hosts: HOSTS })
    const isShadowed = again.refused.every(({ reason }) => /never answers|come before|would/.test(inWords(reason)))
    assert.ok(isShadowed, JSON.stringify(again.refused))
    const before = tableOf(
      drafts.filter((draft) => !left.has(draft)),
      TOLERANCE,
    )
    const after = tableOf(
      again.rows.map(({ draft }) => draft),
      TOLERANCE,
    )
    for (const target of targetsOf(drafts, seed))
      for (const host of HOSTS) {
        const [one, other] = [ownAnswer(before, host, target), ownAnswer(after, host, target)]
        assert.deepEqual(
          [other.status, spelt(other.location, host)],
          [one.status, spelt(one.location, host)],
          `seed ${seed}: ${host} ${target} ${one.by} ${other.by}`,
        )
      }
  }
})
