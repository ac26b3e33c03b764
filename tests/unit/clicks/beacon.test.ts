import assert from 'node:assert/strict'
import { test } from 'node:test'
import vm from 'node:vm'
import { gzipSync } from 'node:zlib'
import fc from 'fast-check'
import { COUNT_PATH, COUNT_SCRIPT, countingTag, isWholePage, readBeacon } from '../../../src/core/clicks/index.ts'

/** A page as the script sees it: two links out, one within, and what it sends. */
function aPage(signals: { globalPrivacyControl?: boolean; prerendering?: boolean } = {}) {
  const sent: unknown[] = []
  const heard: Record<string, (event: unknown) => void> = {}
  const link = (href: string) => ({ href, protocol: new URL(href).protocol, host: new URL(href).host })
  const links = [link('https://gannet.example/cap'), link('https://slow-ferry.example/b'), link('https://gannet.example/cap')]
  const document = {
    links,
    referrer: 'https://news.example/today?x=1',
    prerendering: signals.prerendering === true,
    addEventListener: (name: string, hear: () => void) => {
      heard[name] = hear
    },
  }
  const sendBeacon = (to: string, body: string): void => {
    assert.equal(to, COUNT_PATH)
    sent.push(readBeacon(body))
  }
  vm.runInNewContext(COUNT_SCRIPT, {
    document,
    location: new URL('https://slow-ferry.example/walks/low?x=1'),
    navigator: { sendBeacon, globalPrivacyControl: signals.globalPrivacyControl },
    addEventListener: (name: string, hear: (event: unknown) => void) => {
      heard[name] = hear
    },
  })
  const click = (at: number, button = 0): void =>
    heard[button === 0 ? 'click' : 'auxclick']?.({ button, target: { closest: () => links[at] } })
  return { sent, heard, click }
}
const VIEW = { kind: 'view', path: '/walks/low', address: 'news.example', nth: 0 }

test('the script tells of a view and of links out, by which of those to the same address it was', () => {
  const { sent, click, heard } = aPage()
  click(2)
  click(1)
  click(0, 1)
  heard.pageshow?.({ persisted: false })
  heard.pageshow?.({ persisted: true })
  const out = { kind: 'link', path: '/walks/low', address: 'https://gannet.example/cap' }
  assert.deepEqual(sent, [VIEW, { ...out, nth: 1 }, { ...out, nth: 0 }, VIEW])
})

test('it does nothing where the browser says no, and counts a page loaded ahead when it is shown', () => {
  assert.deepEqual(aPage({ globalPrivacyControl: true }).sent, [])
  const { sent, heard } = aPage({ prerendering: true })
  assert.deepEqual(sent, [])
  heard.prerenderingchange?.({})
  assert.deepEqual(sent, [VIEW])
})

test('it is under a kilobyte on its way, and knows neither cookies nor storage', () => {
  assert.ok(gzipSync(COUNT_SCRIPT).length < 1_000)
  assert.doesNotMatch(COUNT_SCRIPT, /cookie|Storage|setAttribute|\.href\s*=[^=]/)
})

test('what a page sends is read, and what anybody else sends is nothing (seeded)', () => {
  assert.deepEqual(readBeacon('["v","/a",""]'), { kind: 'view', path: '/a', address: '', nth: 0 })
  assert.equal(readBeacon('["o","/a","https://x.example/",3000]')?.nth, 99)
  for (const refused of [
    '',
    '[',
    '["v","a",""]',
    '["v","/a b",""]',
    '["o","/a","javascript:x",0]',
    '["o","/a","https://x.example/\\t",0]',
    '["o","/a","https://x.example/\\u0000",0]',
    '["o","/a","https://x.example/\\ud800",0]',
    '["v","/a\\u0085b",""]',
    '["o","/a","https://x.example/",-1]',
    `["v","/${'a'.repeat(5_000)}",""]`,
  ])
    assert.equal(readBeacon(refused), null, refused.slice(0, 40))
  fc.assert(
    fc.property(fc.oneof(fc.string(), fc.json()), (text) => {
      const read = readBeacon(text)
      assert.ok(read === null || !/[\s\\\p{Cc}\p{Cs}]/u.test(read.path + read.address))
    }),
    { seed: 4, numRuns: 2_000 },
  )
})

test('whatever stands in an address that a page sends, what is taken can be stored (every code point)', () => {
  for (let code = 0; code <= 0x10ffff; code += code < 0x3000 ? 1 : 97) {
    const sign = String.fromCodePoint(code)
    for (const said of [
      ['o', '/a', `https://x.example/${sign}`, 0],
      ['v', `/${sign}`, `https://${sign}x.example/`],
    ]) {
      const read = readBeacon(JSON.stringify(said))
      assert.ok(read === null || !/[\s\\\p{Cc}\p{Cs}]/u.test(read.path + read.address), code.toString(16))
    }
  }
})

const TAGS: readonly (readonly [policy: string, allows: boolean | string])[] = [
  ["default-src 'self'", true],
  ["script-src 'self' https://cdn.example; connect-src 'self'", true],
  ["script-src 'nonce-abc123' 'strict-dynamic'", 'abc123'],
  ["script-src 'sha256-xyz='", false],
  ["script-src 'none'", false],
  ['script-src https://cdn.example', false],
  ["script-src 'self' 'strict-dynamic'", false],
  ["script-src 'self'; connect-src 'none'", false],
  ["script-src-elem 'none'; script-src 'self'", false],
  ["default-src 'none'; script-src 'self'; connect-src 'self'", true],
  ["img-src 'none'", true],
  ['sandbox allow-forms', false],
  ["script-src 'self'; script-src 'none'", true],
  ["default-src 'self', script-src 'none'", false],
]
for (const [policy, allows] of TAGS)
  test(`under the policy “${policy}” the script is ${allows === false ? 'left out' : 'put in'}`, () => {
    const tag = countingTag([policy])
    if (allows === false) assert.equal(tag, null)
    else assert.equal(tag?.includes(' nonce='), typeof allows === 'string')
  })

test('a piece of markup that another page puts in is no page', () => {
  for (const page of ['<!doctype html><p>', '\ufeff<!-- x --> <!DOCTYPE HTML>', '<?xml version="1.0"?><html lang="en">'])
    assert.ok(isWholePage(page), page)
  for (const piece of ['<p>x', '<htmlx>', 'text', '<!-- <!doctype html>']) assert.ok(!isWholePage(piece), piece)
})
