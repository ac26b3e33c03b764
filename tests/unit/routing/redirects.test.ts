import assert from 'node:assert/strict'
import { test } from 'node:test'
import { URLPattern } from 'urlpattern-polyfill'
import {
  type Asked,
  compareRedirects,
  compileDestination,
  compileExpression,
  compilePathPattern,
  considerRedirects,
  FILLED_MAX_CHARS,
  HOLES_MAX,
  literalsOf,
  matchRedirect,
  plainPath,
  QUERY_HABITS,
  type Redirect,
  RedirectTable,
  readyRedirect,
  stemsOf,
  type Tolerance,
  UNDER_SEGMENTS_MAX,
} from '../../../src/core/routing/index.ts'
import { numbersFrom } from '../writing/numbers.ts'

const EASY: Tolerance = { ignoresCase: true, ignoresSlash: true }
const ASKED: Asked = {
  host: 'site.example',
  origin: 'https://site.example',
  isByNameOnly: false,
  path: '/',
  query: '',
  language: null,
  device: 'computer',
  nowMs: 0,
}
let made = 0
const row = (given: Partial<Redirect>): Redirect => ({
  id: `row-${String(++made).padStart(6, '0')}`,
  hosts: [],
  match: 'exact',
  from: '/',
  when: {},
  to: '/new',
  status: 301,
  query: 'drop',
  beatsPages: false,
  order: made,
  ...given,
})
function tableOf(rows: readonly Redirect[], tolerance = EASY): RedirectTable {
  const table = new RedirectTable(tolerance)
  for (const each of rows) assert.ok(table.add(each).ok, JSON.stringify(each))
  return table
}
const answer = (rows: readonly Redirect[], address: string, asked: Partial<Asked> = {}, hasPage = false): string | null => {
  const [path = '', query = ''] = address.split('?')
  const found = matchRedirect({ ...ASKED, path: plainPath(path), query, ...asked }, tableOf(rows), () => hasPage)
  return found === null ? null : found.location === null ? String(found.status) : found.location.replace('https://site.example', '')
}

for (const [name, path, expected] of [
  ['as it is', '/a/b-c_d~e.html', '/a/b-c_d~e.html'],
  ['letters that need no escape', '/%41%7e%2D', '/A~-'],
  ['words of any script', '/caf%C3%A9/%e2%82%ac', '/café/€'],
  ['a space', '/a%20b', '/a b'],
  ['an escaped slash stays one', '/a%2fb', '/a%2Fb'],
  ['what would begin an escape, a query or a fragment', '/%25%3f%23', '/%25%3F%23'],
  ['an escape of an escape is decoded once', '/%2541', '/%2541'],
  ['nothing, and line ends', '/%00%0d%0a', '/%00%0D%0A'],
  ['bytes that are no UTF-8', '/%ff%C3x', '/%FF%C3x'],
  ['half an escape', '/%4', '/%4'],
  ['dots', '/a/./b/../c', '/a/c'],
  ['dots in disguise', '/a/%2e%2E/b/%2e', '/b/'],
  ['more dots than folders', '/../../a', '/a'],
  ['a mark that turns text round', '/%E2%80%AE', '/%E2%80%AE'],
] as const)
  test(`a path is read as people do: ${name}`, () => {
    assert.equal(plainPath(path), expected)
    assert.equal(plainPath(expected), expected, 'twice is once')
  })

test('a path stands under each of its folders, however deep it is under no more than rows can have', () => {
  assert.deepEqual(stemsOf('/a/b/c'), ['/a/b/c', '/a/b', '/a', '/'])
  assert.deepEqual(stemsOf('/'), ['/'])
  assert.deepEqual(stemsOf('/a/'), ['/a/', '/a', '/'])
  const stems = stemsOf('/x'.repeat(4_000))
  assert.equal(stems.length, UNDER_SEGMENTS_MAX + 1)
  assert.equal(stems[0], '/x'.repeat(UNDER_SEGMENTS_MAX))
})

for (const [name, given, address, expected] of [
  ['a path', { from: '/old' }, '/old', '/new'],
  ['another one is nothing to it', { from: '/old' }, '/older', null],
  ['with a slash, in capitals, escaped', { from: '/old-café' }, '/OLD%2Dcaf%C3%A9/', '/new'],
  ['everything under goes to one page', { match: 'under', from: '/old/' }, '/old/a/b', '/new'],
  ['everything under goes along', { match: 'under', from: '/old', to: '/new/' }, '/old/a%20b/c?x=1', '/new/a%20b/c'],
  ['and the folder itself', { match: 'under', from: '/old', to: '/new/' }, '/old', '/new/'],
  ['under is by whole names', { match: 'under', from: '/old', to: '/new/' }, '/older/a', null],
  ['under everything', { match: 'under', from: '/', to: 'https://new.example/' }, '/a/b', 'https://new.example/a/b'],
  ['what is behind it stands where it is wanted', { match: 'under', from: '/old', to: '/new?was=$1' }, '/old/a b&c', '/new?was=a%20b%26c'],
  [
    'a pattern',
    { match: 'pattern', from: '/blog/:year/:slug', to: '/$year/$slug.html?no=$1' },
    '/blog/2021/tides',
    '/2021/tides.html?no=2021',
  ],
  ['an expression', { match: 'expression', from: '^/p(\\d+)$', to: '/pages/$1.html' }, '/p42', '/pages/42.html'],
  ['what is caught leads to no other host', { match: 'expression', from: '^/x(.*)$', to: '$1' }, '/x//evil.example/', undefined],
  ['nor does a path that begins with it', { match: 'expression', from: '^/x(.*)$', to: '/$1' }, '/x/evil.example/', '/evil.example/'],
  [
    'a line end that was caught stays an escape',
    { match: 'under', from: '/o', to: '/n/' },
    '/o/%0d%0aSet-Cookie:a',
    '/n/%0D%0ASet-Cookie:a',
  ],
  ['it has gone', { from: '/old', status: 410, to: '' }, '/old', '410'],
  ['a dollar sign', { from: '/old', to: '/$$5' }, '/old', '/$5'],
] as const)
  test(`answers: ${name}`, () => {
    if (expected === undefined) assert.equal(readyRedirect(row(given), EASY).ok, false)
    else assert.equal(answer([row(given)], address), expected)
  })

test('the query that was asked with is dropped, passed on or merged', () => {
  const to = '/new?a=1'
  const said = QUERY_HABITS.map((query) => answer([row({ from: '/old', to, query })], '/old?a=2&b=%C3%A9'))
  assert.deepEqual(said, ['/new?a=1', '/new?a=1&a=2&b=%C3%A9', '/new?a=1&b=%C3%A9'])
  assert.equal(answer([row({ from: '/old', query: 'pass' })], '/old?x'), '/new?x')
})

test('a path of the site is sent as the standard writes it, whatever it is made of (2,000 seeded paths)', () => {
  const PARTS = [
    '/',
    '/',
    '.',
    '..',
    'a',
    'B',
    '%41',
    '%2f',
    '%',
    ' ',
    'é',
    '\\',
    '\t',
    '"',
    "'",
    '^',
    '`',
    '{',
    '|',
    '~',
    ';',
    '@',
    ':',
    '#',
    '+',
    '\ud800',
  ]
  const pick = numbersFrom(7)
  let asWritten = 0
  for (let n = 0; n < 2_000; n++) {
    const to = `/a${Array.from({ length: pick(6) }, () => PARTS[pick(PARTS.length)]).join('')}`
    const made = compileDestination(to, { names: [], appends: false, query: 'pass' })
    assert.ok(made.ok, to)
    const expected = new URL(`https://site.example${to}`).href
    assert.equal(made.value.fill([], '', 'https://site.example'), expected, JSON.stringify(to))
    if (expected.endsWith(to)) asWritten++
  }
  assert.ok(asWritten > 200 && asWritten < 1_800, `${asWritten} as they were written`)
})

test('what no redirect may lead to is refused, and what is caught never chooses the site', () => {
  const fault = (to: string, names = ['']): string => {
    const made = compileDestination(to, { names, appends: false, query: 'drop' })
    return made.ok ? '' : made.fault
  }
  for (const to of [
    'javascript:alert(1)',
    'data:text/html,x',
    'mailto:a@b.example',
    '//evil.example/',
    'https://$1/',
    'https://a$1.example/',
    '$1',
    'new',
    '',
  ])
    assert.equal(fault(to), 'destination-refused', to)
  assert.equal(fault('/new/$2'), 'destination-group-unknown')
  assert.equal(fault('/new/$name'), 'destination-group-unknown')
  assert.equal(fault('https://['), 'destination-unreadable')
  assert.equal(fault('https://a.example/$1'), '')
})

test('a path of nothing but slashes costs what it is long', () => {
  const path = `/${'/'.repeat(200_000)}a/`
  const started = process.cpuUsage()
  assert.equal(answer([row({ from: '/a' })], path), null)
  assert.ok(process.cpuUsage(started).user < 2_000_000, 'a search that begins anew at every slash takes minutes')
})

test('a row answers where all of its conditions are met', () => {
  const rows = [
    row({ from: '/old', to: '/all' }),
    row({ from: '/old', to: '/german', when: { languages: ['de', 'nds'] } }),
    row({ from: '/old', to: '/phone', when: { devices: ['phone'] }, order: 0 }),
    row({
      from: '/old',
      to: '/five',
      when: {
        query: [
          { name: 'id', value: '5' },
          { name: 'all', value: null },
        ],
      },
      order: -1,
    }),
    row({ from: '/old', to: '/summer', when: { fromMs: 100, untilMs: 200 } }),
  ]
  assert.equal(answer(rows, '/old'), '/all')
  assert.equal(answer(rows, '/old', { language: 'de' }), '/german')
  assert.equal(answer(rows, '/old', { language: 'de', device: 'phone' }), '/phone')
  assert.equal(answer(rows, '/old?all&id=5', { language: 'de', device: 'phone' }), '/five')
  assert.equal(answer(rows, '/old?id=5'), '/all')
  assert.deepEqual(
    [99, 100, 199, 200].map((nowMs) => answer(rows, '/old', { nowMs })),
    ['/all', '/summer', '/summer', '/all'],
  )
})

test('before somebody else’s site only rows answer that name its host', () => {
  const rows = [row({ from: '/old', to: '/all' }), row({ from: '/named', to: '/own', hosts: ['site.example'] })]
  assert.deepEqual(
    ['/old', '/named'].map((at) => answer(rows, at, { isByNameOnly: true })),
    [null, '/own'],
  )
})

test('a published page is not hidden, unless a row says so', () => {
  assert.equal(answer([row({ from: '/old' })], '/old', {}, true), null)
  assert.equal(answer([row({ from: '/old' }), row({ from: '/old', to: '/over', beatsPages: true })], '/old', {}, true), '/over')
})

test('rows that were considered are told in their order, with why they do not answer', () => {
  const rows = [
    row({ from: '/a/b', to: '/exact' }),
    row({ from: '/a/b', to: '/other', hosts: ['other.example'] }),
    row({ from: '/a/b', to: '/de', when: { languages: ['de'] } }),
    row({ match: 'under', from: '/a', to: '/under' }),
    row({ match: 'pattern', from: '/a/:x', to: '/pattern' }),
    row({ match: 'expression', from: '^/a/\\d', to: '/no' }),
    row({ from: '/elsewhere' }),
  ]
  const considered = considerRedirects({ ...ASKED, path: '/a/b' }, tableOf(rows), () => false)
  assert.deepEqual(
    considered.map(({ row: { to }, why }) => [to, why]),
    [
      ['/de', 'language'],
      ['/other', 'host'],
      ['/exact', null],
      ['/under', 'later'],
      ['/pattern', 'later'],
      ['/no', 'text'],
    ],
  )
})

test('a table without a row is as if it had never been there', () => {
  const rows = ['/a', '/a', '/b'].map((from, i) => row({ from, to: `/${i}` }))
  const [first, second] = rows as [Redirect, Redirect, Redirect]
  const conditional = row({ match: 'pattern', from: '/a*', to: '/p', when: { languages: ['de'] } })
  const table = tableOf([...rows, conditional])
  const at = (): string | null => matchRedirect({ ...ASKED, path: '/a', language: 'de' }, table, () => false)?.location ?? null
  assert.equal(at(), 'https://site.example/p')
  table.remove(conditional)
  assert.equal(table.hasConditions, false)
  assert.equal(at(), 'https://site.example/0')
  table.remove(first)
  assert.equal(at(), 'https://site.example/1')
  table.remove(second)
  assert.equal(at(), null)
})

test('a filled destination has a length, and so many holes', () => {
  const under = (to: string): Redirect => row({ match: 'under', from: '/w', to, query: 'pass' })
  assert.ok(readyRedirect(under(`https://elsewhere.example/${'$1'.repeat(HOLES_MAX)}`), EASY).ok)
  const over = readyRedirect(under(`https://elsewhere.example/${'$1'.repeat(HOLES_MAX + 1)}`), EASY)
  assert.equal(over.ok ? '' : over.fault, 'destination-holes')
  const rows = [under('https://elsewhere.example/$1$1$1$1$1')]
  assert.equal(answer(rows, '/w/ab'), 'https://elsewhere.example/ababababab')
  for (const length of [1_600, 1_700, 15_000]) {
    const [location, withQuery] = [answer(rows, `/w/${'a'.repeat(length)}`), answer(rows, `/w/a?q=${'b'.repeat(2 * length)}`)]
    for (const each of [location, withQuery]) assert.ok(each === null || each.length <= FILLED_MAX_CHARS)
    assert.equal(location === null, 5 * length + 26 > FILLED_MAX_CHARS, `${length}`)
  }
  assert.equal(answer(rows, `/w/${'\u00e9'.repeat(300)}`), null, 'counted as it is sent')
})

test('an expression that has to go back over its steps is refused, with the place', () => {
  for (const source of ['^/\\p{L}+$', '/\\x{41}+', '[{}]+', '\\}+', 'a{2}']) assert.ok(compileExpression(source, false).ok, source)
  for (const [source, part] of [
    ['^/(?=a)', '(?='],
    ['(?<!x)y', '(?<!'],
    ['(a)\\1', '\\1'],
    ['a++b', '++'],
    ['a{2}+', '}+'],
    ['(?>a|b)', '(?>'],
  ] as const) {
    const made = compileExpression(source, false)
    assert.deepEqual(made.ok ? null : [made.fault, made.detail.part], ['pattern-needs-memory', part], source)
  }
  for (const source of ['(', '[a', 'a{2,1}', '*']) {
    const made = compileExpression(source, false)
    assert.equal(made.ok ? '' : made.fault, 'pattern-unreadable', source)
  }
  assert.ok(compileExpression('\\+\\+[*+]+', false).ok, 'signs that are meant as they stand')
  const started = process.cpuUsage()
  const slow = compileExpression('^(?:(?:a+)+)+$', false)
  assert.ok(slow.ok)
  assert.equal(slow.value.match(`/${'a'.repeat(20_000)}!`), null)
  assert.ok(process.cpuUsage(started).user < 5_000_000, 'an expression that is slow elsewhere takes linear time')
})

const PIECES = ['/', 'a', 'b', '/a', '/ab', ':x', ':y', '*', '{/b}', '{a}', '{/:z}', '(a|b)', ':w(\\d+)', '{/x:q-}', '\\:', 'a.', '-', '1']
const MODIFIERS = ['', '', '', '?', '*', '+']

test('patterns mean what URL Pattern says (seeded patterns against the standard’s own polyfill)', () => {
  let compared = 0
  let matched = 0
  for (let seed = 1; seed <= 3_000; seed++) {
    const pick = numbersFrom(seed)
    const pattern = `/${Array.from({ length: 1 + pick(4) }, () => {
      const piece = PIECES[pick(PIECES.length)] ?? ''
      return piece + (/^[{:(*]/.test(piece) ? (MODIFIERS[pick(MODIFIERS.length)] ?? '') : '')
    }).join('')}`
    let theirs: URLPattern | null = null
    try {
      theirs = new URLPattern({ pathname: pattern })
    } catch {
      theirs = null
    }
    const ours = compilePathPattern(pattern, false)
    assert.equal(ours.ok, theirs !== null, `seed ${seed}: ${pattern} ${JSON.stringify(ours)}`)
    if (!ours.ok || theirs === null) continue
    for (let n = 0; n < 12; n++) {
      const path = `/${Array.from({ length: pick(7) }, () => ['/', 'a', 'b', 'ab', '1', '-', '.', 'x', ':'][pick(9)]).join('')}`
      if (plainPath(path) !== path || path.startsWith('//')) continue // the polyfill reads a host there
      const expected: ReturnType<URLPattern['exec']> = theirs.exec({ pathname: path })
      const found: readonly string[] | null = ours.value.match(path)
      assert.equal(found !== null, expected !== null, `seed ${seed}: ${pattern} on ${path}`)
      compared++
      if (found === null || expected === null) continue
      matched++
      let unnamed = 0
      const caught: Record<string, string> = Object.fromEntries(found.map((each, i) => [ours.value.names[i] || String(unnamed++), each]))
      const theirGroups: Record<string, string> = Object.fromEntries(
        Object.entries(expected.pathname.groups).map(([name, each]) => [name, each ?? '']),
      )
      assert.deepEqual(caught, theirGroups, `seed ${seed}: ${pattern} on ${path}`)
      for (const literal of ours.value.literals) assert.ok(path.includes(literal), `seed ${seed}: ${pattern} needs ${literal}`)
    }
  }
  assert.ok(compared > 20_000 && matched > 2_000, `${compared} compared, ${matched} matched`)
})

test('a slash at the end makes no difference to a pattern where it makes none to a path', () => {
  for (const [pattern, path, isOne, isTwo] of [
    ['/w/p/:isle/:topic', '/w/p/mew/birds/', true, false],
    ['/w/p/:isle/', '/w/p/mew', true, false],
    ['/w/p/:isle/', '/w/p/mew/', true, true],
    ['/w{/:isle}?', '/w/', true, false],
    ['/', '/', true, true],
    ['/w', '/w/more', false, false],
  ] as const)
    for (const [ignoresSlash, expected] of [
      [true, isOne],
      [false, isTwo],
    ] as const) {
      const made = compilePathPattern(pattern, true, ignoresSlash)
      assert.ok(made.ok)
      const caught = made.value.match(path)
      assert.equal(caught !== null, expected, `${pattern} ${path} ${ignoresSlash}`)
      if (caught !== null) assert.ok(!caught.some((each) => each.endsWith('/')), 'what is caught is the same')
    }
})

test('text that an expression is found by is in everything that it matches (seeded expressions)', () => {
  const parts = [
    'ab',
    'c',
    '😀',
    'é',
    '\\.',
    '\\d',
    '[a-c]',
    '[^]x]',
    '(?:ab|c)',
    '(b)',
    '(?P<n>c)',
    '.',
    '^',
    '$',
    'a|b',
    '(?i:a)',
    '\\Qx\\E',
    's',
    'K',
  ]
  const repeats = ['', '', '', '?', '*', '+', '{0,2}', '{2}', '+?']
  let matched = 0
  for (let seed = 1; seed <= 6_000; seed++) {
    const pick = numbersFrom(seed)
    const source = Array.from(
      { length: 1 + pick(5) },
      () => (parts[pick(parts.length)] ?? '') + (repeats[pick(repeats.length)] ?? ''),
    ).join('')
    for (const ignoresCase of [false, true]) {
      const made = compileExpression(source, ignoresCase)
      if (!made.ok) continue
      for (let n = 0; n < 8; n++) {
        const text = Array.from(
          { length: pick(8) },
          () => ['a', 'b', 'ab', 'c', '😀', 'é', 'É', '.', '1', 'A', 'ſ', '\u212a', 'x', 'S'][pick(14)],
        ).join('')
        if (made.value.match(text) === null) continue
        matched++
        const table = new RedirectTable({ ignoresCase, ignoresSlash: false })
        table.add(row({ match: 'expression', from: source }))
        assert.ok(matchRedirect({ ...ASKED, path: text }, table, () => false) !== null, `seed ${seed}: ${source} on ${text}`)
      }
    }
  }
  assert.ok(matched > 5_000, `${matched} matched`)
  assert.deepEqual(literalsOf('^/blog/(\\d+)/comments?\\.html$'), ['/blog/', '/comment', '.html'])
})

/** The slow and obvious way: every row is asked by itself, and of those that hold the first by the order that is told to people. */
function byAskingAll(rows: readonly Redirect[], asked: Asked, tolerance: Tolerance, hasPage: boolean): Redirect | null {
  const same = (path: string, bare = tolerance.ignoresSlash): string => {
    const cut = bare && path !== '/' ? path.replace(/\/+$/, '') || '/' : path
    return tolerance.ignoresCase ? cut.toLowerCase() : cut
  }
  const fits = (each: Redirect): boolean => {
    if (each.match === 'exact') return same(plainPath(each.from)) === same(asked.path)
    if (each.match === 'under') {
      const stem = same(plainPath(each.from), true)
      const path = tolerance.ignoresCase ? asked.path.toLowerCase() : asked.path
      return stem === '/' || same(path) === stem || path.startsWith(`${stem}/`)
    }
    const made =
      each.match === 'pattern'
        ? compilePathPattern(each.from, tolerance.ignoresCase, tolerance.ignoresSlash)
        : compileExpression(each.from, tolerance.ignoresCase)
    return made.ok && made.value.match(asked.path) !== null
  }
  const text = (each: Redirect): number => {
    if (each.match === 'exact') return 0
    if (each.match === 'under') return each.from.replace(/\/+$/, '').length
    const made =
      each.match === 'pattern'
        ? compilePathPattern(each.from, tolerance.ignoresCase, tolerance.ignoresSlash)
        : compileExpression(each.from, tolerance.ignoresCase)
    return made.ok ? made.value.literals.join('').length : 0
  }
  const rank = (each: Redirect): readonly number[] => [
    Object.keys(each.when).length > 0 ? 0 : 1,
    { exact: 0, under: 1, pattern: 2, expression: 2 }[each.match],
    -text(each),
    each.hosts.length > 0 ? 0 : 1,
    each.order,
  ]
  const holding = rows.filter(
    (each) =>
      fits(each) &&
      (each.hosts.length === 0 || each.hosts.includes(asked.host)) &&
      (each.when.languages === undefined || (asked.language !== null && each.when.languages.includes(asked.language))) &&
      (each.beatsPages || !hasPage),
  )
  const inOrder = holding.sort((a, b) => {
    const [left, right] = [rank(a), rank(b)]
    return left.map((n, i) => n - (right[i] ?? 0)).find((n) => n !== 0) ?? 0
  })
  return inOrder[0] ?? null
}

test('the matcher answers as asking every row would (600 seeded tables that grow and shrink)', () => {
  const SEGMENTS = ['a', 'b', 'A', 'ab', 'é', 'blog', 'Blog', 'x1']
  let answered = 0
  let early = 0
  for (let seed = 1; seed <= 600; seed++) {
    const pick = numbersFrom(seed)
    const some = <T>(of: readonly T[]): T => of[pick(of.length)] as T
    const path = (): string =>
      `/${Array.from({ length: pick(4) }, () => some(SEGMENTS)).join('/')}${pick(4) === 0 ? '/' : ''}`.replace('//', '/')
    const tolerance = { ignoresCase: pick(2) === 0, ignoresSlash: pick(2) === 0 }
    const froms = {
      exact: path,
      under: path,
      pattern: () => path().replace(/\/(\w+)/, some(['/:one', '/*', '{/$1}?', '/$1'])),
      expression: () => some([`^${path()}`, `${path()}$`, `/${some(SEGMENTS)}\\d?`, `^/(a|b)${path()}`]),
    }
    const rows = Array.from({ length: 1 + pick(25) }, (_, order) => {
      const match = some(['exact', 'exact', 'under', 'pattern', 'expression'] as const)
      return row({
        match,
        from: froms[match](),
        to: `/to-${order}`,
        order,
        hosts: pick(4) === 0 ? [some(['site.example', 'other.example'])] : [],
        when: pick(5) === 0 ? { languages: [some(['de', 'en'])] } : {},
        beatsPages: pick(5) === 0,
      })
    }).filter((each) => readyRedirect(each, tolerance).ok)
    const table = tableOf(rows, tolerance)
    // What was taken out is not asked any more, and what comes back is.
    const gone = rows.filter(() => pick(4) === 0)
    for (const each of gone) table.remove(each)
    const back = gone.filter(() => pick(2) === 0)
    for (const each of back) table.add(each)
    const there = rows.filter((each) => !gone.includes(each) || back.includes(each))
    for (const each of there.filter(({ match }) => match === 'exact')) {
      if (!table.mayComeLate(each)) early++
      else continue
      const own = { host: each.hosts[0] ?? 'site.example', language: each.when.languages?.[0] ?? some([null, 'de', 'en']) }
      assert.equal(matchRedirect({ ...ASKED, ...own, path: plainPath(each.from) }, table, () => false)?.row.id, each.id, `seed ${seed}`)
    }
    for (let n = 0; n < 25; n++) {
      const asked = { ...ASKED, path: plainPath(path()), host: some(['site.example', 'other.example']), language: some([null, 'de', 'en']) }
      const hasPage = pick(4) === 0
      const expected = byAskingAll(there, asked, tolerance, hasPage)
      const found = matchRedirect(asked, table, () => hasPage)
      const told = considerRedirects(asked, table, () => hasPage).find(({ why }) => why === null)
      const words = `seed ${seed}: ${JSON.stringify({ path: asked.path, host: asked.host, language: asked.language, hasPage, tolerance })}`
      assert.equal(found?.row.to, expected?.to, words)
      assert.equal(told?.row.to, expected?.to, `${words}, as it is told`)
      if (expected !== null) answered++
    }
  }
  assert.ok(answered > 3_000, `${answered} answered`)
  assert.ok(early > 500, `${early} rows that nothing comes before`)
})

test('the order of rows is one order, whichever way they come', () => {
  for (let seed = 1; seed <= 50; seed++) {
    const pick = numbersFrom(seed)
    const ready = Array.from({ length: 12 }, (_, order) =>
      readyRedirect(
        row({
          match: (['exact', 'under', 'pattern'] as const)[pick(3)] ?? 'exact',
          from: ['/a', '/a/b', '/long/:x'][pick(3)] ?? '/',
          order: order % 4,
          hosts: pick(2) === 0 ? [] : ['site.example'],
          when: pick(3) === 0 ? { devices: ['phone'] } : {},
        }),
        EASY,
      ),
    ).flatMap((each) => (each.ok ? [each.value] : []))
    const sorted = [...ready].sort(compareRedirects).map((each) => each.row.id)
    assert.deepEqual(
      [...ready]
        .reverse()
        .sort(compareRedirects)
        .map((each) => each.row.id),
      sorted,
      `seed ${seed}`,
    )
  }
})
