import assert from 'node:assert/strict'
import { before, test } from 'node:test'
import { needDebian } from '../../bin/prepare.mjs'
import { draftOf, type RedirectDraft, readHttpd, writeHttpd, writeNginx } from '../../src/core/exchange/index.ts'
import { type Part, partOf } from '../../src/core/exchange/redirects/expressions/index.ts'
import { compilePathPattern, encodedPath, plainPath, RedirectTable, TOLERANCE, type Tolerance } from '../../src/core/routing/index.ts'
import { inWords } from '../../src/words/index.ts'
import { numbersFrom } from '../unit/writing/numbers.ts'
import { HOSTS, type Numbers, ownAnswer, picking } from './own-answers.ts'
import { startHttpd, startNginx, type WebServer } from './web-servers.ts'

/** A host on which something else answers, and only rows that name it. */
const DOOR = 'door.example'
const STRICT: Tolerance = { ignoresCase: false, ignoresSlash: false }

before(() => needDebian('apache2', 'nginx'))

// As people type them, and as they stand in lists.
const WORDS = [
  'ferry', 'Tide', 'skarrow-map', 'a.b', 'é', 'Über', 'ß', 'b c', 'b%20c', '100%25', 'a"b', "o'neil", 'x%23y', 'q%3Fr', 'a%2Fb', '$5', 'a+b', 'a&b=c',
  'a;b', '(x)', '[y]', '{z}', 'a|b', '~me', '日本', '😀', 'a^b', '`t', '<i>', 'e%0Af', 'Kelvin', 'ΣΑΣ', 'x,y', '@me', '%7Ehome', '2019', 'two//slashes',
] // biome-ignore format: a list of words
const EXPRESSIONS = [
  '^/W/(.*)$', '^/W/(\\d+)-(.+)\\.html?$', 'W(\\d+)', '^/[^/]+/W/(.)$', '(?i)^/W/([a-z]+)$', '^/(am|bm|W)/(.*)$', '^/a"b/(.*)$', '^/x#(.*)$', '^/é+/(.*)$',
  '^/[a-zé"]+/W$', '^/\\p{L}+/W/(\\w+)$', '^/.{2}/(W)$', '^/W{2,3}$', '^/W(?:/([^/]+))*$', '/W(/|$)', '^/W\\.(?:php|asp)$', '^/W/([^/.]+)\\.x$', 'W$',
  '^/[^a]W/(.+?)-(.*)$', '^/W/(?P<year>\\d{4})/(\\d\\d?)$', '^/\\QW.*\\E/(.*)$', '^/W/%2F(.*)$', '^/[[:alpha:]]+W$', '^/W/(5.*)F$', '^/W(.)(.)$', '^(/W.*)$',
] // biome-ignore format: a list of expressions
const PATTERNS = ['/W/:name.html', '/W/:a/:b?', '/W/*', '/W/:id(\\d+)', '/x{/W}?/:rest+', '/W-:n([a-z]+)/*', '/W/:deep*']

const plainWord = (word: string): string => word.replace(/[\\^$.*+?()[\]{}|]/g, '\\$&')

/** Rows of every kind that a person could have set, with whatever can be in an address. */
function randomDrafts(seed: number): RedirectDraft[] {
  const random = numbersFrom(seed)
  const pick = picking(random)
  const path = (): string => `/${Array.from({ length: 1 + random(3) }, () => pick(WORDS)).join('/')}`
  const parameter = (): { name: string; value: string | null } => ({
    name: pick(['id', 'a+b', 'x[]', 'p/q', 't:u', 'c,d', 'é', 'ID', 'a b', 'm=n']),
    value: pick(['7', null, '', 'a b', 'é/ü', '1+1', 'x"y', '[1]', 'Big', "it's"]),
  })
  const drafts: RedirectDraft[] = []
  for (let i = 0; i < 60; i++) {
    const match = pick(['exact', 'exact', 'under', 'pattern', 'expression', 'expression'] as const)
    const word = plainPath(`/${pick(WORDS)}`).slice(1)
    const from =
      match === 'pattern'
        ? pick(PATTERNS).replace('W', word.replace(/[:*?+(){}\\]/g, '\\$&'))
        : match === 'expression'
          ? pick(EXPRESSIONS).replace('W', plainWord(word))
          : path()
    const status = pick([301, 302, 303, 307, 308, 410, 451] as const)
    const groups = match === 'expression' ? (partOf(from, false) === null ? 0 : groupsIn(from)) : 0
    const hole =
      match === 'under' ? pick(['/$1', '$rest', '/', '?to=$1', '/x-$1.html'])
      : match === 'pattern' ? pick(['/$1', '?n=$1', '/$1/end', ''])
      : groups > 0 ? pick(['/n$1', '/$1', '?n=$1', `/$${groups}/$1`, '#$1']) : '' // biome-ignore format: a table
    const own = hole === '' ? pick(['', '', '?a=1', '?a=1#there', '#here', '?it\'s="1"&\\', '?é=ü']) : ''
    const stem = pick(['', '', 'https://elsewhere.example', 'http://ELSEWHERE.example:80'])
    const place = pick(['/to', '/to', '/tö', '/a b', '/$$5', "/o'k", '/a"b', '/%7Etilde', '/x%2Fy', '/100%25', '/a\\b', '/up/../down', ''])
    const to = `${stem}${place}${place === '' && !/^[/]/.test(hole) ? '/' : ''}${hole}${own}`
    drafts.push(
      draftOf({
        from,
        to: status === 410 || status === 451 ? '' : to,
        status,
        match,
        query: pick(['drop', 'pass', 'pass', 'merge'] as const),
        hosts: random(100) < 25 ? [pick([...HOSTS, DOOR])] : [],
        when:
          random(100) < 20
            ? { query: Array.from({ length: 1 + random(2) }, parameter), ...(random(100) < 40 ? { noOtherQuery: true } : {}) }
            : random(100) < 8
              ? { noOtherQuery: true }
              : random(100) < 8
                ? { languages: ['de', 'fr'] }
                : {},
        isOn: random(100) < 95,
      }),
    )
  }
  // What cannot be set in the first place is no row.
  return drafts.filter((draft) => new RedirectTable(TOLERANCE).add({ ...draft, id: '1', order: 1 }).ok)
}

const groupsIn = (source: string): number => source.match(/\((?!\?[^P<])/g)?.length ?? 0

/** A text that an expression matches. */
function sampleOf(part: Part, random: Numbers): string {
  switch (part.kind) {
    case 'set': {
      const ranges = part.set.filter(([from, to]) => from <= 0x2fff && to >= 0x21)
      const [from, to] = picking(random)(ranges.length === 0 ? [[0x78, 0x78] as const] : ranges)
      const [low, high] = [Math.max(from, 0x21), Math.min(to, random(5) === 0 ? 0x2fff : Math.max(0x7e, from))]
      return String.fromCodePoint(low + random(Math.max(1, high - low + 1)))
    }
    case 'begin':
    case 'end':
      return ''
    case 'group':
      return sampleOf(part.part, random)
    case 'all':
      return part.parts.map((each) => sampleOf(each, random)).join('')
    case 'either':
      return sampleOf(picking(random)(part.parts), random)
    case 'repeat':
      return Array.from({ length: Math.min(part.most, part.least + random(4)) }, () => sampleOf(part.part, random)).join('')
  }
}

/** A path as it is sent, in one of many spellings. */
function sent(plain: string, random: Numbers): string {
  const how = random(6)
  const path = encodedPath(plain.replace(/[?#\\]/g, (sign) => encodeURIComponent(sign)).replace(/%(?![0-9A-F]{2})/g, '%25'))
  if (how < 3) return path
  if (how === 3) return path.replace(/%[0-9A-F]{2}/g, (each) => each.toLowerCase())
  const escaped = (letter: string): string => `%${letter.charCodeAt(0).toString(16)[how === 4 ? 'toUpperCase' : 'toString']()}`
  return path.replace(/%..|[^/]/g, (each) => (each.length === 1 && random(4) === 0 ? escaped(each) : each))
}

function targetsOf(drafts: readonly RedirectDraft[], seed: number): string[] {
  const random = numbersFrom(seed)
  const pick = picking(random)
  const query = (): string =>
    pick([
      '',
      '',
      '?',
      '?q=1',
      '?id=7',
      '?ID=7',
      '?a+b=1%2B1',
      '?x%5B%5D=%5B1%5D',
      '?x[]=[1]',
      '?p/q=%C3%A9/%c3%bc',
      '?%C3%A9',
      '?q=a%20b&id=7&z',
      '?t:u=',
      '?c,d=Big',
      '?c%2Cd=Big&id',
      '?a%20b=a+b',
      '?m%3Dn=x%22y',
      '?&&',
      "?it's=it's",
    ])
  return drafts.flatMap(({ match, from, when }) => {
    const source = match === 'pattern' ? compilePathPattern(from, false) : null
    const part = match === 'expression' ? partOf(from, false) : source?.ok === true ? partOf(source.value.source, false) : null
    const own = (when.query ?? []).map(({ name, value }) => `${encodeURIComponent(name)}=${encodeURIComponent(value ?? 'any')}`).join('&')
    return Array.from({ length: 8 }, () => {
      const text = part === null ? plainPath(from) : sampleOf(part, random)
      const rooted = text.startsWith('/') ? text : `/${text}`
      const around = pick([
        rooted,
        rooted,
        rooted,
        `${rooted}/`,
        `${rooted}//`,
        `${rooted}/${pick(WORDS)}`,
        `${rooted}/x/${pick(WORDS)}.html`,
        rooted.toUpperCase(),
        rooted.toLowerCase(),
        rooted.slice(0, -1) || '/',
        `${rooted}x`,
        `/x${rooted}`,
      ])
      return sent(around, random) + (own !== '' && random(2) === 0 ? `?${own}${pick(['', '&x=1'])}` : query())
    })
  })
}

function tableOf(drafts: readonly RedirectDraft[], tolerance: Tolerance): RedirectTable {
  const table = new RedirectTable(tolerance)
  for (const [order, draft] of drafts.entries())
    if (draft.isOn) assert.ok(table.add({ ...draft, id: String(order), order }).ok, JSON.stringify(draft))
  return table
}

/** An answer as it came out of the socket. */
function answerOf(came: string): { status: number; location: string; names: readonly string[] } {
  const [head = ''] = came.split('\r\n\r\n')
  const [first = '', ...lines] = head.split('\r\n')
  const location = lines.find((line) => /^location:/i.test(line))
  return {
    status: Number(first.split(' ')[1]),
    location: location?.replace(/^location: ?/i, '') ?? '',
    names: lines.map((line) => line.split(':', 1)[0]?.toLowerCase() ?? ''),
  }
}

const INVISIBLE = /[\x80-\x9f]|[^\P{Cf}]|\p{Zl}|\p{Zp}/u
/** Whether an address is one that browsers send, see the head of what is written. */
function isWellSpelled(target: string): boolean {
  const path = target.split('?', 1)[0] ?? ''
  if (/["<>\\`{}]/.test(path)) return false
  try {
    return !INVISIBLE.test(decodeURIComponent(path)) && !/\/(?:\.|%2e){1,2}(?:\/|$)/i.test(path)
  } catch {
    return false
  }
}

/** Whether it is spelled as it would be here: then what comes out is the same to the byte. */
const isOurSpelling = (target: string): boolean => {
  const [path = '', query = ''] = target.split(/\?(.*)/s)
  return path === encodedPath(plainPath(path)) && !/['"<>]/.test(query)
}

const respelledQuery = (query: string): string =>
  query.replaceAll("'", '%27').replace(/%[0-9A-Fa-f]{2}/g, (escaped) => {
    const sign = String.fromCharCode(Number.parseInt(escaped.slice(1), 16))
    return /[\w.~-]/.test(sign) ? sign : escaped.toUpperCase()
  })

/** An address in the one spelling of ours. */
function respelled(location: string): string {
  if (location === '') return ''
  const url = new URL(location)
  return `${url.origin}${encodedPath(plainPath(url.pathname))}${respelledQuery(url.search)}${url.hash}`
}

async function started(name: string, text: string): Promise<WebServer> {
  return name === 'httpd' ? startHttpd(text) : startNginx(text, [...text.matchAll(/^#server (.*)$/gm)].map((found) => found[1]).join('\n'))
}

for (const tolerance of [TOLERANCE, STRICT])
  test(`what is written for other servers answers there to the byte as it does here (${tolerance.ignoresCase ? 'tolerant' : 'strict'})`, async (t) => {
    const differing: string[] = []
    for (let seed = 1; seed <= 4; seed++) {
      const drafts = randomDrafts(seed)
      const targets = [...new Set(targetsOf(drafts, seed))]
      for (const [name, { text, unsaid }] of Object.entries({
        httpd: writeHttpd(drafts, { tolerance, hosts: HOSTS, say: inWords }),
        nginx: writeNginx(drafts, { tolerance, hosts: HOSTS, say: inWords }),
      })) {
        assert.ok(
          unsaid.length < drafts.length / 3,
          `${name}: ${unsaid.map(({ draft, reason }) => `${draft.from} ${draft.to} ${inWords(reason)}`).join('\n')}`,
        )
        assert.equal(text.match(/^# Left out/gm)?.length ?? 0, unsaid.length)
        const left = new Set(unsaid.map(({ draft }) => draft))
        const written = drafts.filter((draft) => !left.has(draft))
        const table = tableOf(written, tolerance)
        const server = await started(name, text)
        t.after(() => server.stop())
        let [answered, exactly] = [0, 0]
        for (const target of targets)
          for (const host of [...HOSTS, DOOR]) {
            const language = host === 'b.example' ? 'de' : null
            const theirs = answerOf(await server.raw(host, target, language === null ? [] : ['Accept-Language: de-AT, en']))
            assert.ok(!theirs.names.includes('set-cookie') && /^[\x20-\x7e]*$/.test(theirs.location), `${name} ${target}`)
            const own = ownAnswer(table, host, target, { language, isByNameOnly: host === DOOR })
            const row = own.by === '' ? null : written[Number(own.by)]
            // Told at the head of the file; a path above the root is a bad request to both.
            if (!isWellSpelled(target) && row?.match !== 'exact') continue
            if (theirs.status === 400 || (name === 'httpd' && /\?(?:.*&)?$/.test(target))) continue
            const isNone = theirs.status === 404 || theirs.status === 403
            const is = [isNone ? 404 : theirs.status, isNone ? '' : theirs.location]
            const isSame = isOurSpelling(target)
            const meant = [own.status, own.location ?? '']
            if (!isNone) answered++
            if (!isNone && isSame) exactly++
            const [one, other] = isSame
              ? [is, meant]
              : [
                  [is[0], respelled(String(is[1]))],
                  [meant[0], respelled(own.location ?? '')],
                ]
            if (JSON.stringify(one) !== JSON.stringify(other))
              differing.push(`${seed} ${name} ${host} ${target}: ${is.join(' ')} for ${meant.join(' ')} ${JSON.stringify(row)}`)
          }
        assert.ok(answered > 100 && exactly > 50, `${name}: ${answered} answers, ${exactly} to the byte`)
      }
    }
    assert.deepEqual(differing.slice(0, 12), [], `${differing.length} differ`)
  })

const EVIL = ['%0d%0aSet-Cookie:%20sid=evil', '%0aX-Evil:%20yes', '%0d', '%00', '%09', '%7f', '%e2%80%a8', '%c3%28', '%20x', '%22', '%5c']
test('whatever a visitor asks for, no server that goes by our rows answers with a line of theirs', async (t) => {
  for (let seed = 1; seed <= 2; seed++) {
    const drafts = randomDrafts(seed)
    const random = numbersFrom(seed)
    const targets = targetsOf(drafts, seed).flatMap((target) => {
      const [path = '', query = ''] = target.split('?')
      const evil = picking(random)(EVIL)
      return [`${path}/a${evil}`, `${path}${evil}`, `${path}?${query}&q=${evil}`]
    })
    for (const server of [
      await started('httpd', writeHttpd(drafts, { tolerance: TOLERANCE, hosts: HOSTS, say: inWords }).text),
      await started('nginx', writeNginx(drafts, { tolerance: TOLERANCE, hosts: HOSTS, say: inWords }).text),
    ]) {
      t.after(() => server.stop())
      let led = 0
      for (const target of new Set(targets)) {
        const came = await server.raw('a.example', target)
        const { location, names } = answerOf(came)
        if (location !== '') led++
        const head = came.split('\r\n\r\n')[0] ?? ''
        assert.ok(/^[\x20-\x7e]*$/.test(location) && !/[\r\n]/.test(head.replaceAll('\r\n', '')), `${target}: ${head}`)
        assert.ok(!names.includes('set-cookie') && !names.includes('x-evil'), `${target}: ${head}`)
      }
      assert.ok(led > 100, `${led} were led on`)
    }
  }
})

test('whoever sends something along is asked by nginx to send it again, as here; by httpd not, which is told', async (t) => {
  const drafts = [draftOf({ from: '/form', to: '/new' }), draftOf({ from: '/old', to: '/new/', match: 'under', status: 302 })]
  const site = { tolerance: TOLERANCE, hosts: HOSTS, say: inWords }
  const statuses = async (name: string, text: string): Promise<number[]> => {
    const server = await started(name, text)
    t.after(() => server.stop())
    const asked: number[] = []
    for (const method of ['GET', 'HEAD', 'POST'])
      for (const target of ['/form', '/old/x'])
        asked.push(answerOf(await server.raw('a.example', target, ['Content-Length: 0'], method)).status)
    return asked
  }
  const httpd = writeHttpd(drafts, site).text
  assert.deepEqual(await statuses('nginx', writeNginx(drafts, site).text), [301, 302, 301, 302, 308, 307])
  assert.deepEqual(await statuses('httpd', httpd), [301, 302, 301, 302, 301, 302])
  assert.match(httpd, /^# .*\(POST\) gets the same status/m)
})

test('what was written for Apache httpd is read again as the rows that it was written for', () => {
  for (let seed = 1; seed <= 20; seed++) {
    const drafts = randomDrafts(seed).map((draft) => ({ ...draft, hosts: draft.hosts.filter((host) => host !== DOOR) }))
    const site = { tolerance: TOLERANCE, hosts: HOSTS, say: inWords }
    const { text, unsaid } = writeHttpd(drafts, site)
    const again = readHttpd(text, site)
    assert.deepEqual(
      again.refused.filter(({ reason }) => !/never answers|come before/.test(inWords(reason))),
      [],
    )
    const left = new Set(unsaid.map(({ draft }) => draft))
    const written = drafts.filter((draft) => draft.isOn && !left.has(draft)).map((draft) => JSON.stringify(draft))
    assert.equal(again.rows.length + again.refused.length, written.length)
    for (const { draft } of again.rows) assert.ok(written.includes(JSON.stringify(draft)), JSON.stringify(draft))
    assert.ok(again.rows.length > written.length / 2)
    // A line that somebody has changed is read for what it says, or refused; the remark alone is nothing.
    const changed = readHttpd(text.replaceAll('[R=30', '[R=99'), site)
    assert.deepEqual(
      changed.rows.filter(({ draft }) => draft.status < 400),
      [],
    )
  }
})
