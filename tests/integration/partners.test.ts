import assert from 'node:assert/strict'
import { once } from 'node:events'
import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { before, test } from 'node:test'
import type { ReportLayout } from '../../src/contract/earnings.ts'
import type { Partner } from '../../src/contract/partners.ts'
import { NO_DISCLOSURE } from '../../src/core/disclosure/index.ts'
import { rows } from '../../src/data/database.ts'
import { openLogIn, rekeyLogIns, sealLogIn } from '../../src/services/partners/index.ts'
import { bringIn, makeWorld, must, pageAt, type World, zipOf } from './world.ts'

const PROSE = `<html lang="en"><title>Packing</title><h1>Packing</h1>
<p>Bring a waxed smock for the low path, since nobody has ever come back dry from it without one, and nobody who came back dry has ever said how it was done.</p>
<p>There is a bunkhouse above the quay, and it is warm enough for those who came without a tent or a plan, or with a plan that had no tent in it and a tent that had no poles.</p>
<p>Of the waxed smocks that hang there, one has hung there since the war, and nobody asks which war that was.</p>`
const PAID = '<html lang="en"><title>Paid</title><h1>Paid</h1><p>Buy <a href="https://gannet.example/smock?p=4471">the smock</a>.</p>'

let world: World
let gannet: Partner
let beds: Partner
before(async () => {
  world = await makeWorld()
  await bringIn(
    world,
    zipOf({
      'packing.html': PROSE,
      'paid.html': PAID,
      'inside.html': '<title>Inside</title><h1>Inside</h1><p>Nothing here is for sale.</p>',
    }),
  )
  const { services, owner } = world
  gannet = must(
    await services.partners.create(owner, {
      name: 'Gannet',
      sites: ['gannet.example'],
      template: '{url}?p={account}&s={sub}',
      account: '4471',
    }),
  )
  beds = must(
    await services.partners.create(owner, {
      name: 'Beds',
      sites: ['https://www.beds.example/rooms'],
      commission: { kind: 'percent', percent: 6 },
    }),
  )
})
const faultOf = (result: { ok: boolean; fault?: string }): string => (result.ok ? '' : (result.fault ?? ''))

test('a partner keeps all its facts; what is left out of a change stays; two people at once are told', async () => {
  const { services, owner, editor } = world
  const facts = {
    what: 'rooms',
    cookieDays: 14,
    currency: 'GBP',
    payout: { method: 'bank', every: 'month', day: 28, afterMonths: 1, threshold: 2_500 },
  } as const
  const changed = must(await services.partners.change(owner, beds.id, { name: 'Beds', sites: beds.sites, version: beds.version, ...facts }))
  assert.deepEqual(
    [changed.what, changed.cookieDays, changed.currency, changed.payout, changed.commission],
    [facts.what, 14, 'GBP', facts.payout, { kind: 'percent', percent: 6 }],
  )
  assert.equal(
    faultOf(await services.partners.change(editor, beds.id, { name: 'Beds', sites: beds.sites, version: beds.version })),
    'moved-on',
  )
  beds = must(
    await services.partners.change(owner, beds.id, { name: 'Beds', sites: beds.sites, version: changed.version, currency: 'EUR' }),
  )
  assert.equal(beds.cookieDays, 14)
})

test('what cannot be a partner is refused with what is wrong', async () => {
  const { services, owner } = world
  const make = async (more: object): Promise<string> =>
    faultOf(await services.partners.create(owner, { name: 'Other', sites: ['other.example'], ...more }))
  assert.equal(await make({ sites: ['shop.gannet.example'] }), 'sites-overlap')
  assert.equal(await make({ sites: [] }), 'sites-missing')
  assert.equal(await make({ template: '{url}?p={account}' }), 'template-without-account')
  assert.equal(await make({ template: '{url}?p={number}', account: '1' }), 'template-unknown-placeholder')
  assert.equal(await make({ networkId: gannet.id }), 'network-unknown')
  assert.equal(await make({ name: 'Gannet' }), 'name-taken')
  assert.equal(await make({ loginUrl: 'javascript:x' }), 'address-unreadable')
  assert.equal(must(await services.partners.list(owner)).items.length, 2)
})

const SECRET = 'low-water-at-noon'
test('a log-in is kept encrypted, shown to nobody but who asks for it, and each look is written down', async () => {
  const { services, owner, contributor, db, settings } = world
  beds = must(
    await services.partners.keepLogIn(owner, beds.id, { name: ' slow-ferry\n', password: `${SECRET}\r\n`, version: beds.version }),
  )
  assert.equal(beds.hasLogIn, true)
  assert.deepEqual(must(await services.partners.reveal(owner, beds.id)), { name: 'slow-ferry', password: SECRET })
  assert.equal(faultOf(await services.partners.reveal(contributor, beds.id)), 'forbidden')
  const everything = [
    must(await services.partners.list(owner)),
    must(await services.partners.csv(owner)),
    must(await services.partnerComparison.compare(owner)),
    await rows(db, 'SELECT to_jsonb(p) AS p FROM partners p'),
    await rows(db, 'SELECT to_jsonb(a) AS a FROM audit a'),
    await rows(db, 'SELECT to_jsonb(c) AS c FROM changes c'),
  ]
  assert.doesNotMatch(JSON.stringify(everything), new RegExp(`${SECRET}|${Buffer.from(SECRET).toString('hex')}`))
  const looks = await rows<{ action: string }>(db, `SELECT action FROM audit WHERE action = 'partners:reveal' AND subject = $1`, [beds.id])
  assert.equal(looks.length, 1)
  const sealed = sealLogIn(settings.secret, beds.id, { name: 'a', password: 'b' })
  assert.deepEqual(openLogIn(settings.secret, beds.id, sealed), { name: 'a', password: 'b' })
  assert.equal(openLogIn(settings.secret, gannet.id, sealed), null, 'it opens for nobody else')
  assert.equal(openLogIn('another secret', beds.id, sealed), null)
  for (let at = 0; at < sealed.length; at += 7) {
    const damaged = Buffer.from(sealed)
    damaged[at] = (damaged[at] ?? 0) ^ 1
    assert.equal(openLogIn(settings.secret, beds.id, damaged), null, `byte ${at}`)
  }
})

test('log-ins are kept with another secret once the old one is given', async () => {
  const { db, settings, services, owner } = world
  assert.deepEqual(await rekeyLogIns(db, 'a wrong one', 'new'), { sealed: 0, left: 1 })
  assert.deepEqual(await rekeyLogIns(db, settings.secret, 'new'), { sealed: 1, left: 0 })
  assert.equal(faultOf(await services.partners.reveal(owner, beds.id)), 'log-in-sealed')
  assert.deepEqual(await rekeyLogIns(db, 'new', settings.secret), { sealed: 1, left: 0 })
  assert.equal(must(await services.partners.reveal(owner, beds.id)).password, SECRET)
})

test('the link to a page of theirs is built, with a sub-ID of the page it hangs on, and remembered', async () => {
  const { services, owner, db } = world
  const made = must(await services.partnerLinks.create(owner, { address: 'https://gannet.example/boots', path: '/packing.html' }))
  assert.match(made.address, /^https:\/\/gannet\.example\/boots\?p=4471&s=[a-z][a-z0-9]{7}$/)
  assert.deepEqual(
    must(await services.partnerLinks.create(owner, { address: 'https://gannet.example/boots', path: '/packing.html' })),
    made,
  )
  const again = must(await services.partnerLinks.create(owner, { address: made.address, path: '/packing.html' }))
  assert.deepEqual([again.address, again.already], [made.address, true])
  assert.deepEqual(await rows(db, 'SELECT p.path FROM partner_subs s JOIN pages p ON p.id = s.page_id WHERE s.sub = $1', [made.sub]), [
    { path: '/packing.html' },
  ])
  assert.equal(faultOf(await services.partnerLinks.create(owner, { address: 'https://nobody.example/' })), 'no-partner')
})

test('partners go out as CSV without log-ins, and come in again; a bad row stops no other', async () => {
  const { services, owner } = world
  const csv = must(await services.partners.csv(owner))
  const same = must(await services.partners.bringIn(owner, csv))
  assert.deepEqual([same.made, same.changed, same.refused], [0, 2, []])
  const more = must(
    await services.partners.bringIn(owner, 'name;sites;status\nPaint;paint.example;active\nBad;;active\nWorse;gannet.example;\n'),
  )
  assert.deepEqual([more.made, more.refused.map(({ line }) => line)], [1, [3, 4]])
  assert.equal(must(await services.partners.list(owner)).items.find(({ name }) => name === 'Gannet')?.template, '{url}?p={account}&s={sub}')
})

test('phrases are chosen for a page under its limits, linked as a draft, and never suggested where they are refused', async () => {
  const { services, owner } = world
  const made = must(
    await services.phrases.create(owner, {
      destination: 'https://gannet.example/smocks/waxed',
      words: ['waxed smock', 'click here', 'waxed smock'],
      priority: 5,
    }),
  )
  assert.deepEqual(
    [made.items.length, made.refused.map(({ words }) => words)],
    [1, ['click here', 'waxed smock'].slice(0, made.refused.length)],
  )
  must(await services.phrases.create(owner, { destination: 'https://beds.example/bunks', words: ['bunkhouse'], priority: 2 }))
  assert.equal(
    faultOf(await services.phrases.create(owner, { destination: 'https://nobody.example/', words: ['tent'], priority: 3 })),
    'phrase-leads-nowhere',
  )
  const id = await pageAt(world, '/packing.html')
  const first = must(await services.phraseChoice.ofPage(owner, id))
  assert.deepEqual(first.chosen.map(({ phrase, sentence }) => [phrase, sentence.words]).sort(), [
    ['bunkhouse', 'bunkhouse'],
    ['waxed smock', 'waxed smock'],
  ])
  assert.deepEqual(
    first.left.map(({ phrase, why }) => [phrase, why]),
    [['waxed smock', 'destination linked']],
  )
  assert.equal(must(await services.phraseChoice.review(owner)).suggestions, 2)
  const smock = first.chosen.find(({ phrase }) => phrase === 'waxed smock')
  assert.ok(smock !== undefined)
  const { version } = must(await services.pages.source(owner, id))
  const taken = must(await services.phraseChoice.accept(owner, id, { phraseId: smock.phraseId, version, from: smock.from, to: smock.to }))
  const { source } = must(await services.pages.source(owner, id))
  assert.ok(source.includes(`<a href="${taken.address.replaceAll('&', '&amp;')}" data-by-hand="">waxed smock</a> for the low path`), source)
  assert.equal(
    faultOf(await services.phraseChoice.accept(owner, id, { phraseId: smock.phraseId, version, from: smock.from, to: smock.to })),
    'moved-on',
  )
  const then = must(await services.phraseChoice.ofPage(owner, id))
  assert.deepEqual([then.chosen.map(({ phrase }) => phrase), then.room.used], [['bunkhouse'], 1])
  const bunk = then.chosen[0]?.phraseId ?? ''
  const reviewed = async (): Promise<string[]> =>
    must(await services.phraseChoice.review(owner)).pages.flatMap(({ chosen }) => chosen.map(({ phrase }) => phrase))
  assert.deepEqual(await reviewed(), ['bunkhouse'], 'a page that was linked on is looked at again')
  must(await services.phrases.refuse(owner, bunk, id))
  assert.deepEqual(must(await services.phraseChoice.ofPage(owner, id)).chosen, [])
  assert.deepEqual(await reviewed(), [])
  must(await services.phrases.allow(owner, bunk))
  assert.equal(must(await services.phraseChoice.ofPage(owner, id)).chosen.length, 1)
  assert.deepEqual(await reviewed(), ['bunkhouse'])
  must(await services.phrases.refuse(owner, bunk, null))
  assert.deepEqual(await reviewed(), [])
  must(await services.phrases.allow(owner, bunk))
})

test('“not here” of a phrase keeps a part of it from being offered in the same place', async () => {
  const { services, owner } = world
  await bringIn(
    world,
    zipOf({
      'smocks.html': '<html lang="en"><title>Smocks</title><h1>Smocks</h1><p>The waxed smock keeps dry.</p><p>A plain smock does not.</p>',
    }),
  )
  const { items } = must(
    await services.phrases.create(owner, { destination: 'https://gannet.example/smocks', words: ['smock'], priority: 1 }),
  )
  const id = await pageAt(world, '/smocks.html')
  const offered = async (): Promise<string[]> =>
    must(await services.phraseChoice.ofPage(owner, id)).chosen.map(({ sentence }) => `${sentence.before}[${sentence.words}]`)
  assert.deepEqual(await offered(), ['The [waxed smock]'])
  const waxed = must(await services.phraseChoice.ofPage(owner, id)).chosen[0]?.phraseId ?? ''
  must(await services.phrases.refuse(owner, waxed, id))
  assert.deepEqual(await offered(), ['A plain [smock]'])
  must(await services.phrases.allow(owner, waxed))
  for (const { id: phraseId } of items) must(await services.phrases.remove(owner, phraseId))
})

test('a banner keeps a link and a picture of pasted code; its link is the partner link', async () => {
  const { services, owner } = world
  const html =
    '<a href="https://gannet.example/sale" onclick="x()"><img src="https://gannet.example/b.png" width="300" height="250" alt="Sale"></a><script>track()</script>'
  const kept = must(await services.partnerLinks.keepBanner(owner, { partnerId: gannet.id, html }))
  assert.deepEqual([kept.href, kept.picture?.alt], ['https://gannet.example/sale?p=4471', 'Sale'])
  assert.equal(must(await services.partnerLinks.banners(owner, gannet.id)).items.length, 1)
  assert.equal(must(await services.partnerLinks.banners(owner, undefined)).items.length, 1)
  assert.equal(faultOf(await services.partnerLinks.keepBanner(owner, { partnerId: gannet.id, html: '<script>x</script>' })), 'no-link-left')
  must(await services.partnerLinks.removeBanner(owner, kept.id))
})

test('a banner’s picture is kept among the site’s files where that is wished; what is no picture, or out of bounds, is not', async () => {
  const { services, owner, db } = world
  const png = Buffer.from('iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg==', 'base64')
  const server = createServer((request, response) => {
    const isPicture = request.url === '/b.png'
    response.writeHead(200, { 'Content-Type': isPicture ? 'image/png' : 'text/html' }).end(isPicture ? png : '<p>no')
  }).listen(0, '127.0.0.1')
  await once(server, 'listening')
  const origin = `http://127.0.0.1:${(server.address() as AddressInfo).port}`
  const keep = async (name: string): Promise<string> =>
    must(
      await services.partnerLinks.keepBanner(owner, {
        partnerId: gannet.id,
        html: `<a href="https://gannet.example/sale"><img src="${origin}/${name}"></a>`,
      }),
    ).id
  const [picture, page] = [await keep('b.png'), await keep('page')]
  assert.equal(faultOf(await services.partnerLinks.keepPicture(owner, picture)), 'picture-away')
  await rows(db, `UPDATE sites SET inside_allowed = '{0.0.0.0/0,::/0}'`)
  const kept = must(await services.partnerLinks.keepPicture(owner, picture))
  assert.match(kept.picture?.src ?? '', /^\/files\/b.*\.png$/)
  assert.equal(must(await services.files.list(owner, { limit: 10 })).items[0]?.path, kept.picture?.src)
  assert.equal(faultOf(await services.partnerLinks.keepPicture(owner, page)), 'picture-away')
  await rows(db, `UPDATE sites SET inside_allowed = '{}'`)
  for (const id of [picture, page]) must(await services.partnerLinks.removeBanner(owner, id))
  server.close()
})

test('pages that lack the disclosure get it above their first paid link, in one step that is taken back in one', async () => {
  const { services, owner } = world
  assert.equal(faultOf(await services.disclosure.mend(owner, undefined)), 'disclosure-empty')
  must(await services.disclosure.change(owner, { ...NO_DISCLOSURE, text: 'Some links pay us.' }))
  const before = must(await services.disclosure.review(owner))
  assert.deepEqual(before.pages.map(({ path, state }) => [path, state]).sort(), [
    ['/packing.html', 'lacking'],
    ['/paid.html', 'lacking'],
  ])
  const mended = must(await services.disclosure.mend(owner, undefined))
  assert.equal(mended.pages, 2)
  const id = await pageAt(world, '/paid.html')
  assert.equal(
    must(await services.pages.source(owner, id)).source,
    PAID.replace('<p>Buy', '<p role="note" data-disclosure>Some links pay us.</p>\n<p>Buy'),
  )
  assert.deepEqual(must(await services.disclosure.review(owner)).pages, [])
  must(await services.bulkChanges.undo(owner, mended.id ?? ''))
  assert.equal(must(await services.pages.source(owner, id)).source, PAID)
})

test('everything that leads to a partner is pointed elsewhere in one reviewed step, and taken back in one', async () => {
  const { services, owner } = world
  const link = must(await services.shortLinks.create(owner, { destination: 'https://gannet.example/cap?p=4471', slug: 'cap' }))
  const row = must(await services.redirects.create(owner, { from: '/old-cap', to: 'https://gannet.example/cap?p=4471' }))
  const id = await pageAt(world, '/paid.html')
  const sourceNow = async (): Promise<string> => must(await services.pages.source(owner, id)).source
  const to = { do: 'build anew' } as const
  gannet = must(await services.partners.list(owner)).items.find(({ name }) => name === 'Gannet') ?? gannet
  gannet = must(
    await services.partners.change(owner, gannet.id, { name: 'Gannet', sites: gannet.sites, account: '5000', version: gannet.version }),
  )
  const looked = must(await services.partnerMoves.make(owner, { partnerId: gannet.id, oldAccount: '4471', to, dryRun: true }))
  assert.deepEqual([looked.id, looked.pages, looked.shortLinks, looked.redirects], [null, 2, 1, 1])
  assert.equal(await sourceNow(), PAID)
  const moved = must(await services.partnerMoves.make(owner, { partnerId: gannet.id, oldAccount: '4471', to, dryRun: false }))
  assert.deepEqual(moved.items, looked.items)
  assert.equal(await sourceNow(), PAID.replace('p=4471', 'p=5000'))
  assert.equal(must(await services.shortLinks.get(owner, link.id)).destination, 'https://gannet.example/cap?p=5000')
  assert.equal(must(await services.redirects.get(owner, row.id)).to, 'https://gannet.example/cap?p=5000')
  const again = await services.partnerMoves.make(owner, { partnerId: gannet.id, oldAccount: '4471', to, dryRun: false })
  assert.equal(faultOf(again), 'nothing-to-change')
  const undone = must(await services.partnerMoves.undo(owner, moved.id ?? ''))
  assert.deepEqual([undone.pages, undone.shortLinks, undone.left], [2, 1, []])
  assert.equal(await sourceNow(), PAID)
  assert.equal(must(await services.shortLinks.get(owner, link.id)).destination, 'https://gannet.example/cap?p=4471')
  assert.equal(faultOf(await services.partnerMoves.undo(owner, moved.id ?? '')), 'not-found')
  const plain = must(
    await services.partnerMoves.make(owner, {
      partnerId: gannet.id,
      oldAccount: '4471',
      to: { do: 'lead to', address: 'https://other.example/' },
      dryRun: true,
    }),
  )
  assert.ok(plain.items.every(({ after }) => after === 'https://other.example/'))
  gannet = must(
    await services.partners.change(owner, gannet.id, { name: 'Gannet', sites: gannet.sites, account: '4471', version: gannet.version }),
  )
})

const LAYOUT: ReportLayout = {
  columns: { date: 'date', commission: 'commission', order: 'order', sub: 'sub id', status: 'status' },
  decimals: 'point',
  dates: 'year first',
  currency: 'EUR',
}
const report = (...lines: string[]): Uint8Array => new TextEncoder().encode(`date,commission,order,sub id,status\n${lines.join('\n')}\n`)
const take = async (bytes: Uint8Array, dryRun = false) =>
  must(await world.services.earnings.take(world.owner, { partnerId: gannet.id, name: 'r.csv', layout: LAYOUT, dryRun }, bytes))
const came = async (by: 'partner' | 'page' | 'not joined') =>
  must(await world.services.earnings.look(world.owner, { by })).items.map(({ name, orders, pending, confirmed, paid, reversed }) => [
    name,
    orders,
    pending,
    confirmed,
    paid,
    reversed,
  ])

test('a report is looked at, taken in, joined to pages, corrected by the next one, and taken back whole', async () => {
  const { services, owner } = world
  const { sub } = must(await services.partnerLinks.create(owner, { address: 'https://gannet.example/boots', path: '/packing.html' }))
  const november = report(`2026-11-01,1.20,A1,${sub},pending`, '2026-11-02,3.00,A2,,approved', '2026-11-03,2.00,A3,unknown,pending')
  const looked = await take(november, true)
  assert.deepEqual([looked.id, looked.made, looked.joined, looked.sums], [null, 3, 1, [{ currency: 'EUR', commission: 620 }]])
  assert.deepEqual(await came('partner'), [])
  const first = await take(november)
  assert.deepEqual(await came('partner'), [['Gannet', 3, 320, 300, 0, 0]])
  assert.deepEqual(await came('page'), [['/packing.html', 1, 120, 0, 0, 0]])
  assert.equal((await came('not joined')).length, 2)
  const december = await take(
    report(
      `2026-11-01,1.10,A1,${sub},approved`,
      '2026-11-02,3.00,A2,,approved',
      '2026-11-03,2.00,A3,unknown,declined',
      '2026-12-01,5.00,A4,,pending',
    ),
  )
  assert.deepEqual([december.made, december.changed, december.same], [1, 2, 1])
  assert.deepEqual(await came('partner'), [['Gannet', 3, 500, 410, 0, 200]])
  assert.equal(faultOf(await services.earnings.undo(owner, first.id ?? '')), 'report-built-on')
  must(await services.earnings.undo(owner, december.id ?? ''))
  assert.deepEqual(await came('partner'), [['Gannet', 3, 320, 300, 0, 0]])
  must(await services.earnings.undo(owner, first.id ?? ''))
  assert.deepEqual(await came('partner'), [])
})

test('an order finds its page by a sub-ID that came there with the page, unasked', async () => {
  const { services, owner } = world
  const sub = 'k2f9x7ab'
  await bringIn(
    world,
    zipOf({ 'brought.html': `<title>Brought</title><p><a href="https://gannet.example/hat?p=4471&amp;s=${sub}">hat</a></p>` }),
  )
  const taken = await take(report(`2026-11-01,1.20,B1,${sub},pending`))
  assert.deepEqual(await came('page'), [['/brought.html', 1, 120, 0, 0, 0]])
  must(await services.earnings.undo(owner, taken.id ?? ''))
})

test('whoever may not read pages is told of none by way of partners', async () => {
  const { services, owner } = world
  const only = (...may: string[]) => ({ ...owner, can: (permission: string) => may.includes(permission) })
  const partners = only('partners:read', 'partners:edit')
  for (const asked of [
    services.partnerComparison.compare(partners),
    services.earnings.look(partners, { by: 'page' }),
    services.partnerLinks.banners(partners, gannet.id),
    services.phrases.ideas(partners, '/packing.html'),
    services.disclosure.review(only('pages:read')),
    services.phraseChoice.review(only('pages:read')),
  ])
    assert.equal(faultOf(await asked), 'forbidden')
})

test('the same report twice changes nothing; a file that is none is told; what was confirmed once is remembered', async () => {
  const { services, owner } = world
  const bytes = report('2026-11-01,1.20,A1,,pending', 'Total,1.20,,,')
  const once = await take(bytes)
  const twice = await take(bytes)
  assert.deepEqual([twice.made, twice.changed, twice.same, twice.refused.map(({ why }) => why)], [0, 0, 1, ['total']])
  assert.equal(must(await services.earnings.guess(owner, gannet.id, bytes)).isRemembered, true)
  const other = must(await services.earnings.guess(owner, gannet.id, new TextEncoder().encode('date;commission\n2026-11-01;1,20')))
  assert.deepEqual([other.isRemembered, other.missing, other.decimals], [false, ['order', 'sub', 'status'], 'comma'])
  assert.equal(
    faultOf(await services.earnings.guess(owner, gannet.id, new TextEncoder().encode('a letter\nto nobody'))),
    'report-unreadable',
  )
  assert.equal(
    faultOf(
      await services.earnings.take(
        owner,
        { partnerId: gannet.id, layout: { ...LAYOUT, columns: { date: 'day', commission: 'commission' } }, dryRun: true },
        bytes,
      ),
    ),
    'report-column-missing',
  )
  for (const { id } of [twice, once]) must(await services.earnings.undo(owner, id ?? ''))
})

test('a report of 100,000 lines is taken in within seconds', { timeout: 120_000 }, async () => {
  const lines = Array.from(
    { length: 100_000 },
    (_, n) => `2026-${String(1 + (n % 9)).padStart(2, '0')}-11,${(n % 900) / 100},L${n},,approved`,
  )
  const taken = await take(report(...lines))
  assert.equal(taken.made, 100_000)
  must(await world.services.earnings.undo(world.owner, taken.id ?? ''))
})

test('clicks belong to the partner that they went to: a short link that leads elsewhere now takes none along', async () => {
  const { db, services, owner } = world
  const link = must(await services.shortLinks.create(owner, { destination: 'https://gannet.example/oilskin', slug: 'oilskin' }))
  const still = must(await services.shortLinks.create(owner, { destination: 'https://gannet.example/still', slug: 'still' }))
  /** Clicks of people now, as the loader keeps them. */
  const click = async (id: string, clicks: number): Promise<void> => {
    await rows(
      db,
      `INSERT INTO clicks (at, short_link_id, visit, visitor, device) SELECT clock_timestamp(), $1, 'person', 'v', 'other' FROM generate_series(1, $2)`,
      [id, clicks],
    )
    for (const [table, column, when] of [
      ['click_hours', 'hour', `date_trunc('hour', now())`],
      ['click_rollups', 'day', 'now()::date'],
    ] as const)
      await rows(
        db,
        `INSERT INTO ${table} AS c (short_link_id, ${column}, visit, clicks) VALUES ($1, ${when}, 'person', $2)
         ON CONFLICT ON CONSTRAINT ${table}_pkey DO UPDATE SET clicks = c.clicks + excluded.clicks`,
        [id, clicks],
      )
  }
  const today = new Date().toISOString().slice(0, 10)
  await rows(
    db,
    `CREATE TABLE IF NOT EXISTS clicks_${today.replaceAll('-', '')} PARTITION OF clicks FOR VALUES FROM ('${today} 00:00Z') TO ('${new Date(Date.parse(today) + 86_400_000).toISOString().slice(0, 10)} 00:00Z')`,
  )
  const before = new Map(must(await services.partnerComparison.compare(owner)).items.map(({ partner, clicks }) => [partner.id, clicks]))
  const more = async (): Promise<number[]> => {
    const now = new Map(must(await services.partnerComparison.compare(owner)).items.map(({ partner, clicks }) => [partner.id, clicks]))
    return [gannet.id, beds.id].map((id) => (now.get(id) ?? 0) - (before.get(id) ?? 0))
  }
  await click(link.id, 4)
  await click(still.id, 1)
  assert.deepEqual(await more(), [5, 0])
  const { version } = must(await services.shortLinks.get(owner, link.id))
  must(await services.shortLinks.change(owner, link.id, { version, destination: 'https://www.beds.example/rooms' }))
  assert.deepEqual(await more(), [5, 0], 'what was clicked before stays where it went')
  await click(link.id, 2)
  assert.deepEqual(await more(), [5, 2])
})
