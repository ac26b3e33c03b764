import assert from 'node:assert/strict'
import { test } from 'node:test'
import {
  becauseOf,
  compileSite,
  deliverPage,
  foresee,
  isPaid,
  type Rule,
  ruleStream,
  type SiteSetup,
  withShortLinks,
} from '../../../src/core/rules/index.ts'
import { inWords } from '../../../src/words/index.ts'

const GANNET = { id: 'g', name: 'Gannet', sites: ['gannet.example'], template: '{url}?p={account}', account: '4471' }
const BEDS = { id: 'b', name: 'Beds', sites: ['beds.example'], template: 'https://go.tidemark.example/c?a={account}&u={url}', account: '7' }
const MAPS = { id: 'm', name: 'Maps', sites: ['maps.example'], template: 'https://go.tidemark.example/m/{account}?u={url}', account: '7' }
const rule = (when: Rule['when'], what: Rule['what'], isBinding = false): Rule => ({
  id: 'r',
  name: 'own words',
  isOn: true,
  isBinding,
  when,
  what,
})

const siteOf = (more: Partial<SiteSetup> = {}) =>
  withShortLinks(
    compileSite(
      {
        siteId: 's',
        name: 'S',
        hosts: [
          { id: 'h', host: 'slow-ferry.example', kind: 'site', prefix: '' },
          { id: 'k', host: 'sferry.example', kind: 'short', prefix: 'go' },
        ],
        partners: [GANNET, BEDS, MAPS],
        rules: [],
        ...more,
      },
      443,
    ),
    (_host, slug) => (slug === 'smock' ? 'https://gannet.example/smock' : slug === 'net' ? 'https://go.tidemark.example/m/7?u=x' : null),
  )
/** By address, whether a link to it goes out as paid; asked in the three ways there are, which have to agree. */
function paidOf(site: ReturnType<typeof siteOf>, href: string, attributes = ''): boolean {
  const html = `<p><a${attributes} href="${href.replaceAll('&', '&amp;')}">x</a></p>`
  const page = deliverPage(html, site.rules, site.around('/a.html'), site.findShortLink)
  const stream = ruleStream(site.rules, site.around('/a.html'), site.findShortLink, 'utf-8')
  const bytes = new TextEncoder().encode(html)
  const passed = Buffer.concat([...stream.push(bytes), ...stream.end()]).toString()
  assert.equal(passed, page.html, href)
  const [link] = page.delivered
  const paid = isPaid(link?.decision.rel ?? null)
  if (attributes === '') assert.equal(isPaid(foresee(site, href, '/a.html').rel), paid, href)
  assert.equal(page.html.includes('sponsored'), paid, href)
  return paid
}

const TO_PARTNERS = [
  'https://gannet.example/smock',
  'https://www.gannet.example/smock?p=4471',
  'https://sferry.example/go/smock',
  'https://go.tidemark.example/c?a=7&u=https%3A%2F%2Fbeds.example%2Floft',
  'https://go.tidemark.example/m/7?u=https%3A%2F%2Fmaps.example%2Fskarrow',
  'https://go.tidemark.example/c?a=999&u=https%3A%2F%2Fbeds.example%2Floft',
  'https://sferry.example/go/net',
]

test('a link to a partner is paid where nothing else speaks, also by a short link and through a network', () => {
  const site = siteOf()
  for (const href of TO_PARTNERS) assert.equal(paidOf(site, href), true, href)
  for (const href of ['https://tides.example/', '/b.html', 'mailto:a@b.example', 'https://sferry.example/go/none'])
    assert.equal(paidOf(site, href), false, href)
})

test('the site can say that partners’ links are not paid, and a partner for itself, either way', () => {
  const [straight, , , beds, maps] = TO_PARTNERS as [string, string, string, string, string]
  assert.deepEqual(
    [straight, beds, maps].map((href) => paidOf(siteOf({ partnersArePaid: false }), href)),
    [false, false, false],
  )
  const one = siteOf({ partnersArePaid: false, partners: [GANNET, { ...BEDS, isPaid: true }, MAPS] })
  assert.deepEqual(
    [straight, beds, maps].map((href) => paidOf(one, href)),
    [false, true, false],
  )
  const other = siteOf({ partners: [{ ...GANNET, isPaid: false }, BEDS, { ...MAPS, isPaid: null }] })
  assert.deepEqual(
    [straight, beds, maps].map((href) => paidOf(other, href)),
    [false, true, true],
  )
})

test('rules and hands come before it, and each decision says who made it', () => {
  const href = 'https://gannet.example/smock'
  const why = (site: ReturnType<typeof siteOf>, tag: string) => {
    const [link] = deliverPage(`<a ${tag} href="${href}">x</a>`, site.rules, site.around('/a.html'), site.findShortLink).delivered
    return [link?.decision.rel, link === undefined ? '' : inWords(becauseOf(link.decision).rel)]
  }
  assert.deepEqual(why(siteOf(), 'rel="me nofollow"'), ['me nofollow sponsored', 'links to partners are paid'])
  assert.deepEqual(why(siteOf(), 'data-by-hand="hints"'), [null, 'set by hand'])
  assert.deepEqual(why(siteOf({ rules: [rule({ is: 'kind', of: ['outside'] }, { hints: [] })] }), ''), [null, 'rule 1: own words'])
  assert.deepEqual(why(siteOf({ rules: [rule({ is: 'kind', of: ['outside'] }, { opens: 'new tab' })] }), ''), [
    'sponsored nofollow noopener',
    'links to partners are paid; noopener: rule 1: own words',
  ])
  assert.deepEqual(
    why(siteOf({ rules: [rule({ is: 'partner' }, { hints: ['sponsored'] }, true)] }), 'data-by-hand="hints"')[0],
    'sponsored',
  )
})

test('a draft of the rules is judged by what it says of partners, not by what is in force', () => {
  const site = siteOf({ partnersArePaid: false })
  const [facts] = deliverPage(`<a href="https://gannet.example/">x</a>`, site.rules, site.around('/'), site.findShortLink).delivered
  assert.equal(facts?.facts.pays, false)
  const draft = site.compile({ rules: [], partnersArePaid: true })
  assert.deepEqual(
    draft.map(({ matches }) => facts !== undefined && matches(facts.facts)),
    [true],
  )
})
