import assert from 'node:assert/strict'
import { test } from 'node:test'
import { looksLikeSubId, PartnerLinks, type PartnerTerms, subIdOf } from '../../../src/core/partners/index.ts'

const partner = (name: string, more: Partial<PartnerTerms>): PartnerTerms => ({
  ...{ id: name, name, sites: [`${name}.example`], template: '', account: '4471', allows: 'any page', isEnded: false },
  ...more,
})
const links = new PartnerLinks([
  partner('kiosk', { template: '{url}?p={account}&s={sub}' }),
  partner('beds', { template: 'https://tide.example/c/{account}?to={url}&s={sub}' }),
  partner('books', { template: 'https://tide.example/c/{account}?shop=books&to={url}', account: '9' }),
  partner('ended', { template: '{url}?p={account}', isEnded: true }),
  partner('front', { template: 'https://front.example/in/{account}', allows: 'front page' }),
  partner('plain', {}),
])
const linkOf = (address: string, sub = 'k2') => {
  const found = links.link(address, sub)
  return found.ok ? [found.value.address, found.value.partner.name, found.value.already, found.value.otherAccount] : found.fault
}

test('a page of a partner’s becomes the partner link', () => {
  assert.deepEqual(linkOf('https://www.kiosk.example/sheet?scale=25'), [
    'https://www.kiosk.example/sheet?scale=25&p=4471&s=k2',
    'kiosk',
    false,
    null,
  ])
  assert.deepEqual(linkOf('https://beds.example/'), [
    'https://tide.example/c/4471?to=https%3A%2F%2Fbeds.example%2F&s=k2',
    'beds',
    false,
    null,
  ])
  assert.deepEqual(linkOf('https://plain.example/a'), ['https://plain.example/a', 'plain', true, null])
})

test('what is our link already stays as it is; somebody else’s gets our number, once', () => {
  const own = 'https://kiosk.example/a?p=4471&s=zz'
  assert.deepEqual(linkOf(own), [own, 'kiosk', true, null])
  assert.deepEqual(linkOf('https://kiosk.example/a?p=1&s=zz', ''), ['https://kiosk.example/a?p=4471&s=zz', 'kiosk', false, '1'])
  assert.deepEqual(linkOf('https://tide.example/c/77?to=https%3A%2F%2Fbeds.example%2Fx'), [
    'https://tide.example/c/4471?to=https%3A%2F%2Fbeds.example%2Fx&s=k2',
    'beds',
    false,
    '77',
  ])
})

test('what cannot be linked says why', () => {
  assert.equal(linkOf('https://nobody.example/'), 'no-partner')
  assert.equal(linkOf('https://ended.example/a'), 'programme-ended')
  assert.equal(linkOf('https://front.example/deep'), 'deep-link-refused')
  assert.deepEqual(linkOf('https://front.example/'), ['https://front.example/in/4471', 'front', false, null])
})

test('a sub-ID is the same for the same place, another one elsewhere, and no number to a spreadsheet', () => {
  const seen = new Set<string>()
  for (let page = 0; page < 2_000; page++)
    for (let nth = 0; nth < 3; nth++) seen.add(subIdOf(`page-${page}`, 'https://kiosk.example/', nth))
  assert.equal(seen.size, 6_000)
  for (const id of seen) assert.ok(looksLikeSubId(id) && /^[a-z][a-z0-9]{7}$/.test(id), id)
  assert.equal(subIdOf('a', 'b', 0), subIdOf('a', 'b', 0))
})
