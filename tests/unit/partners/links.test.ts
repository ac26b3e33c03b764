import assert from 'node:assert/strict'
import { test } from 'node:test'
import { carriesAccount, partnerLink, templateFault } from '../../../src/core/partners/index.ts'

const BUILT: readonly (readonly [template: string, destination: string, expected: string])[] = [
  ['', 'https://shop.example/a', 'https://shop.example/a'],
  ['{url}?p={account}', 'https://shop.example/a', 'https://shop.example/a?p=44%2071'],
  ['{url}?p={account}', 'https://shop.example/a?b=1#c', 'https://shop.example/a?b=1&p=44%2071#c'],
  [
    'https://net.example/c/{account}?to={url}&s={sub}',
    'https://shop.example/a?b=1',
    'https://net.example/c/44%2071?to=https%3A%2F%2Fshop.example%2Fa%3Fb%3D1&s=%2Fx%20y',
  ],
  ['https://net.example/{account}?to={path}', 'https://shop.example/a?b=1', 'https://net.example/44%2071?to=%2Fa%3Fb%3D1'],
]
for (const [template, destination, expected] of BUILT) {
  test(`"${template}" for ${destination}`, () => {
    assert.deepEqual(partnerLink(template, { account: '44 71', destination, sub: '/x y' }), { ok: true, value: expected })
  })
}

test('a template is checked as it is written', () => {
  assert.equal(templateFault('{url}?p={account}'), null)
  assert.equal(templateFault('{url}?p={number}')?.fault, 'template-unknown-placeholder')
  assert.equal(templateFault('https://net.example/{account}')?.fault, 'template-without-destination')
  assert.equal(templateFault('net.example/{url}')?.fault, 'template-not-an-address')
  assert.equal(templateFault('javascript:{url}')?.fault, 'template-not-an-address')
})

test('an address that carries our number is told from one that does not', () => {
  assert.equal(carriesAccount('https://s.example/?p=4471', '4471'), true)
  assert.equal(carriesAccount('https://n.example/c/4471/x', '4471'), true)
  assert.equal(carriesAccount('https://s.example/44710?p=14471', '4471'), false)
  assert.equal(carriesAccount('https://s.example/', ''), false)
})
