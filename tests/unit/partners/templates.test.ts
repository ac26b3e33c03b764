import assert from 'node:assert/strict'
import { test } from 'node:test'
import { seeded } from '../../../demo/random.ts'
import { buildLink, readTemplate, takeApart } from '../../../src/core/partners/index.ts'

const read = (template: string) => {
  const found = readTemplate(template)
  assert.ok(found.ok, template)
  return found.value
}

/** Each place encoded as its position asks. */
const BUILT: readonly (readonly [what: string, template: string, destination: string, expected: string])[] = [
  ['an address that goes on', '{url}?p={account}', 'https://shop.example/a', 'https://shop.example/a?p=44%2071'],
  ['its query and fragment stay', '{url}?p={account}', 'https://shop.example/a?b=1#c', 'https://shop.example/a?b=1&p=44%2071#c'],
  [
    'a parameter that is there is not doubled',
    '{url}?p={account}',
    'https://shop.example/a?p=9&b=1',
    'https://shop.example/a?b=1&p=44%2071',
  ],
  [
    'an address in a query',
    'https://net.example/c/{account}?to={url}&s={sub}',
    'https://shop.example/a?b=1&c=2',
    'https://net.example/c/44%2071?to=https%3A%2F%2Fshop.example%2Fa%3Fb%3D1%26c%3D2&s=x9',
  ],
  [
    'an address in an address in a query: encoded twice',
    'https://net.example/t?u=https%3A%2F%2Fmid.example%2Fgo%3Fto%3D{url}%26a%3D{account}',
    'https://shop.example/a?b=1',
    'https://net.example/t?u=https%3A%2F%2Fmid.example%2Fgo%3Fto%3Dhttps%253A%252F%252Fshop.example%252Fa%253Fb%253D1%26a%3D44%252071',
  ],
  [
    'the same, written without encoding',
    'https://net.example/t?u=https://mid.example/go?to={url}&a={account}',
    'https://shop.example/a',
    'https://net.example/t?u=https%3A%2F%2Fmid.example%2Fgo%3Fto%3Dhttps%253A%252F%252Fshop.example%252Fa&a=44%2071',
  ],
  [
    'a path that goes on from a host',
    'https://go.shop.example{path}?p={account}',
    'https://shop.example/a/b?c=1#d',
    'https://go.shop.example/a/b?c=1&p=44%2071#d',
  ],
  [
    'a host with its slash',
    'https://go.shop.example/{path}?p={account}',
    'https://shop.example/a/b',
    'https://go.shop.example/a/b?p=44%2071',
  ],
  [
    'a path in a query',
    'https://net.example/{account}?to={path}',
    'https://shop.example/a?b=1',
    'https://net.example/44%2071?to=%2Fa%3Fb%3D1',
  ],
  [
    'an address in a path',
    'https://net.example/{account}/{url}',
    'https://shop.example/a',
    'https://net.example/44%2071/https%3A%2F%2Fshop.example%2Fa',
  ],
  ['a fragment', '{url}#ref={account}', 'https://shop.example/a#old', 'https://shop.example/a#ref=44%2071'],
]
for (const [what, template, destination, expected] of BUILT)
  test(`${what}: ${template}`, () => {
    assert.deepEqual(buildLink(read(template), { account: '44 71', destination, sub: 'x9' }), { ok: true, value: expected })
  })

test('a parameter for a sub-ID is left out where there is none', () => {
  const built = buildLink(read('{url}?p={account}&s={sub}'), { account: '1', destination: 'https://shop.example/', sub: '' })
  assert.deepEqual(built, { ok: true, value: 'https://shop.example/?p=1' })
})

test('a template that cannot work is refused as it is written, with what is wrong', () => {
  const faultOf = (template: string): string => {
    const found = readTemplate(template)
    return found.ok ? '' : found.fault
  }
  assert.equal(faultOf('{url}?p={number}'), 'template-unknown-placeholder')
  assert.equal(faultOf('{url}?p={constructor}'), 'template-unknown-placeholder')
  assert.equal(faultOf('{url}?p={account'), 'template-unclosed')
  assert.equal(faultOf('{url}?p=account}'), 'template-unclosed')
  assert.equal(faultOf('{url}?p=4471'), 'template-without-account')
  assert.equal(faultOf('https://net.example/{account}'), 'template-without-destination')
  assert.equal(faultOf('net.example/{account}/{url}'), 'template-not-an-address')
  assert.equal(faultOf('javascript:{account}{url}'), 'template-places-touch')
  assert.equal(faultOf('javascript:{account}/{url}'), 'template-not-an-address')
  assert.equal(readTemplate('https://net.example/{account}', 'front page').ok, true)
})

const TEMPLATES = [
  '{url}?p={account}',
  '{url}?p={account}&s={sub}#x',
  '{url}?fix=1&aff={account}-{sub}',
  'https://net.example/c/{account}/{sub}?to={url}',
  'https://NET.example:443/c?a={account}&u={url}&s={sub}',
  'https://net.example/t?u=https%3A%2F%2Fmid.example%2Fgo%3Fto%3D{url}%26s%3D{sub}&a={account}',
  'https://a.example/?u=https%3A%2F%2Fb.example%2F%3Fu%3Dhttps%253A%252F%252Fc.example%252F%253Fu%253D{url}%2526a%253D{account}',
  'https://shop.example{path}?ref={account}',
  'https://net.example/{account}?to={path}&s={sub}',
]
const PIECES = ['a', 'b c', 'é', '100%', 'x/y', 'q=1', '&', '+', 'ß', '{url}', '~', '"', '#h', '漢']

test('what was built is taken apart into what it was built from (400 seeded links)', () => {
  for (let seed = 1; seed <= 400; seed++) {
    const random = seeded(seed)
    const pick = <T>(of: readonly T[]): T => of[Math.floor(random() * of.length)] as T
    const template = read(pick(TEMPLATES))
    const url = new URL(`https://shop.example/${encodeURIComponent(pick(PIECES))}/${encodeURIComponent(pick(PIECES))}`)
    for (let i = Math.floor(random() * 3); i > 0; i--) url.searchParams.append(`k${i}`, pick(PIECES))
    if (random() < 0.3 && template.fragment === null) url.hash = pick(['#part', '#a%20b'])
    const hasSub = JSON.stringify(template).includes('"sub"')
    const facts = {
      account: pick(['4471', 'slow ferry', 'a/b&c', 'é1']),
      destination: url.href,
      sub: hasSub ? pick(['', 'k2f9', 'x7']) : '',
    }
    if (hasSub && facts.sub === '' && JSON.stringify(template).includes('"text":"-"')) continue
    if (hasSub && facts.sub === '' && template.path.some((part) => part.is === 'place' && part.name === 'sub')) continue
    const built = buildLink(template, facts)
    assert.ok(built.ok)
    for (const account of [facts.account, null])
      assert.deepEqual(takeApart(template, built.value, { account, home: 'https://shop.example' }), facts, `seed ${seed}: ${built.value}`)
    // Built again from what it is, it is the same: nothing is doubled.
    assert.deepEqual(buildLink(template, facts), built)
  }
})

test('an address that was not built from a template is none of its links', () => {
  const template = read('https://net.example/c/{account}?to={url}')
  for (const address of [
    'https://shop.example/a',
    'https://net.example/c/1',
    'https://net.example/d/1?to=https%3A%2F%2Fx.example',
    'not one',
    'https://net.example/c/?to=x',
  ])
    assert.equal(takeApart(template, address, { account: null, home: 'https://shop.example' }), null, address)
  assert.equal(takeApart(template, 'https://net.example/c/2?to=https%3A%2F%2Fx.example%2F', { account: '1', home: '' }), null)
})

test('a long hostile address is taken apart in linear time', () => {
  const template = read('https://net.example/{account}-{sub}-{path}-x')
  const startedAt = performance.now()
  takeApart(template, `https://net.example/${'-'.repeat(200_000)}`, { account: null, home: 'https://shop.example' })
  assert.ok(performance.now() - startedAt < 500)
})
