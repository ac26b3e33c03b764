import assert from 'node:assert/strict'
import { test } from 'node:test'
import { usualSpelling, utmOf, withUtm } from '../../../src/core/utm/index.ts'

const written = [
  [
    'puts them behind what is there',
    'https://a.example/x?p=4471#top',
    { utm_source: 'mail' },
    'https://a.example/x?p=4471&utm_source=mail#top',
  ],
  [
    'writes one in place of the one that is there',
    'https://a.example/?utm_source=old&p=1',
    { utm_source: 'new' },
    'https://a.example/?p=1&utm_source=new',
  ],
  ['takes one away', 'https://a.example/?utm_source=old&p=1', { utm_source: '' }, 'https://a.example/?p=1'],
  [
    'leaves those alone that are not named',
    'https://a.example/?utm_medium=print',
    { utm_source: 'a b' },
    'https://a.example/?utm_medium=print&utm_source=a%20b',
  ],
  [
    'leaves the rest of the query as it is written',
    'https://a.example/?q=a+b&Q=%7e',
    { utm_source: 's' },
    'https://a.example/?q=a+b&Q=%7e&utm_source=s',
  ],
  ['changes nothing where it says so already', 'https://a.example/?utm_source=s', { utm_source: 's' }, 'https://a.example/?utm_source=s'],
  ['leaves alone what is no address', 'nowhere', { utm_source: 's' }, 'nowhere'],
] as const
for (const [name, address, utm, expected] of written)
  test(name, () => {
    assert.equal(withUtm(address, utm), expected)
    assert.equal(withUtm(expected, utm), expected)
  })

test('what was written is read back', () => {
  const utm = { utm_source: 'Harbour board', utm_campaign: 'quiet&season' }
  assert.deepEqual(utmOf(withUtm('https://a.example/', utm)), utm)
})

test('another spelling of a usual value is caught, a new one and the usual one are not', () => {
  const known = ['email', 'print', 'E-Mail']
  assert.deepEqual(
    ['E-mail', 'e_mail', 'EMAIL', 'email', 'social', '', 'E-Mail'].map((value) => usualSpelling(value, known)),
    ['email', 'email', 'email', null, null, null, 'email'],
  )
})
