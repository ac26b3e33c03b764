import assert from 'node:assert/strict'
import { test } from 'node:test'
import { unzipSync } from 'fflate'
import { BlockNew } from '../../src/contract/blocks.ts'
import { MenuBody } from '../../src/contract/menus.ts'
import type { Partner } from '../../src/contract/partners.ts'
import { RedirectNew, RedirectQuery } from '../../src/contract/redirects.ts'
import { wrapLink } from '../../src/core/markup/index.ts'
import { bannerMarkup } from '../../src/core/partners/index.ts'
import { BY_HAND } from '../../src/core/rules/index.ts'
import { rows } from '../../src/data/database.ts'
import { portOf } from './asking.ts'
import { aDoor, get, page } from './door.ts'
import { bringIn, fillRedirects, must, rowsLookedAt, zipOf } from './world.ts'

/** Every way by which a link to a partner comes to visitors. Each leads to an address that no other does. */
const door = aDoor(5_000)
let gannet: Partner
let beds: Partner

const PROSE = (words: string): string => `<html lang="en"><title>${words}</title><h1>Packing</h1>
<p>Bring a ${words} for the low path, since nobody has ever come back dry from it without one, and nobody who did has ever said how that was done, or why.</p>
<p>The boat that brings you has none to lend, and neither has the man who sells the tickets.</p>`

test('links to partners come in by every way there is', async () => {
  const { services, owner } = door.world
  must(await services.rules.save(owner, { version: 1, rules: [] }))
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
      ...{ name: 'Beds', sites: ['beds.example'], template: 'https://go.tidemark.example/c?a={account}&u={url}&s={sub}', account: '77' },
    }),
  )
  must(await services.shortLinks.create(owner, { destination: 'https://gannet.example/short', slug: 'smock' }))
  must(await services.redirects.create(owner, { from: '/by/row', to: 'https://gannet.example/led' }))
  must(
    await services.blocks.create(
      owner,
      BlockNew.parse({ name: 'foot', title: 'Foot', source: '<p><a href="https://gannet.example/block">block</a></p>' }),
    ),
  )
  const menu = must(await services.menus.create(owner, { name: 'main', title: 'Main' }))
  const entry = { id: 'm', kind: 'link', label: 'menu', href: 'https://gannet.example/menu', children: [] }
  must(
    await services.menus.change(owner, menu.id, {
      version: menu.version,
      menu: MenuBody.parse({ entries: [entry], left: [], joins: 'nowhere' }),
    }),
  )
  await bringIn(
    door.world,
    zipOf({
      'import.html': `<p><a href="https://gannet.example/import">import</a> <a href="http://short.localhost:4999/go/smock">short</a> <a href="by/row">row</a>
<a href="https://go.tidemark.example/c?a=77&amp;u=https%3A%2F%2Fbeds.example%2Fnetwork">network</a></p><!-- block: foot --><!-- menu: main -->`,
      'hand.html': '<p>Some words by hand.</p>',
      'phrase.html': PROSE('waxed smock'),
      'pasted.html': '<p>Words that were pasted.</p>',
      'banner.html': '<p>A banner.</p>',
    }),
  )
  must(await services.phrases.create(owner, { words: ['waxed smock'], destination: 'https://gannet.example/phrase', priority: 5 }))
  // As the page editor writes them: all of it left to the rules.
  await put('/hand.html', 'words', { href: 'https://gannet.example/hand' })
  const copied = must(await services.partnerLinks.create(owner, { address: 'https://gannet.example/pasted' })).address
  await put('/pasted.html', 'pasted', { href: copied })
  const [chosen] = must(await services.phraseChoice.ofPage(owner, (await pageOf('/phrase.html')).id)).chosen
  assert.equal(chosen?.isPaid, true, 'the review of phrases says that it will be paid')
  const phrases = await pageOf('/phrase.html')
  must(
    await services.phraseChoice.accept(owner, phrases.id, {
      ...{ phraseId: chosen?.phraseId ?? '', version: phrases.version, from: chosen?.from ?? 0, to: chosen?.to ?? 0, nth: 0 },
    }),
  )
  const banner = must(
    await services.partnerLinks.keepBanner(owner, { partnerId: beds.id, html: '<a href="https://beds.example/banner">banner</a>' }),
  )
  const { id, version, source } = must(await services.pages.source(owner, (await pageOf('/banner.html')).id))
  const html = bannerMarkup(banner).replace('">', `" ${BY_HAND}="">`)
  must(
    await services.pages.change(owner, id, {
      version,
      patchSets: [[{ from: source.indexOf('</p>'), to: source.indexOf('</p>'), insert: html }]],
    }),
  )
})

async function pageOf(path: string) {
  const { services, owner } = door.world
  const [found] = must(await services.pages.list(owner, { path, limit: 1 })).items
  if (found === undefined) throw new Error(`There is no ${path}`)
  return found
}
async function put(path: string, words: string, attributes: { href: string }): Promise<void> {
  const { services, owner } = door.world
  const { id, version, source } = must(await services.pages.source(owner, (await pageOf(path)).id))
  const from = source.indexOf(words)
  const wrapped = wrapLink(source, from, from + words.length, { ...attributes, [BY_HAND]: '' })
  assert.ok(wrapped.ok)
  must(await services.pages.change(owner, id, { version, patchSets: [[...wrapped.value]] }))
}

/** By address, what visitors get: each link's `rel`. */
async function delivered(): Promise<Map<string, string>> {
  await door.delivering.refresh()
  const found = new Map<string, string>()
  for (const path of ['/import.html', '/hand.html', '/phrase.html', '/pasted.html', '/banner.html']) {
    const { body, status } = await get(door, path, { headers: { host: 'site.localhost' } })
    assert.equal(status, 200, path)
    for (const [address, rel] of relsIn(body.toString())) found.set(address, rel)
  }
  return found
}
function relsIn(html: string): [string, string][] {
  return [...html.matchAll(/<a [^>]*>/g)].map(([tag]) => [
    (/href="([^"]*)"/.exec(tag)?.[1] ?? '').replaceAll('&amp;', '&'),
    /rel="([^"]*)"/.exec(tag)?.[1] ?? '',
  ])
}
const LAST =
  /(import|block|menu|hand|phrase|pasted|banner|network|row|smock)\b(?!.*(?:import|block|menu|hand|phrase|pasted|banner|network|row|smock))/
const byWay = (rels: Iterable<[string, string]>): Record<string, string> =>
  Object.fromEntries([...rels].map(([address, rel]) => [LAST.exec(decodeURIComponent(address))?.[1] ?? address, rel]))
const ALL_WAYS = ['banner', 'block', 'hand', 'import', 'menu', 'network', 'pasted', 'phrase', 'row', 'smock']
const everyWay = (rel: string): Record<string, string> => Object.fromEntries(ALL_WAYS.map((way) => [way, rel]))
const sorted = (rels: Record<string, string>): Record<string, string> => Object.fromEntries(Object.entries(rels).sort())

/** What the list of links, the panel's count and the disclosure's review call paid. */
async function saidPaid(): Promise<{ links: string[]; pages: string[] }> {
  const { services, owner } = door.world
  const { items } = must(await services.placements.list(owner, { limit: 100, strand: 'sponsored' }))
  assert.deepEqual(
    items.map(({ after }) => after.rel?.split(' ').includes('sponsored')),
    items.map(() => true),
  )
  must(await services.disclosure.change(owner, { ...must(await services.disclosure.look(owner)), text: 'Some links pay us.' }))
  const review = must(await services.disclosure.review(owner))
  return {
    links: items.map(({ href }) => LAST.exec(decodeURIComponent(href))?.[1] ?? href).sort(),
    pages: review.pages.map(({ path }) => path).sort(),
  }
}

test('whichever way a link to a partner comes in, it goes out as paid, and every screen calls it so', async () => {
  const { services, owner } = door.world
  must(await services.publications.create(owner, { all: true }))
  assert.deepEqual(sorted(byWay(await delivered())), everyWay('sponsored nofollow'))
  assert.deepEqual(await saidPaid(), {
    links: ALL_WAYS,
    pages: ['/banner.html', '/hand.html', '/import.html', '/pasted.html', '/phrase.html'],
  })
  const zip = unzipSync(await bytesOf(must(await services.exports.siteZip(owner, 'live'))))
  const exported = Object.entries(zip).flatMap(([name, bytes]) => (name.endsWith('.html') ? relsIn(Buffer.from(bytes).toString()) : []))
  // In place of the row stands a page that leads on.
  assert.deepEqual(
    sorted(byWay(exported)),
    sorted({ ...everyWay('sponsored nofollow'), 'https://gannet.example/led': 'sponsored nofollow' }),
  )
})

test('a link of ours is paid for as long as a redirect leads it to a partner', async () => {
  const { services, owner } = door.world
  const [row] = must(await services.redirects.list(owner, RedirectQuery.parse({}))).items
  const change = async (isOn: boolean) => {
    const { version } = must(await services.redirects.get(owner, row?.id ?? ''))
    must(await services.redirects.change(owner, row?.id ?? '', { version, isOn }))
    return [byWay(await delivered()).row, (await saidPaid()).links.includes('row')]
  }
  assert.deepEqual(await change(false), ['', false])
  assert.deepEqual(await change(true), ['sponsored nofollow', true])
})

test('a link of ours is paid whichever way readers are led to a partner, and not where something else answers', async () => {
  const { services, owner } = door.world
  const row = async (body: object) => must(await services.redirects.create(owner, RedirectNew.parse(body)))
  const made = [
    await row({ from: '/shop', match: 'under', to: 'https://gannet.example/' }),
    await row({ from: '/shop/help', to: '/hand.html' }),
    await row({ from: '/p/:kind/*', match: 'pattern', to: 'https://gannet.example/$1' }),
    await row({ from: '/p/own/*', match: 'pattern', to: '/hand.html' }),
    await row({ from: '^/x(\\d+)$', match: 'expression', to: 'https://gannet.example/$1' }),
    await row({ from: '/for-some', to: 'https://gannet.example/de', when: { languages: ['de'] } }),
    await row({ from: '/for-some', to: '/hand.html' }),
    await row({ from: '/chain', to: '/shop/one' }),
    await row({ from: '/by-short', to: 'http://short.localhost:4999/go/smock' }),
    await row({ from: '/elsewhere', to: 'https://tides.example/' }),
  ]
  const round = must(await services.shortLinks.create(owner, { destination: 'http://site.localhost:4999/chain', slug: 'round' }))
  const paid = [
    '/shop',
    '/shop/socks',
    '/SHOP/socks/',
    '/p/a/b',
    '/x12',
    '/for-some',
    '/chain',
    '/by-short',
    'http://short.localhost:4999/go/round',
  ]
  const own = ['/shop/help', '/shop/page.html', '/p/own/b', '/xa', '/elsewhere', '/hand.html']
  const links = [...paid, ...own].map((href) => `<a href="${href}">${href}</a>`).join(' ')
  await bringIn(door.world, zipOf({ 'led.html': `<p>${links}</p>`, 'shop/page.html': '<p>Of our own.</p>' }))
  must(await services.publications.create(owner, { all: true }))
  const marked = async () => {
    await door.delivering.refresh()
    const { body } = await get(door, '/led.html', { headers: { host: 'site.localhost' } })
    return relsIn(body.toString()).flatMap(([address, rel]) => (rel.includes('sponsored') ? [address] : []))
  }
  assert.deepEqual(await marked(), paid)
  // And what is asked of the live rows says the same of each.
  for (const href of paid.slice(0, -1)) {
    const { status, headers } = await get(door, href, { headers: { host: 'site.localhost', 'accept-language': 'de' } })
    assert.ok(status >= 300 && status < 400 && headers.location !== undefined, href)
  }
  const { items } = must(await services.placements.list(owner, { limit: 100, strand: 'sponsored' }))
  assert.deepEqual(
    items.flatMap(({ href }) => (paid.includes(href) ? [href] : [])).sort(),
    [...paid].sort(),
    'the list of links says so as well',
  )
  const smock = must(await services.shortLinks.list(owner, { slug: 'smock', limit: 1 })).items[0]
  must(await services.shortLinks.change(owner, smock?.id ?? '', { version: smock?.version ?? 0, destination: 'https://tides.example/' }))
  assert.deepEqual(
    await marked(),
    paid.filter((href) => href !== '/by-short'),
    'its short link leads elsewhere now',
  )
  for (const { id } of made) must(await services.redirects.remove(owner, id))
  assert.deepEqual(await marked(), [])
  must(
    await services.shortLinks.change(owner, smock?.id ?? '', {
      version: (smock?.version ?? 0) + 1,
      destination: 'https://gannet.example/short',
    }),
  )
  must(await services.shortLinks.remove(owner, round.id))
})

test('what leads to partners is found by look-ups, however many rows there are, also while a table fills', async () => {
  const { db, services, owner } = door.world
  const made = [
    must(await services.redirects.create(owner, { from: '/wide', match: 'under', to: 'https://gannet.example/' })),
    must(await services.redirects.create(owner, { from: '^/wide-(\\d+)$', match: 'expression', to: 'https://gannet.example/$1' })),
    must(await services.redirects.create(owner, { from: '/by/way', to: '/wide/one' })),
  ]
  await fillRedirects(db, owner.siteId, 20_000)
  const looked = await rowsLookedAt(db, ['redirects', 'pages', 'short_links', 'short_link_slugs'], (transaction) =>
    rows(db, 'SELECT led_away_of($1)', [owner.siteId], transaction),
  )
  assert.ok(looked > 0 && looked < 500, `${looked} rows were looked at`)
  await rows(db, `DELETE FROM redirects WHERE source LIKE '/many/%'`)
  for (const { id } of made) must(await services.redirects.remove(owner, id))
})

test('a page that passes a front door is marked by the same decision', async () => {
  door.behind = page(
    '<a href="https://gannet.example/x">x</a> <a href="https://go.tidemark.example/c?a=1&amp;u=y">y</a> <a href="https://tides.example/">z</a>',
  )
  await door.delivering.refresh()
  const { body } = await get(door, '/any.html')
  assert.deepEqual(
    relsIn(body.toString()).map(([, rel]) => rel),
    ['sponsored nofollow', 'sponsored nofollow', ''],
  )
  assert.ok(portOf(door.server) > 0)
})

test('a partner link that was pasted, a banner’s and a phrase’s carry the sub-ID of the place they stand on', async () => {
  const { db } = door.world
  const subs = await rows<{ sub: string; path: string; destination: string }>(
    db,
    'SELECT s.sub, p.path, s.destination FROM partner_subs s JOIN pages p ON p.id = s.page_id ORDER BY p.path',
  )
  assert.deepEqual(
    subs.map(({ path, destination }) => [path, destination]),
    [
      ['/banner.html', 'https://beds.example/banner'],
      ['/pasted.html', 'https://gannet.example/pasted'],
      ['/phrase.html', 'https://gannet.example/phrase'],
    ],
  )
  const live = await delivered()
  for (const { sub, destination } of subs)
    assert.ok(
      [...live.keys()].some((address) => address.includes(`s=${sub}`) && decodeURIComponent(address).includes(destination)),
      destination,
    )
  assert.ok(live.has('https://gannet.example/import'), 'what came in with an import stays as it came')
})

test('a partner can say that its links are not paid, and an owner the same of all', async () => {
  const { services, owner, editor } = door.world
  const change = { name: 'Gannet', sites: gannet.sites, version: gannet.version }
  gannet = must(await services.partners.change(owner, gannet.id, { ...change, isPaid: false }))
  const beds_ = ['banner', 'network']
  assert.deepEqual(sorted(byWay(await delivered())), {
    ...everyWay(''),
    ...Object.fromEntries(beds_.map((way) => [way, 'sponsored nofollow'])),
  })
  assert.deepEqual((await saidPaid()).links, beds_)
  assert.equal(must(await services.placements.list(owner, { limit: 100, unmarked: true })).items.length, 0)
  const { version, partnersArePaid } = must(await services.rules.list(owner))
  assert.equal(partnersArePaid, true)
  const asked = { version, rules: [], partnersArePaid: false }
  const refused = await services.rules.save(editor, asked)
  assert.equal(refused.ok ? '' : refused.fault, 'owner-decides')
  assert.equal(must(await services.rules.impact(owner, asked)).links, 2, 'told before it is saved')
  must(await services.rules.save(owner, asked))
  assert.deepEqual(sorted(byWay(await delivered())), everyWay(''))
  assert.deepEqual((await saidPaid()).links, [])
  must(await services.rules.save(editor, { version: version + 1, rules: [] }))
  assert.equal(must(await services.rules.list(owner)).partnersArePaid, false, 'who leaves it out leaves it as it is')
  must(await services.rules.save(owner, { version: version + 2, rules: [], partnersArePaid: true }))
  gannet = must(await services.partners.change(owner, gannet.id, { ...change, version: gannet.version, isPaid: null }))
})

test('publishing names paid links that search engines would not be told of', async () => {
  const { services, owner } = door.world
  const { version } = must(await services.rules.list(owner))
  const own = {
    id: 'own',
    name: 'Own words',
    isOn: true,
    isBinding: false,
    when: { is: 'under', of: ['/hand.html'] },
    what: { hints: [] },
  } as const
  must(await services.rules.save(owner, { version, rules: [{ ...own, when: { is: 'under', of: ['/hand.html'] }, what: { hints: [] } }] }))
  await put('/hand.html', 'Some', { href: 'https://beds.example/own-advice' })
  const review = must(await services.publications.review(owner, { all: true }))
  assert.deepEqual(
    review.unmarked.map(({ title, text }) => [title, text]),
    [
      ['hand.html', 'Some'],
      ['hand.html', 'words'],
    ],
  )
  const links = review.unmarked.map(({ pageId, ordinal, start }): [string, number, number] => [pageId, ordinal, start])
  must(
    await services.bulkChanges.make(owner, {
      selection: { links },
      change: { do: 'tell', hints: ['sponsored', 'nofollow'] },
      dryRun: false,
    }),
  )
  assert.deepEqual(must(await services.publications.review(owner, { all: true })).unmarked, [])
  must(await services.publications.create(owner, { all: true }))
  const live = await delivered()
  for (const [address, rel] of live) if (/own-advice|hand/.test(address)) assert.equal(rel, 'sponsored nofollow', address)
})

async function bytesOf(content: unknown): Promise<Uint8Array> {
  if (content instanceof Uint8Array) return content
  const parts: Buffer[] = []
  for await (const part of content as AsyncIterable<Uint8Array>) parts.push(Buffer.from(part))
  return Buffer.concat(parts)
}
