import assert from 'node:assert/strict'
import { randomUUID } from 'node:crypto'
import { createRequire } from 'node:module'
import { before, test } from 'node:test'
import type jsqrType from 'jsqr'
import { PNG } from 'pngjs'
import { CODE_SIZES, CORRECTIONS, CodeQuery } from '../../src/contract/short-link-codes.ts'
import { type ShortLinkNew, ShortLinkQuery } from '../../src/contract/short-links.ts'
import { loadClicks } from '../../src/data/clicks.ts'
import { rows } from '../../src/data/database.ts'
import { insert } from '../../src/data/plain.ts'
import { hosts } from '../../src/data/tables/index.ts'
import { batchOf } from '../../src/jobs/click-batch.ts'
import { inWords } from '../../src/words/index.ts'
import { makeWorld, must, type World } from './world.ts'

// The package is CommonJS whose types say otherwise.
const jsqr = createRequire(import.meta.url)('jsqr') as typeof jsqrType

let world: World
before(async () => {
  world = await makeWorld()
  await insert(world.db, hosts, { siteId: world.owner.siteId, host: 'tern.localhost', kind: 'short' })
})
const make = async (wanted: Partial<ShortLinkNew> & { slug: string }) =>
  must(await world.services.shortLinks.create(world.editor, { destination: `https://tides.example/${wanted.slug}`, ...wanted }))
const faultOf = async (answer: Promise<{ ok: boolean; fault?: string }>): Promise<string> => (await answer).fault ?? 'done'

test('a link answers to several slugs on several hosts; renamed, its old one still does', async () => {
  const { shortLinkSlugs, shortLinks } = world.services
  const link = await make({ slug: 'oilskin', further: [{ slug: 'oil-skin' }, { slug: 'oilskin', host: 'tern.localhost' }] })
  assert.deepEqual(
    link.slugs.map(({ address }) => address),
    ['http://short.localhost:4999/go/oilskin', 'http://short.localhost:4999/go/oil-skin', 'http://tern.localhost:4999/oilskin'],
  )
  const renamed = must(
    await shortLinkSlugs.change(world.editor, link.id, { version: link.version, main: { slug: 'smock' }, further: [{ slug: 'oilskin' }] }),
  )
  assert.deepEqual([renamed.slug, renamed.slugs.map(({ slug }) => slug)], ['smock', ['smock', 'oilskin']])
  const named = must(
    await shortLinks.named(world.editor, [
      { host: 'short.localhost', slug: 'oilskin' },
      { host: 'tern.localhost', slug: 'oilskin' },
    ]),
  ).items
  assert.deepEqual(
    named.map(({ host, destination }) => [host, destination]),
    [['short.localhost', 'https://tides.example/oilskin']],
  )
  const late = shortLinkSlugs.change(world.editor, link.id, { version: link.version, main: { slug: 'smock' }, further: [] })
  assert.equal(await faultOf(late), 'moved-on')
  // Taken away and brought back it has all of them again, also on the other host.
  must(
    await shortLinkSlugs.change(world.editor, link.id, {
      version: renamed.version,
      main: { slug: 'smock' },
      further: [{ slug: 'oilskin', host: 'tern.localhost' }],
    }),
  )
  must(await shortLinks.remove(world.editor, link.id))
  assert.deepEqual(
    must(await shortLinks.putBack(world.editor, link.id)).slugs.map(({ host, slug }) => [host, slug]),
    [
      ['short.localhost', 'smock'],
      ['tern.localhost', 'oilskin'],
    ],
  )
})

test('slugs that somebody has, that hide a row or are named twice are refused, and nothing of the rest is done', async () => {
  const { shortLinkSlugs, redirects } = world.services
  await make({ slug: 'taken' })
  const link = await make({ slug: 'free' })
  must(await redirects.create(world.editor, { from: '/go/leaflet', to: '/', hosts: ['short.localhost'] }))
  const change = (further: { slug: string; host?: string }[]) =>
    faultOf(shortLinkSlugs.change(world.editor, link.id, { version: link.version, main: { slug: 'free' }, further }))
  assert.equal(await change([{ slug: 'also-free' }, { slug: 'TAKEN' }]), 'slug-taken')
  assert.equal(await change([{ slug: 'leaflet' }]), 'slug-hides-redirect')
  assert.equal(await change([{ slug: 'x-y' }, { slug: 'X-Y' }]), 'slug-of-two')
  assert.equal(await change([{ slug: 'x', host: 'site.localhost' }]), 'no-short-host')
  assert.equal(await change([{ slug: 'a b' }]), 'slug-malformed')
  const now = must(await world.services.shortLinks.get(world.editor, link.id))
  assert.deepEqual([now.version, now.slugs.map(({ slug }) => slug)], [link.version, ['free']])
})

test('a slug is judged with those one slip away that others have, and with the free ones', async () => {
  const { shortLinkSlugs } = world.services
  const own = await make({ slug: 'regatta', further: [{ slug: 'regata' }] })
  const look = must(await shortLinkSlugs.look(world.contributor, { slug: 'regattas' }))
  assert.deepEqual(
    look.near.map(({ slug, leadsTo }) => [slug, leadsTo]),
    [['regatta', own.destination]],
  )
  assert.equal(look.fault, null)
  assert.ok(look.further.every(({ slug }) => slug !== 'regatta') && look.further.length > 4)
  assert.match(must(await shortLinkSlugs.look(world.editor, { slug: 'regatta' })).fault ?? '', /has it already.*tides\.example/)
  const ofItself = must(await shortLinkSlugs.look(world.editor, { slug: 'regatta', of: own.id }))
  assert.deepEqual([ofItself.fault, ofItself.near], [null, []])
  assert.match(must(await shortLinkSlugs.look(world.editor, { slug: 'leaflet' })).fault ?? '', /would hide it/)
})

test('an old prefix still answers, and links to it are known as short links', async () => {
  const { hosts, shortLinks, addresses } = world.services
  await make({ slug: 'prefixed' })
  const host = must(await hosts.list(world.owner)).items.find((each) => each.host === 'short.localhost')
  must(await hosts.change(world.owner, host?.id ?? '', { version: host?.version ?? 0, prefix: 'see' }))
  assert.equal(
    must(await shortLinks.list(world.editor, { slug: 'prefixed', limit: 1 })).items[0]?.address,
    'http://short.localhost:4999/see/prefixed',
  )
  const { kind } = must(await addresses.repair(world.editor, { text: 'http://short.localhost:4999/go/prefixed' }))
  assert.equal(kind, 'short link')
})

test('a course is mended like a destination, refused by what is wrong with it, and in the history', async () => {
  const { shortLinks } = world.services
  const link = await make({ slug: 'offer', course: { fallback: ' tides.example/shelter', endsAt: '2031-05-01T00:00:00.000Z' } })
  assert.deepEqual(
    [link.course.fallback, link.course.endsAt, link.state],
    ['https://tides.example/shelter', '2031-05-01T00:00:00.000Z', 'answers'],
  )
  const change = (course: Parameters<typeof shortLinks.change>[2]['course']) =>
    faultOf(shortLinks.change(world.editor, link.id, { version: link.version, course }))
  assert.equal(await change({ startsAt: '2031-06-01T00:00:00.000Z' }), 'course-never')
  assert.equal(await change({ split: { main: 0, others: [{ to: 'https://tides.example/b', weight: 0 }] } }), 'course-weights')
  assert.equal(await change({ clickLimit: 0 }), 'course-limit')
  assert.equal(await change({ fallback: link.address }), 'address-not-outside')
  assert.equal(await change({ cases: [{ when: {}, to: 'javascript:alert(1)' }] }), 'address-forbidden-scheme')
  const changed = must(await shortLinks.change(world.editor, link.id, { version: link.version, course: { endsAt: null } }))
  assert.deepEqual([changed.course.endsAt, changed.course.fallback], [null, 'https://tides.example/shelter'])
  assert.deepEqual(
    must(await shortLinks.history(world.editor, link.id)).items.map(({ version, course }) => [version, course.endsAt]),
    [
      [2, null],
      [1, '2031-05-01T00:00:00.000Z'],
    ],
  )
})

test('many links are changed in one step, and back in one; what was changed again since stays', async () => {
  const { shortLinkSteps, shortLinks } = world.services
  const links = [
    await make({ slug: 'step-one', tags: ['old'] }),
    await make({ slug: 'step-two', destination: 'https://tides.example/?ref=old' }),
    await make({ slug: 'step-three' }),
  ]
  const ids = links.map(({ id }) => id)
  const change = { addTags: ['spring'], removeTags: ['old'], replace: { from: 'ref=old', to: 'ref=new' } }
  const dry = must(await shortLinkSteps.create(world.editor, { ids, change, dryRun: true }))
  assert.deepEqual(
    [dry.step, dry.changed, dry.items.find(({ slug }) => slug === 'step-two')?.after],
    [null, 3, 'https://tides.example/?ref=new · spring'],
  )
  assert.deepEqual(must(await shortLinks.list(world.editor, { tag: 'spring', limit: 9 })).items, [])
  const { step, changed } = must(await shortLinkSteps.create(world.editor, { ids, change }))
  assert.equal(changed, 3)
  assert.deepEqual(must(await shortLinks.tags(world.editor)).items, [{ tag: 'spring', links: 3 }])
  const third = must(await shortLinks.get(world.editor, ids[2] ?? ''))
  must(await shortLinks.change(world.editor, third.id, { version: third.version, title: 'Since' }))
  assert.deepEqual(must(await shortLinkSteps.undo(world.editor, step ?? '')), { back: 2, left: 1 })
  const now = await Promise.all(ids.map(async (id) => must(await shortLinks.get(world.editor, id))))
  assert.deepEqual(
    now.map(({ tags, destination }) => [tags, destination.split('/').pop()]),
    [
      [['old'], 'step-one'],
      [[], '?ref=old'],
      [['spring'], 'step-three'],
    ],
  )
  assert.equal(await faultOf(shortLinkSteps.undo(world.editor, step ?? '')), 'not-found')
  const gone = must(await shortLinkSteps.create(world.editor, { ids, change: { isRemoved: true } }))
  assert.equal(must(await shortLinks.list(world.editor, { search: 'step-', limit: 9 })).total, 0)
  assert.equal(must(await shortLinkSteps.undo(world.editor, gone.step ?? '')).back, 3)
  assert.equal(must(await shortLinks.list(world.editor, { search: 'step-', limit: 9 })).total, 3)
  assert.equal(await faultOf(shortLinkSteps.create(world.contributor, { ids, change })), 'forbidden')
})

test('a campaign makes a link for each place, all of them or none, and is taken back in one step', async () => {
  const { shortLinkSteps, shortLinks } = world.services
  const channels = [
    { source: 'newsletter', medium: 'email' },
    { source: 'Harbour board', medium: 'print', slug: 'board' },
    { source: 'newsletter', medium: 'email' },
  ]
  const campaign = { destination: 'https://tides.example/rooms?ref=1', name: 'Quiet Season', channels }
  const { step, items } = must(await shortLinkSteps.campaign(world.editor, campaign))
  assert.equal(new Set(items.map(({ slug }) => slug)).size, 3)
  assert.deepEqual(items[1]?.slug, 'board')
  assert.equal(
    items[1]?.destination,
    'https://tides.example/rooms?ref=1&utm_source=Harbour%20board&utm_medium=print&utm_campaign=quiet-season',
  )
  assert.ok(items.every(({ tags }) => tags[0] === 'quiet season'))
  const values = must(await shortLinkSteps.utmValues(world.contributor)).items
  assert.deepEqual(
    values.find(({ value }) => value === 'newsletter'),
    { name: 'utm_source', value: 'newsletter', uses: 2 },
  )
  const before = must(await shortLinks.list(world.editor, { limit: 1 })).total
  assert.equal(await faultOf(shortLinkSteps.campaign(world.editor, campaign)), 'slug-taken')
  assert.equal(must(await shortLinks.list(world.editor, { limit: 1 })).total, before)
  assert.deepEqual(must(await shortLinkSteps.undo(world.editor, step)), { back: 3, left: 0 })
  assert.equal(must(await shortLinks.list(world.editor, { tag: 'quiet season', limit: 1 })).total, 0)
})

/** What a decoder reads of a PNG. */
function readCode(bytes: Uint8Array): string | null {
  const { width, height, data } = PNG.sync.read(Buffer.from(bytes))
  return jsqr(new Uint8ClampedArray(data), width, height)?.data ?? null
}

test('every code that is made is read by a decoder: each correction, quiet zone and the smallest size; colours alone that cameras tell apart', async () => {
  const { shortLinkCodes } = world.services
  const short = await make({ slug: 'qr' })
  const long = await make({ slug: `a-slug-that-is-as-long-as-${'one-can-be-'.repeat(3)}`.replace(/-$/, '') })
  for (const link of [short, long])
    for (const correction of CORRECTIONS)
      for (const [quiet, size] of [
        [4, 600],
        [1, 400],
        [4, CODE_SIZES.least + 70],
        [4, 2_000],
      ] as const) {
        const code = await shortLinkCodes.get(world.contributor, link.id, CodeQuery.parse({ as: 'png', correction, quiet, size }))
        if (!code.ok) assert.equal(code.fault, 'qr-too-small')
        else assert.equal(readCode(code.value.bytes), link.address, `${link.slug} ${correction} ${quiet} ${size}`)
      }
  const refused = (more: object) => faultOf(shortLinkCodes.get(world.editor, short.id, CodeQuery.parse(more)))
  assert.equal(await refused({ dark: 'FFFFFF', light: '16283A' }), 'qr-contrast')
  assert.equal(await refused({ dark: 'B98D4F', light: 'D2AE78' }), 'qr-contrast')
  assert.equal(await refused({ as: 'png', size: CODE_SIZES.least, quiet: 10 }), 'qr-too-small')
  const svg = must(await shortLinkCodes.get(world.editor, short.id, CodeQuery.parse({ title: '<script>&' })))
  const markup = new TextDecoder().decode(svg.bytes)
  assert.match(markup, /^<svg role="img"[^>]*><title>&#60;script&#62;&#38;<\/title>/)
  assert.doesNotMatch(markup, /<script/)
})

test('results are read by day, hour and source, people and others apart, beside the stretch before; a split is told with its interval', async () => {
  const split = { main: 1, others: [{ to: 'https://shop.example/b', weight: 1 }] }
  const link = await make({ slug: 'counted', course: { split } })
  const NOW = Date.UTC(2026, 4, 31, 12)
  const line = (day: string, hour: string, visit: string, referrer: string, variant: string, n: number): string =>
    `${day}T${hour}:00:00.000Z\t${link.id}\t${visit}\t${String(n).padStart(16, '0')}\tphone\ten\t${referrer}\t${variant}`
  const lines = [
    ...Array.from({ length: 30 }, (_, n) => line('2026-05-31', '07', 'person', 'mail.example', n % 3 === 0 ? '1' : '0', n)),
    ...Array.from({ length: 10 }, (_, n) => line('2026-05-30', '20', 'person', '\\N', '0', n)),
    ...Array.from({ length: 4 }, (_, n) => line('2026-05-20', '07', 'bot', '\\N', '0', n)),
    ...Array.from({ length: 8 }, (_, n) => line('2026-05-22', '09', 'person', '\\N', '0', n)),
    // As a log of an earlier version has it.
    line('2026-05-31', '08', 'person', '\\N', '\\N', 1).replace(/\t\\N$/, ''),
  ]
  await loadClicks(world.db, (await batchOf(lines.join('\n'), { node: 'n', segment: 's', from: 0, to: 1 })).batch)
  const { shortLinkResults } = world.services
  const week = must(await shortLinkResults.look(world.contributor, link.id, { days: 7 }, NOW))
  assert.deepEqual(week.total, { people: 41, others: 0, before: 8, visitors: 0 })
  assert.deepEqual(
    week.days.slice(-2).map(({ day, people }) => [day, people]),
    [
      ['2026-05-30', 10],
      ['2026-05-31', 31],
    ],
  )
  assert.deepEqual([week.byHour[7], week.byHour[8], week.byHour[20]], [30, 1, 10])
  assert.deepEqual(week.referrers, [
    { value: 'mail.example', clicks: 30 },
    { value: '', clicks: 11 },
  ])
  assert.deepEqual(
    week.hours.filter(({ people }) => people > 0).map(({ hour, people }) => [hour.slice(0, 13), people]),
    [
      ['2026-05-30T20', 10],
      ['2026-05-31T07', 30],
      ['2026-05-31T08', 1],
    ],
  )
  assert.deepEqual(
    week.split?.map(({ clicks }) => clicks),
    [30, 10],
  )
  const [main] = week.split ?? []
  assert.ok(main !== undefined && main.share.low < 0.75 && 0.75 < main.share.high && main.share.high - main.share.low > 0.2)
  assert.match(week.verdict, /only orders tell/)
  const month = must(await shortLinkResults.look(world.editor, link.id, { days: 30 }, NOW))
  assert.deepEqual([month.total.people, month.total.others, month.bots], [49, 4, [{ visit: 'bot', clicks: 4 }]])
  const all = await rows<{ n: number }>(world.db, 'SELECT sum(clicks)::int AS n FROM click_hours WHERE short_link_id = $1', [link.id])
  assert.equal(all[0]?.n, lines.length)
})

test('a split that names one destination twice has it once in its results, with its orders once', async () => {
  const { db, services, owner } = world
  const partner = must(await services.partners.create(owner, { name: 'Twice', sites: ['twice.example'] }))
  const destination = 'https://shop.twice.example/a'
  const others = [
    { to: destination, weight: 2 },
    { to: 'https://shop.twice.example/b', weight: 1 },
  ]
  const link = await make({ slug: 'twice', destination, course: { split: { main: 1, others } } })
  const NOW = Date.UTC(2026, 4, 31, 12)
  const lines = [0, 0, 1, 2].map(
    (variant, n) => `2026-05-31T07:00:00.000Z\t${link.id}\tperson\t${String(n).padStart(16, '0')}\tphone\ten\t\\N\t${variant}`,
  )
  await loadClicks(db, (await batchOf(lines.join('\n'), { node: 'twice', segment: 's', from: 0, to: 1 })).batch)
  await rows(
    db,
    `WITH sub AS (INSERT INTO partner_subs (site_id, sub, partner_id, destination) VALUES ($1, 'twice-1', $2, $3)),
       report AS (INSERT INTO reports (id, site_id, partner_id, name) VALUES (gen_random_uuid(), $1, $2, 'r') RETURNING id)
     INSERT INTO earnings (site_id, partner_id, key, day, order_name, sub, commission, currency, state, report_id)
       SELECT $1, $2, n::text, '2026-05-31', n::text, 'twice-1', 100, 'EUR', 'confirmed', report.id FROM report, generate_series(1, 2) n`,
    [owner.siteId, partner.id, destination],
  )
  const { split } = must(await services.shortLinkResults.look(world.editor, link.id, { days: 7 }, NOW))
  assert.deepEqual(
    split?.map(({ to, weight, clicks, orders }) => [to, weight, clicks, orders]),
    [
      [destination, 3, 3, 2],
      ['https://shop.twice.example/b', 1, 1, 0],
    ],
  )
})

test('all links come out as CSV that comes in again as it went out', async () => {
  const { shortLinks } = world.services
  const first = must(await shortLinks.csv(world.owner, null))
  assert.match(first.text, /^destination,slug,host,title,status,note,tags,clicks,clicks by tools\n/)
  assert.equal(first.text.trim().split('\n').length - 1, must(await shortLinks.list(world.owner, { limit: 1 })).total)
})

test('the list is put in the order of clicks and of ends, and narrowed by state, host and partner', async () => {
  const { db, services, owner, editor } = world
  const day = 86_400_000
  const at = (ms: number): string => new Date(Date.now() + ms).toISOString()
  const partner = must(await services.partners.create(owner, { name: 'Listed', sites: ['listed.example'] }))
  const plain = await make({ slug: 'lst-plain', destination: 'https://shop.listed.example/a', tags: ['lst'] })
  const late = await make({ slug: 'lst-late', tags: ['lst'], course: { endsAt: at(9 * day) } })
  const soon = await make({ slug: 'lst-soon', tags: ['lst'], course: { endsAt: at(day) } })
  const over = await make({ slug: 'lst-over', host: 'tern.localhost', tags: ['lst'], course: { endsAt: at(-day) } })
  const next = await make({ slug: 'lst-next', tags: ['lst'], course: { startsAt: at(day), endsAt: at(20 * day) } })
  for (const [link, clicks] of [
    [late, 3],
    [over, 7],
  ] as const)
    await rows(db, `INSERT INTO click_rollups (short_link_id, day, visit, clicks) VALUES ($1, now()::date, 'person', $2)`, [
      link.id,
      clicks,
    ])
  const slugs = async (query: Partial<ShortLinkQuery>): Promise<string[]> =>
    must(await services.shortLinks.list(editor, ShortLinkQuery.parse({ limit: 50, tag: 'lst', ...query }))).items.map(({ slug }) =>
      slug.slice(4),
    )
  assert.deepEqual(await slugs({}), ['next', 'over', 'soon', 'late', 'plain'])
  assert.deepEqual((await slugs({ sort: 'clicks' })).slice(0, 2), ['over', 'late'])
  assert.deepEqual(await slugs({ sort: 'ending' }), ['soon', 'late', 'next'])
  assert.deepEqual(await slugs({ state: 'over' }), ['over'])
  assert.deepEqual(await slugs({ state: 'not yet' }), ['next'])
  assert.deepEqual(await slugs({ state: 'answers' }), ['soon', 'late', 'plain'])
  assert.deepEqual(await slugs({ state: 'down' }), [])
  for (const state of ['answers', 'over', 'not yet'] as const)
    for (const { state: shown } of must(await services.shortLinks.list(editor, ShortLinkQuery.parse({ limit: 50, state }))).items)
      assert.equal(shown, state, 'what the list is narrowed by is what it shows')
  assert.deepEqual(await slugs({ host: 'tern.localhost' }), ['over'])
  assert.deepEqual(await slugs({ partner: partner.id }), ['plain'])
  const first = must(await services.shortLinks.list(editor, ShortLinkQuery.parse({ limit: 2, tag: 'lst', sort: 'clicks' })))
  const rest = must(
    await services.shortLinks.list(editor, ShortLinkQuery.parse({ limit: 9, tag: 'lst', sort: 'clicks', cursor: first.next })),
  )
  assert.deepEqual([...first.items, ...rest.items].map(({ id }) => id).sort(), [plain, late, soon, over, next].map(({ id }) => id).sort())
})

test('a list makes no slug that would hide a redirect, and a long UTM value is no hindrance', async () => {
  const { shortLinkLists } = world.services
  must(await world.services.redirects.create(world.editor, { from: '/see/poster', to: '/', hosts: ['short.localhost'] }))
  const listed = ['poster', 'poster-two'].map((slug, i) => ({
    line: i + 2,
    destination: 'https://tides.example/p',
    slug,
    host: '',
    title: '',
    status: '',
    note: '',
    tags: '',
  }))
  const outcomes = await shortLinkLists.take({ siteId: world.owner.siteId, personId: null }, listed, {
    dryRun: false,
    seen: new Map(),
    step: randomUUID(),
  })
  assert.deepEqual(
    outcomes.map(({ outcome }) => outcome),
    ['refused', 'new'],
  )
  assert.match(inWords(outcomes[0]?.reason ?? ''), /would hide it/)
  const long = await make({ slug: 'long-utm', destination: `https://tides.example/?utm_source=${'x'.repeat(5_000)}` })
  assert.equal(long.slug, 'long-utm')
})

test('what partners reported of a split is told only to whoever may see partners', async () => {
  const split = { main: 1, others: [{ to: 'https://shop.example/c', weight: 1 }] }
  const link = await make({ slug: 'secret-orders', course: { split } })
  const without: typeof world.editor = { ...world.editor, can: (what) => what !== 'partners:read' && world.editor.can(what) }
  const { shortLinkResults } = world.services
  assert.deepEqual(
    must(await shortLinkResults.look(without, link.id, { days: 7 })).split?.map(({ orders }) => orders),
    [null, null],
  )
  assert.deepEqual(
    must(await shortLinkResults.look(world.editor, link.id, { days: 7 })).split?.map(({ orders }) => orders),
    [0, 0],
  )
})

test('a step is taken back as far as it can be: a slug that somebody took stays theirs, a link that was changed stays', async () => {
  const { shortLinkSteps, shortLinks } = world.services
  const gone = [await make({ slug: 'gone-one', further: [{ slug: 'gone-uno' }] }), await make({ slug: 'gone-two' })]
  const { step } = must(await shortLinkSteps.create(world.editor, { ids: gone.map(({ id }) => id), change: { isRemoved: true } }))
  await make({ slug: 'gone-one' })
  assert.deepEqual(must(await shortLinkSteps.undo(world.editor, step ?? '')), { back: 1, left: 1 })
  assert.deepEqual(must(await shortLinks.list(world.editor, { slug: 'gone-uno', limit: 1 })).items, [])
  const channels = [
    { source: 'mail', medium: 'email' },
    { source: 'board', medium: 'print' },
  ]
  const campaign = must(await shortLinkSteps.campaign(world.editor, { destination: 'https://tides.example/kept', name: 'Kept', channels }))
  const [first] = campaign.items
  must(await shortLinks.change(world.editor, first?.id ?? '', { version: 1, title: 'Printed by now' }))
  assert.deepEqual(must(await shortLinkSteps.undo(world.editor, campaign.step)), { back: 1, left: 1 })
  assert.equal((await shortLinks.get(world.editor, first?.id ?? '')).ok, true)
})
