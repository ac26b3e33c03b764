import assert from 'node:assert/strict'
import { test } from 'node:test'
import { draftOf, writeHttpd, writeNginx } from '../../../src/core/exchange/index.ts'
import { partOf, sentPath } from '../../../src/core/exchange/redirects/expressions/index.ts'
import { compileExpression, encodedPath, plainPath, TOLERANCE } from '../../../src/core/routing/index.ts'
import { inWords } from '../../../src/words/index.ts'
import { numbersFrom } from '../writing/numbers.ts'

const ALL = new Set([1, 2, 3])

/** Whether the written expression matches a path as it is sent, and what it catches, decoded. */
function written(source: string, ignoresCase: boolean, sent: string): readonly string[] | null {
  const part = partOf(source, ignoresCase)
  assert.ok(part !== null, source)
  const made = sentPath(part, ALL)
  assert.ok(typeof made !== 'string', `${source}: ${made}`)
  const found = new RegExp(`^ ${made.source} $`).exec(` ${sent} `)
  return found === null ? null : found.slice(1).map((each) => plainPath(`/x${each ?? ''}x`).slice(2, -1))
}

const EXPRESSIONS = [
  '^/a/(.*)$', '^/(\\d+)-(.+)$', 'b(\\d+)', '^/[^/]+/(.)$', '(?i)^/A([a-z]+)$', '^/(am|bm)/(.*)$', '^/é+/(.*)$', '^/[a-zé"]+$', '^/.{2}$', '/(a|$)',
  '^/a\\.(?:php|asp)$', '^/([^/.]+)\\.x$', 'a$', '^/%2F(.*)$', '^/[[:alpha:]]+$', '^/(.*)F$', '^/(.)(.)$', '^/[^a](.+?)-(.*)$', '^/\\W(\\S*)$', '^/(?:a|b)*$', '^/[%2f]+$', '^/(.*)5(.*)$',
  '^/ÜBER(.*)$', '^/[À-ž]$', '^/[^é]$', '\\x{e9}', '^/[\\w.~-]+/?$', '^/\\Qa.b\\E', '^/(?:a(?i)B)c$', 'A9', '^/[^\\x00-\\x{7f}]*$',
] // biome-ignore format: a list of expressions
const LETTERS = [
  'a',
  'A',
  'b',
  'B',
  'c',
  'é',
  'É',
  'ü',
  'Ü',
  '1',
  '5',
  '2',
  'F',
  'f',
  '9',
  '.',
  '-',
  '/',
  '~',
  '"',
  ' ',
  '%2F',
  '%25',
  '%3F',
  'am',
  'php',
  '😀',
  'ž',
  'ber',
  '(',
  '|',
  'x',
]

test('an expression that is written for paths as they are sent matches and catches what it does of the path as people read it (40,000 paths)', () => {
  const random = numbersFrom(7)
  let matched = 0
  for (const source of EXPRESSIONS)
    for (const ignoresCase of [false, true]) {
      const compiled = compileExpression(source, ignoresCase)
      assert.ok(compiled.ok, source)
      for (let i = 0; i < 640; i++) {
        const plain = `/${Array.from({ length: random(6) }, () => LETTERS[random(LETTERS.length)]).join('')}`
        if (/\/\.{1,2}(?:\/|$)/.test(plain)) continue // told: no server is asked for it
        const sent = encodedPath(plain).replace(/%..|[^/%]/g, (each) =>
          each.length === 3
            ? random(3) === 0 && !/%(?:2F|25|3F)/.test(each)
              ? each.toLowerCase()
              : each
            : random(6) === 0
              ? `%${each.charCodeAt(0).toString(16)}`
              : each,
        )
        const meant: readonly string[] | null = compiled.value.match(plainPath(sent))?.slice(0, 3) ?? null
        if (meant !== null) matched++
        assert.deepEqual(written(source, ignoresCase, sent), meant, `${source} ${ignoresCase} ${sent}`)
      }
    }
  assert.ok(matched > 2_000, `${matched} matched`)
})

for (const source of ['^/(a*)*$', '^/(?:a|a)*$', '^/(?:a|ab)*$', '^/(?:[^/]+/?)*$', '^/(?:a?){30}$'])
  test(`an expression that would keep other servers busy for ever is not written: ${source}`, () => {
    const part = partOf(source, false)
    assert.equal(part === null ? null : sentPath(part, ALL), 'slow')
  })

for (const source of ['^/\\bword$', '(?U)^/a+', '^/\\p{L}+$', `^/${'ü'.repeat(300)}(.*)$`])
  test(`what cannot be written is left out and named: ${source.slice(0, 20)}`, () => {
    const drafts = [draftOf({ from: source, to: '/x/', match: 'expression' }), draftOf({ from: '/a', to: '/b' })]
    for (const { text, unsaid } of [
      writeHttpd(drafts, { tolerance: TOLERANCE, hosts: ['a.example'], say: inWords }),
      writeNginx(drafts, { tolerance: TOLERANCE, hosts: ['a.example'], say: inWords }),
    ]) {
      assert.deepEqual(
        unsaid.map(({ draft }) => draft),
        drafts.slice(0, 1),
      )
      assert.ok(text.includes(`# Left out: ${source} to /x/. `))
    }
  })

test('what a map of nginx can look up at once stands there as it is, and what only an expression tells as one', () => {
  const rows = ['/plain', '/Über'].map((from) => draftOf({ from, to: '/x' }))
  const { text } = writeNginx(rows, { tolerance: TOLERANCE, hosts: ['a.example'], say: inWords })
  assert.match(text, /^ {2}"\/plain" "301 \/x\$is_args\$args";$/m)
  assert.match(text, /^ {2}"~\*\^\/\(\?:[üÜ]\|[üÜ]\)ber\$"/mu)
  const strict = writeNginx(rows, { tolerance: { ignoresCase: false, ignoresSlash: false }, hosts: ['a.example'], say: inWords }).text
  assert.match(strict, /^ {2}"~\^\/plain\$" /m)
})
