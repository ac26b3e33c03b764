import { randomUUID } from 'node:crypto'
import { writeClick } from '../src/core/clicks/index.ts'
import { variantFor } from '../src/core/routing/index.ts'
import { loadClicks } from '../src/data/clicks.ts'
import { inTransaction, rows } from '../src/data/database.ts'
import { batchOf } from '../src/jobs/click-batch.ts'
import type { Actor, Context, Services } from '../src/services/index.ts'
import { must } from './must.ts'
import { seeded } from './random.ts'

const SEED = 4471
/** Short links of the demo in all, and days of clicks. */
const LINKS = 150
const DAYS = 90
const DAY_MS = 86_400_000

const SHORT_LINKS: readonly (readonly [slug: string, to: string, title: string])[] = [
  ['smock', 'smock', 'The waxed smock'],
  ['boots', 'boots', 'Deck boots'],
  ['cap', 'cap', 'The oilskin cap'],
  ['bunks', 'six', 'Six bunks above the net loft'],
  ['loft', 'loft', 'The net loft'],
  ['map', 'sheet', 'Sheet 14, all four islands'],
  ['tides', 'tides', 'Reading Tides'],
  ['birds', 'birds', 'Birds of the Skerries'],
  ['hide', 'hide', 'The northern hide'],
  ['wind', 'weather', 'Harbour weather'],
]

const PLACES = ['skarrow', 'mew', 'tern', 'hollin', 'quay', 'sound', 'skerry', 'causeway', 'pier', 'bothy', 'ness', 'strand'] as const
const THINGS = ['walk', 'map', 'boat', 'birds', 'rooms', 'soup', 'light', 'tide', 'seals', 'path', 'news', 'post'] as const
/** Where those lead that nobody named one by one. */
const ELSEWHERE = ['sheets', 'six', 'loft', 'birds', 'weather', 'hide', 'prints', 'cap'] as const
const REFERRERS = [
  '',
  '',
  '',
  'slow-ferry.localhost',
  'slow-ferry.localhost',
  'mail.example',
  'chatter.example',
  'quaysearch.example',
  'islanders.example',
] as const
const LANGUAGES = ['en', 'en', 'en', 'en', 'de', 'nl', 'fr', null] as const
/** How many of a hundred visitors come in each hour of the day. */
const BY_HOUR = [1, 1, 0, 0, 0, 1, 3, 5, 6, 6, 5, 5, 6, 5, 4, 4, 5, 6, 7, 8, 9, 7, 4, 2] as const

/** A click as it stands in the log: see the loader. */
interface Clicked {
  readonly id: string
  readonly day: string
  readonly visit: 'person' | 'bot'
  readonly variant: number | null
}

/** A hundred and fifty short links: a campaign, a split, an offer that ended, further spellings, and a quarter of clicks with a wave of bots in it. */
export async function makeShortLinks(
  { db, settings }: Context,
  services: Services,
  owner: Actor,
  where: Readonly<Record<string, string>>,
): Promise<void> {
  const random = seeded(SEED)
  const pick = <T>(list: readonly T[]): T => list[Math.floor(random() * list.length)] as T
  const shop = (host: string, path: string): string => `http://${host}.localhost:${settings.standInsPort}${path}`
  const ids: string[] = []
  for (const [slug, to, title] of SHORT_LINKS)
    ids.push(must(await services.shortLinks.create(owner, { destination: where[to] ?? '', slug, title })).id)

  const campaign = await services.shortLinkSteps.campaign(owner, {
    destination: shop('bothy-beds', '/rooms/six-bunks?ref=slowferry'),
    name: 'Quiet Season',
    channels: [
      { source: 'newsletter', medium: 'email', slug: 'quiet' },
      { source: 'leaflet', medium: 'print', slug: 'quiet-leaflet' },
      { source: 'harbour-board', medium: 'print', slug: 'quiet-board' },
      { source: 'chatter', medium: 'social', slug: 'quiet-chat' },
    ],
  })
  const made = must(campaign).items.map(({ id }) => id)
  const split = must(
    await services.shortLinks.create(owner, {
      destination: shop('gannet-line', '/smocks/waxed?p=4471'),
      slug: 'oilskin',
      title: 'Waxed or oiled: which page sells',
      tags: ['tests'],
      note: 'Two pages of the same shop, half and half, until the spring.',
      course: { split: { main: 50, others: [{ to: shop('gannet-line', '/smocks/oiled?p=4471'), weight: 50 }] } },
      further: [{ slug: 'oil-skin' }, { slug: 'oilskins' }],
    }),
  )
  const regatta = must(
    await services.shortLinks.create(owner, {
      destination: shop('loft-prints', '/crossing'),
      slug: 'regatta',
      title: 'Prints for the regatta',
      tags: ['regatta'],
      course: {
        endsAt: new Date(Date.now() - 12 * DAY_MS).toISOString(),
        ending: 'elsewhere',
        endingTo: `http://slow-ferry.localhost:${settings.port}/`,
        cases: [{ when: { languages: ['de'] }, to: shop('loft-prints', '/ueberfahrt') }],
      },
    }),
  )
  const rest = PLACES.flatMap((place) => THINGS.map((thing) => [place, thing] as const))
    .filter(([place, thing]) => `${place}-${thing}` !== 'pier-news')
    .slice(0, LINKS - ids.length - made.length - 2)
  const listed = rest.map(([place, thing], i) => ({
    line: i + 2,
    destination:
      (where[ELSEWHERE[i % ELSEWHERE.length] ?? ''] ?? '') +
      (i % 5 === 0
        ? `${(where[ELSEWHERE[i % ELSEWHERE.length] ?? ''] ?? '').includes('?') ? '&' : '?'}utm_source=${i % 2 === 0 ? 'newsletter' : 'leaflet'}&utm_medium=${i % 2 === 0 ? 'email' : 'print'}`
        : ''),
    slug: `${place}-${thing}`,
    host: '',
    title: `${place[0]?.toUpperCase()}${place.slice(1)}: ${thing}`,
    status: '',
    note: '',
    tags: '',
  }))
  await services.shortLinkLists.take({ siteId: owner.siteId, personId: owner.personId }, listed, {
    dryRun: false,
    seen: new Map(),
    step: randomUUID(),
  })
  const others = await rows<{ id: string }>(db, 'SELECT id FROM short_links WHERE site_id = $1 AND slug = ANY($2::text[]) ORDER BY slug', [
    owner.siteId,
    listed.map(({ slug }) => slug),
  ])

  const clicks: Clicked[] = []
  const perDay = (often: number, ago: number): number => {
    const weekday = new Date(Date.now() - ago * DAY_MS).getUTCDay()
    return Math.floor(random() * often * (weekday === 0 || weekday === 6 ? 1.5 : 1) * (1 + (DAYS - ago) / DAYS))
  }
  const click = (id: string, ago: number, times: number, more: Partial<Clicked> = {}): void => {
    const day = new Date(Date.now() - ago * DAY_MS).toISOString().slice(0, 10)
    for (let i = 0; i < times; i++) clicks.push({ id, day, visit: random() < 0.06 ? 'bot' : 'person', variant: null, ...more })
  }
  const halves = { main: 50, others: [{ to: '', weight: 50 }] }
  for (let ago = DAYS; ago > 0; ago--) {
    for (const [i, id] of ids.entries()) click(id, ago, perDay(16 - 1.4 * i, ago))
    if (ago < 45) for (const [i, id] of made.entries()) click(id, ago, perDay(12 - 3 * i, ago))
    if (ago < 30) for (let i = perDay(14, ago); i > 0; i--) click(split.id, ago, 1, { variant: variantFor(halves, random()) })
    if (ago > 12) click(regatta.id, ago, perDay(7, ago))
    for (const { id } of others) if (random() < 0.25) click(id, ago, 1 + Math.floor(random() * 2))
    // Somebody's program went through all the links it found, on two days.
    if (ago === 21 || ago === 20) for (const id of ids) click(id, ago, 40, { visit: 'bot' })
  }
  const lines = clicks.map(({ id, day, visit, variant }) => {
    const visitor = Math.floor(random() * 2 ** 48)
      .toString(16)
      .padStart(16, '0')
    const minutes = new Date(Math.floor(random() * 3_600_000)).toISOString().slice(14, 23)
    const device = visit === 'bot' ? 'other' : random() < 0.62 ? 'phone' : random() < 0.85 ? 'computer' : 'tablet'
    const referrer = visit === 'bot' ? '' : pick(REFERRERS)
    const language = pick(LANGUAGES)
    return writeClick({
      at: `${day}T${String(hourAt(random())).padStart(2, '0')}:${minutes}Z`,
      shortLinkId: id,
      ...{ visit, visitor, device, language, referrer: referrer === '' ? null : referrer, variant },
    })
  })
  await loadClicks(db, (await batchOf(lines.join('\n'), { node: 'demo', segment: 'seed', from: 0, to: 1 })).batch)
  // Made over some months rather than in one second, so that lists have an order to show.
  await inTransaction(db, async (transaction) => {
    const order = SHORT_LINKS.map(([slug]) => slug).reverse()
    await rows(
      db,
      `UPDATE short_links SET created_at = created_at - interval '91 days' - array_position($1::text[], slug) * interval '53 hours' WHERE slug = ANY($1::text[])`,
      [order],
      transaction,
    )
    await rows(
      db,
      `UPDATE short_links SET created_at = created_at - interval '92 days' - (length(title) * 7 + ascii(slug)) * interval '3 hours' WHERE id = ANY($1::uuid[])`,
      [others.map(({ id }) => id)],
      transaction,
    )
    await rows(
      db,
      `UPDATE short_links SET created_at = created_at - interval '31 days' WHERE id = ANY($1::uuid[])`,
      [[split.id]],
      transaction,
    )
    await rows(db, `UPDATE short_links SET created_at = created_at - interval '46 days' WHERE id = ANY($1::uuid[])`, [made], transaction)
    await rows(
      db,
      `UPDATE short_links SET created_at = created_at - interval '91 days' WHERE id = ANY($1::uuid[])`,
      [[regatta.id]],
      transaction,
    )
    await rows(
      db,
      'UPDATE short_link_changes c SET created_at = l.created_at FROM short_links l WHERE l.id = c.short_link_id AND l.site_id = $1',
      [owner.siteId],
      transaction,
    )
  })
}

/** An hour of the day, as visitors come. @param chance - from 0 inclusive to 1 exclusive */
function hourAt(chance: number): number {
  let left = chance * BY_HOUR.reduce<number>((sum, each) => sum + each, 0)
  return BY_HOUR.findIndex((share) => {
    left -= share
    return left < 0
  })
}
