import assert from 'node:assert/strict'
import { test } from 'node:test'
import { deliverBytes } from '../../../src/core/content/index.ts'
import { NO_DISCLOSURE } from '../../../src/core/disclosure/index.ts'
import { type CompiledSite, compileSite, deliverPage, ruleStream, withShortLinks } from '../../../src/core/rules/index.ts'

const TOLD = { ...NO_DISCLOSURE, text: 'Some links pay us.', short: 'Paid – link', language: 'en' }
const siteWith = (disclosure: typeof TOLD): CompiledSite =>
  withShortLinks(
    compileSite(
      {
        siteId: 's',
        name: 'The Slow Ferry',
        hosts: [{ id: 'h', host: 'slow-ferry.example', kind: 'site', prefix: '' }],
        partners: [{ id: 'g', name: 'Gannet & Line', sites: ['gannet.example'], template: '', account: '' }],
        disclosure,
        rules: [{ id: 'r', name: 'paid', isOn: true, isBinding: false, when: { is: 'partner' }, what: { hints: ['sponsored'] } }],
      },
      4300,
    ),
    () => null,
  )
const delivered = (html: string, disclosure: typeof TOLD): string => {
  const out = deliverBytes(Buffer.from(html), 'utf-8', siteWith(disclosure), { path: '/x' })
  return out.ok ? Buffer.from(out.value).toString() : 'refused'
}
const throughDoor = (html: string, disclosure: typeof TOLD, encoding = 'utf-8'): string => {
  const site = siteWith(disclosure)
  const stream = ruleStream(site.rules, site.around('/x', { isTheirs: true }), site.findShortLink, encoding)
  const bytes = Buffer.from(html, 'latin1')
  return Buffer.concat([...stream.push(bytes.subarray(0, 9)), ...stream.push(bytes.subarray(9)), ...stream.end()]).toString('latin1')
}

const PAGE =
  '<p>An <a href="https://other.example/">other</a>, <a href="https://gannet.example/cap">cap</a>, <a href=https://gannet.example/a>a</a>'
const SMALL = '<small lang="en">Paid &#8211; link</small> '

test('each paid link says so in front of its words, and no other link does', () => {
  const out = delivered(PAGE, TOLD)
  assert.equal(out.split('<small').length - 1, 2)
  assert.match(out, /<a href="https:\/\/other\.example\/">other</)
  for (const words of ['cap', 'a']) assert.ok(out.includes(` rel="sponsored" data-paid-words="Paid &#8211; link">${SMALL}${words}`), out)
})

test('a page that passes twice is told once, whole and as it streams', () => {
  const once = delivered(PAGE, { ...TOLD, isDelivered: true })
  assert.equal(delivered(once, { ...TOLD, isDelivered: true }), once)
  const passed = throughDoor(PAGE, { ...TOLD, isAtDoors: true })
  assert.equal(throughDoor(passed, { ...TOLD, isAtDoors: true }), passed)
})

test('a page that lacks the disclosure is delivered with it, above the first link that the rules call paid; what is stored stays', () => {
  const out = delivered(PAGE, { ...TOLD, short: '', isDelivered: true })
  assert.ok(out.startsWith('<p role="note" data-disclosure lang="en">Some links pay us.</p>\n<p>An '), out)
  assert.equal(delivered('<p><a href="/own">own</a>', { ...TOLD, isDelivered: true }), '<p><a href="/own">own</a>')
})

test('a page of another site is told within its line, in front of the first paid link, only where the site asks for it', () => {
  const asked = { ...TOLD, isAtDoors: true }
  const note = '<span role="note" lang="en">Some links pay us.</span> '
  assert.equal(throughDoor(PAGE, asked).split(note).length - 1, 1)
  assert.ok(throughDoor(PAGE, asked).includes(`</a>, ${note}<a href="https://gannet.example/cap"`))
  assert.ok(!throughDoor(PAGE, TOLD).includes('Some links'))
  // Its bytes are none that UTF-8 could hold: the words are written so that any encoding can.
  const old = '<p>Caf\xe9 <a href="https://gannet.example/cap">caf\xe9</a>'
  assert.ok(throughDoor(old, asked, 'windows-1252').includes(`>${SMALL}caf\xe9</a>`))
})

test('a link in a drawing is left as it is: words have no place there', () => {
  const drawing = '<svg><a href="https://gannet.example/x"><text>x</text></a></svg>'
  assert.equal(
    deliverPage(drawing, siteWith(TOLD).rules, siteWith(TOLD).around('/x'), () => null).html,
    drawing.replace('"https://gannet.example/x"', '"https://gannet.example/x" rel="sponsored"'),
  )
  assert.equal(throughDoor(drawing, { ...TOLD, isAtDoors: true }).includes('small'), false)
})
