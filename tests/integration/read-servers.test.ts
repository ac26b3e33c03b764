import assert from 'node:assert/strict'
import { before, test } from 'node:test'
import { needDebian } from '../../bin/prepare.mjs'
import { type ReadRedirects, type RedirectDraft, readHttpd, readNginx } from '../../src/core/exchange/index.ts'
import { RedirectTable, type Tolerance } from '../../src/core/routing/index.ts'
import { inWords } from '../../src/words/index.ts'
import { numbersFrom } from '../unit/writing/numbers.ts'
import { HOSTS, type Numbers, ownAnswer, picking } from './own-answers.ts'
import { startHttpd, startNginx, type WebServer } from './web-servers.ts'

const STRICT: Tolerance = { ignoresCase: false, ignoresSlash: false }

before(() => needDebian('apache2', 'nginx'))

const STEMS = ['ferry', 'tide', 'walks', 'old', 'shop', 'Map']
/** Expressions over few words, so that they meet. */
function expression(random: Numbers): string {
  const pick = picking(random)
  const stem = pick(STEMS)
  return pick([`^/${stem}$`, `^/${stem}/(.*)$`, `^/${stem}(.*)$`, `^/${stem}/([a-z]+)/?$`, `^/${stem}`, `/${stem}$`, `^/(${stem}|${pick(STEMS)})/(\\d+)$`, `\\.html$`, `^/${stem}/(.+)\\.html?$`, `${stem}`, `^/(.*)/${stem}$`, `^(/.*)$`, `^/$`, `^/([^/]+)/([^/]+)$`]) // biome-ignore format: a list
}
const groupsIn = (source: string): number => source.match(/\((?!\?)/g)?.length ?? 0

let count = 0
const where = (random: Numbers, source: string): string => {
  const pick = picking(random)
  const place = `${pick(['', '', 'https://new.example', 'http://b.example'])}/n${++count}`
  const hole = groupsIn(source) > 0 ? pick(['', '/$1', '/$1/x', `?q=$1`]) : ''
  return place + hole
}

/** Addresses around what a configuration speaks of. */
function targets(random: Numbers): string[] {
  const pick = picking(random)
  const segment = (): string => pick([...STEMS, ...STEMS, 'FERRY', 'x', '12', 'a', 'index.html', 'page.htm', 'tide.html', 'b%20c', 'map'])
  return Array.from({ length: 90 }, () => {
    const depth = random(4)
    const path = `/${Array.from({ length: depth }, segment).join('/')}${random(6) === 0 && depth > 0 ? '/' : ''}`
    return path + pick(['', '', '', '?q=1', '?id=7', '?id=8&x=y', '?utm=a+b'])
  })
}

/** A location as it is compared: each sign of its path written in one way. */
const spelt = (location: string | null, host: string): string => {
  if (location === null) return ''
  const url = new URL(location, `http://${host}`)
  const path = url.pathname.replace(/%[0-9A-F]{2}/gi, (each) => (/%(?:2F|25|3F|23)/i.test(each) ? each : decodeURIComponent(each)))
  const query = url.search.replace(/%2F/gi, '/')
  return `${url.protocol}//${url.hostname}${path}${query === '?' ? '' : query}${url.hash}`
}

/** What a server says there is said here, or nothing is: never anything else. */
async function held(
  server: WebServer,
  read: ReadRedirects,
  asked: readonly string[],
  what: string,
  hosts: readonly string[] = HOSTS,
): Promise<{ same: number; wrong: string[] }> {
  const table = new RedirectTable(STRICT)
  const rows: RedirectDraft[] = read.rows.map(({ draft }) => draft)
  for (const [order, draft] of rows.entries()) assert.ok(table.add({ ...draft, id: String(order), order }).ok, JSON.stringify(draft))
  const wrong: string[] = []
  let same = 0
  for (const target of new Set(asked))
    for (const host of hosts) {
      const theirs = await server.ask(host, target)
      const own = ownAnswer(table, host, target)
      const leads = (theirs.status >= 301 && theirs.status <= 308) || theirs.status === 410
      const is = leads ? `${theirs.status} ${spelt(theirs.location, host)}` : ''
      const meant = own.status === 404 ? '' : `${own.status} ${spelt(own.location, host)}`
      // What no row says is told by its line; what a row says in the place of a line that is none, by that line.
      const isUnsaid = meant === '' && read.refused.length > 0
      const by = read.rows[Number(own.by)]?.line
      const instead = new RegExp(`Here lines? .*(?:\\b${by}\\b|others?).* answers? for addresses of it`)
      if (is === meant) same += is === '' ? 0 : 1
      else if (!isUnsaid && !read.refused.some(({ reason }) => instead.test(inWords(reason))))
        wrong.push(
          `${what} ${host} ${target}: there ${is || theirs.status}, here ${meant || 'nothing'} by line ${by} ${JSON.stringify(rows[Number(own.by)] ?? null)}`,
        )
    }
  return { same, wrong }
}

/** Lines of a server's block. */
function nginxLines(random: Numbers, depth = 0): string[] {
  const pick = picking(random)
  const status = (): number => pick([301, 302, 303, 307, 308])
  const lines: string[] = []
  for (let i = 0; i < 2 + random(5); i++) {
    const source = expression(random)
    const kind = random(depth === 0 ? 12 : 5)
    if (kind < 3)
      lines.push(
        `rewrite ${source} ${where(random, source)}${pick(['', '', '?'])} ${pick(['permanent', 'redirect', 'permanent', 'last', 'break'])};`,
      )
    else if (kind === 3) {
      if (random(depth === 0 ? 8 : 2) === 0)
        lines.push(
          `return ${pick([301, 302, 410, 404, 403])}${''} ${''};`.replace(
            /(30\d) {2};/,
            (_, code: string) => `${code} ${where(random, '')}${pick(['', '$is_args$args', '$request_uri', '?$args'])};`,
          ),
        )
    } else if (kind === 4) {
      const [condition, groups] = pick([
        ['($host = a.example)', 0], ['($arg_id = 7)', 0], ['($request_method = POST)', 0], ['($host != a.example)', 0], ['($request_uri ~ ^/tide)', 0],
        ['($uri ~ ^/walks/(.*)$)', 1], ['($args ~ id=8)', 0], ['($scheme = http)', 0], ['($http_user_agent ~ robot)', 0], ['($uri = /old)', 0], ['($args)', 0], ['($host ~* ^A\\.)', 0],
      ] as const) // biome-ignore format: a table
      lines.push(
        `if ${condition} { ${pick([`return ${status()} ${where(random, groups > 0 ? '()' : '')};`, `rewrite ${source} ${where(random, source)} permanent;`, 'return 404;', 'break;'])} }`,
      )
    } else if (kind < 10) {
      const stem = pick(STEMS)
      const place = pick([`= /${stem}`, `/${stem}/`, `/${stem}`, `^~ /${stem}/`, `~ ${source}`, `~* ${source}`, `= /`, `/`, `^~ /${stem}`])
      const isOther = lines.some((line) => line.startsWith(`location ${place} `))
      const caught = place.startsWith('~') ? source : ''
      const body = pick([
        `return ${status()} ${where(random, caught)}${pick(['', '$is_args$args', '?$args', '$request_uri', '$uri'])};`,
        `return ${status()} ${where(random, caught)};`,
        `return 410;`,
        `return 404;`,
        nginxLines(random, 1).join(' '),
        '',
      ])
      if (!isOther) lines.push(`location ${place} { ${body} }`)
    } else if (kind === 10)
      lines.push(
        pick([
          'if ($moved) { return 301 $moved; }',
          'if ($asked) { return 302 $asked; }',
          'if ($moved != "") { rewrite ^ $moved permanent; }',
          'break;',
          'set $x 1;',
        ]),
      )
  }
  return lines
}

function nginxOf(seed: number): string {
  count = 0
  const random = numbersFrom(seed)
  const pick = picking(random)
  const map = (): string =>
    Array.from({ length: 1 + random(4) }, () => {
      const source = expression(random)
      return pick([
        `/${pick(STEMS)} ${where(random, '')};`,
        `/${pick(STEMS)}/x ${where(random, '')};`,
        `~${source} ${where(random, source).replace('?q=$1', '')};`,
        `~*${source} ${where(random, '')};`,
      ])
    })
      .filter((line, i, all) => all.findIndex((other) => other.split(' ')[0] === line.split(' ')[0]) === i)
      .join(' ')
  const names = pick([
    ['a.example', 'b.example'],
    ['a.example b.example', null],
    ['*.example', null],
    ['~^(a|b)\\.example$', null],
    ['a.example', '_'],
    ['.example', 'b.example'],
    ['a.example', '*.example'],
  ] as const)
  return `map $uri $moved { default ""; ${map()} }
map $request_uri $asked { default ""; /${pick(STEMS)}?id=7 /m1; /${pick(STEMS)} /m2; }
${names
  .filter((name) => name !== null)
  .map(
    (name, i) =>
      `server { listen 127.0.0.1:@PORT${i === 0 ? ' default_server' : ''}; server_name ${name};\n${nginxLines(random).join('\n')}\n}`,
  )
  .join('\n')}`
}

const SEEDS = 30

/** Lines of a server, or of a virtual host. */
function httpdLines(random: Numbers, depth = 0): string[] {
  const pick = picking(random)
  const lines: string[] = random(8) > 0 ? ['RewriteEngine On'] : []
  const status = (): string => pick(['301', '302', '303', '307', '308', 'permanent', 'temp', 'seeother'])
  for (let i = 0; i < 2 + random(7); i++) {
    const source = expression(random)
    const stem = pick(STEMS)
    const kind = random(depth === 0 ? 11 : 8)
    if (kind === 0)
      lines.push(`Redirect ${pick([`${status()} `, '', ''])}/${stem}${pick(['', '', '/'])} ${where(random, '')}${pick(['', '/'])}`)
    else if (kind === 1)
      lines.push(
        pick([
          `Redirect gone /${stem}`,
          `Redirect permanent / https://new.example/`,
          `Redirect 404 /${stem}`,
          `RedirectPermanent /${stem}/x ${where(random, '')}`,
        ]),
      )
    else if (kind === 2) lines.push(`RedirectMatch ${pick([`${status()} `, ''])}${source} ${where(random, source)}`)
    else if (kind < 8) {
      for (let c = random(3) - 1; c > 0; c--)
        lines.push(
          `RewriteCond ${pick(['%{QUERY_STRING} ^id=7$', '%{QUERY_STRING} (^|&)id=8(&|$)', '%{HTTP_HOST} ^a\\.example$ [NC]', '%{HTTP_HOST} !^a\\.example$', '%{REQUEST_URI} ^/tide', '%{REQUEST_METHOD} =POST', '%{HTTP_USER_AGENT} robot', '%{QUERY_STRING} ^$', '%{QUERY_STRING} !^$', '%{HTTP_HOST} ^b\\.example [OR]', '%{REQUEST_FILENAME} !-f', '%{HTTPS} off', '%{QUERY_STRING} ^ID=7$ [NC]'])}`,
        )
      const flags = pick([
        'R=301,L',
        'R=302,L',
        'L,R=308',
        'R,L',
        'R=301',
        'L',
        '',
        'G',
        'F',
        'R=301,L,NC',
        'R=301,L,QSA',
        'R=302,L,QSD',
        'R=301,L,NE',
        'R=301,L,B',
        'PT',
        'S=1',
        'C',
        'END,R=303',
        'R=410,L',
      ])
      lines.push(
        `RewriteRule ${source} ${flags === 'G' || flags === 'F' || flags.includes('410') || random(12) === 0 ? '-' : where(random, source) + pick(['', '', '?'])}${flags === '' ? '' : ` [${flags}]`}`,
      )
    } else if (kind === 8)
      lines.push(
        `<IfModule ${pick(['mod_rewrite.c', '!mod_rewrite.c', 'mod_missing.c', 'alias_module'])}>`,
        ...httpdLines(random, 1),
        '</IfModule>',
      )
    else if (kind === 9) lines.push(pick(['<IfDefine NOWHERE>', '<IfDefine !NOWHERE>']), ...httpdLines(random, 1), '</IfDefine>')
    else lines.push(pick(['RewriteEngine Off', 'RewriteEngine On', `<Location /${stem}>\nRedirect 301 ${where(random, '')}\n</Location>`]))
  }
  return lines
}

function httpdOf(seed: number): string {
  const random = numbersFrom(seed)
  const pick = picking(random)
  count = 0
  if (random(3) > 0) return httpdLines(random).join('\n')
  const names = pick([
    [['a.example'], ['b.example']],
    [['a.example', 'b.example']],
    [['other.example'], ['a.example']],
    [['*.example'], ['a.example']],
    [['b.example']],
  ] as const)
  return `${random(2) === 0 ? httpdLines(random, 1).join('\n') : ''}\n${names.map(([name = '', ...more]) => `<VirtualHost *>\n${name.includes('*') ? 'ServerName other.example\nServerAlias ' : 'ServerName '}${name}\n${more.map((each) => `ServerAlias ${each}`).join('\n')}\n${httpdLines(random).join('\n')}\n</VirtualHost>`).join('\n')}`
}

/** Hosts that a configuration has a server for: whoever has none gets to somebody else's. */
const namedIn = (text: string): readonly string[] =>
  text.includes('<VirtualHost') && !text.includes('*.example') ? HOSTS.filter((host) => text.includes(` ${host}\n`)) : HOSTS

const MODULES = new Map([
  ['mod_rewrite.c', true],
  ['mod_missing.c', false],
  ['alias_module', true],
])

/** A server that configurations are made for: how they are, are read, and are started. */
interface Make {
  readonly name: string
  readonly of: (seed: number) => string
  readonly read: (text: string) => ReadRedirects
  readonly start: (text: string) => Promise<WebServer>
  /** Hosts that somebody asks for. */
  readonly hosts: (text: string) => readonly string[]
}

const SITE = { tolerance: STRICT, hosts: HOSTS, modules: MODULES }
const MAKES: readonly Make[] = [
  { name: 'nginx', of: nginxOf, read: (text) => readNginx(text, SITE), start: (text) => startNginx(text, ''), hosts: () => HOSTS },
  { name: 'Apache httpd', of: httpdOf, read: (text) => readHttpd(text, SITE), start: startHttpd, hosts: namedIn },
]

for (const { name, of, read, start, hosts } of MAKES)
  test(`whatever a configuration of ${name} holds, a row that is read of it says what that server says`, async () => {
    const wrong: string[] = []
    let [same, started] = [0, 0]
    for (let seed = 1; seed <= SEEDS; seed++) {
      const text = of(seed)
      const server = await start(text).catch((error: unknown) => String(error))
      if (typeof server === 'string') {
        assert.match(server, /does not start/)
        continue // what the server refuses as well
      }
      started++
      const found = await held(server, read(text), targets(numbersFrom(seed)), `seed ${seed}`, hosts(text)).finally(() => server.stop())
      same += found.same
      wrong.push(...found.wrong)
    }
    const seedOf = (line: string): string | undefined => line.split(' ')[1]
    const firsts = wrong.filter((line, i) => wrong.findIndex((other) => seedOf(other) === seedOf(line)) === i)
    assert.deepEqual(firsts.slice(0, 15), [], `${wrong.length} differ`)
    assert.ok(started > SEEDS * 0.7 && same > SEEDS * 10, `${started} started, ${same} the same`)
  })
