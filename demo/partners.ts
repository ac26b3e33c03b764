import { PageQuery } from '../src/contract/pages.ts'
import type { PartnerNew } from '../src/contract/partners.ts'
import { ShortLinkQuery } from '../src/contract/short-links.ts'
import { subIdOf } from '../src/core/partners/index.ts'
import { keepSubs, type SubRow } from '../src/data/partner-links.ts'
import type { Actor, Context, Services } from '../src/services/index.ts'
import { must } from './must.ts'

const DAY_MS = 86_400_000
const dayBack = (days: number): string => new Date(Date.now() - days * DAY_MS).toISOString().slice(0, 10)

const MONTHLY = { method: 'bank transfer', every: 'month', afterMonths: 1 } as const

/** The programmes that the magazine earns with, and the network that carries three of them. */
const PARTNERS: readonly (PartnerNew & { readonly byNetwork?: true })[] = [
  {
    ...{
      name: 'Gannet & Line',
      sites: ['gannet-line.localhost'],
      what: 'waterproofs',
      template: '{url}?p={account}',
      account: '4471',
      byNetwork: true,
    },
    commission: {
      kind: 'tiers',
      by: 'orders',
      each: 'month',
      steps: [
        { from: 1, percent: 8 },
        { from: 20, percent: 10 },
      ],
    },
    ...{
      cookieDays: 30,
      payout: { ...MONTHLY, afterMonths: 2, day: 15, threshold: 5_000 },
      contact: 'Ines at the loft, partners@gannet-line.example',
    },
    notes: 'Asks for pictures of wet people, not of dry ones.',
  },
  {
    ...{
      name: 'Bothy Beds',
      sites: ['bothy-beds.localhost'],
      what: 'rooms',
      template: '{url}?ref={account}&s={sub}',
      account: 'slowferry',
      byNetwork: true,
    },
    ...{ commission: { kind: 'percent', percent: 6 }, cookieDays: 14, payout: { ...MONTHLY, day: 28, threshold: 2_500 } },
  },
  {
    ...{
      name: 'Contour Kiosk',
      sites: ['contour-kiosk.localhost'],
      what: 'maps',
      template: '{url}?a={account}&s={sub}',
      account: 'slowferry',
      byNetwork: true,
    },
    ...{
      commission: { kind: 'flat', amount: 150 },
      cookieDays: 7,
      payout: { ...MONTHLY, every: 'quarter', afterMonths: 2, day: 10, threshold: 2_000 },
    },
  },
  {
    ...{
      name: 'Kelp Lane Books',
      sites: ['kelp-lane-books.localhost'],
      what: 'books',
      template: '{url}?via={account}',
      account: 'slow-ferry',
    },
    ...{
      commission: { kind: 'recurring', percent: 5, months: 12 },
      cookieDays: 60,
      payout: { method: 'book tokens', every: 'year', day: 31, afterMonths: 1, threshold: 0 },
    },
  },
]

/** Makes the partners. Log-ins are kept as an editor would keep them. */
export async function makePartners({ settings }: Context, services: Services, owner: Actor): Promise<void> {
  const network = must(
    await services.partners.create(owner, {
      ...{ name: 'Tidemark', sites: ['tidemark.localhost'], isNetwork: true, what: 'carries three of them', account: '4471' },
      template: `http://tidemark.localhost:${settings.standInsPort}/c/{account}/gannet-line?to={path}`,
      loginUrl: `http://tidemark.localhost:${settings.standInsPort}/`,
    }),
  )
  must(
    await services.partners.keepLogIn(owner, network.id, { name: 'slow-ferry', password: 'low-water-at-noon', version: network.version }),
  )
  for (const { byNetwork, ...partner } of PARTNERS)
    must(
      await services.partners.create(owner, {
        ...partner,
        ...(byNetwork === true ? { networkId: network.id } : { loginUrl: `http://kelp-lane-books.localhost:${settings.standInsPort}/` }),
        // It has ended: what still leads there is to be pointed elsewhere.
        ...(partner.name === 'Kelp Lane Books' ? ({ status: 'ended', endsOn: dayBack(12) } as const) : {}),
      }),
    )
}

/** Words that readers of the magazine would follow, and where they would like to get. */
const PHRASES: readonly (readonly [partner: string, path: string, words: readonly string[], priority: number])[] = [
  ['gannet-line', '/smocks/waxed', ['waxed smock', 'oilskin', 'waterproof jacket', 'smock'], 4],
  ['gannet-line', '/boots/deck', ['deck boots', 'sea boots', 'boots'], 3],
  ['bothy-beds', '/rooms/six-bunks', ['six bunks', 'bunk room', 'bunkhouse', 'bed for the night'], 5],
  ['bothy-beds', '/rooms/net-loft', ['net loft', 'rooms'], 3],
  ['contour-kiosk', '/sheets/14', ['sheet map', 'sheet 14', 'a proper map', 'map'], 4],
  ['kelp-lane-books', '/books/reading-tides', ['tide tables', 'reading tides', 'tides'], 3],
  ['kelp-lane-books', '/books/birds-of-the-skerries', ['field guide', 'birds', 'seabirds'], 2],
]
const OWN_PHRASES: readonly (readonly [path: string, words: readonly string[]])[] = [
  ['/timetables.html', ['timetable', 'sailing times']],
  ['/islands/great-mew.html', ['Great Mew']],
  ['/islands/skarrow.html', ['Skarrow']],
]

/** Phrases, the disclosure, a few banners and three months of reports. Needs pages and short links to stand. */
export async function makeEarnings(context: Context, services: Services, owner: Actor, random: () => number): Promise<void> {
  const { standInsPort } = context.settings
  for (const [partner, path, words, priority] of PHRASES)
    must(await services.phrases.create(owner, { destination: `http://${partner}.localhost:${standInsPort}${path}`, words, priority }))
  for (const [path, words] of OWN_PHRASES) must(await services.phrases.create(owner, { destination: path, words, priority: 2 }))
  must(
    await services.disclosure.change(owner, {
      text: 'Some links here lead to shops and rooms that pay us a little when you buy. It costs you nothing.',
      place: 'above',
      language: 'en',
      short: '',
      isDelivered: false,
      isAtDoors: false,
    }),
  )
  const partners = must(await services.partners.list(owner)).items
  const beds = partners.find(({ name }) => name === 'Bothy Beds')
  if (beds !== undefined)
    for (const [path, alt] of [
      ['/rooms/six-bunks', 'Six bunks and a stove'],
      ['/rooms/net-loft', 'Sleep where the nets did'],
    ] as const)
      must(
        await services.partnerLinks.keepBanner(owner, {
          partnerId: beds.id,
          html: `<a href="http://bothy-beds.localhost:${standInsPort}${path}"><img src="http://bothy-beds.localhost:${standInsPort}/banner.png" width="300" height="250" alt="${alt}"></a><img src="http://bothy-beds.localhost:${standInsPort}/seen.gif" width="1" height="1">`,
        }),
      )
  await bringReports(context, services, owner, random)
}

/** What three partners reported: orders that stand on pages, in short links, and a few that nobody can place. */
async function bringReports(context: Context, services: Services, owner: Actor, random: () => number): Promise<void> {
  const partners = must(await services.partners.list(owner)).items
  const pages = must(await services.pages.list(owner, PageQuery.parse({ kind: 'page', limit: 40 }))).items
  const links = must(await services.shortLinks.list(owner, ShortLinkQuery.parse({ limit: 20 }))).items
  for (const [name, most, head, decimals] of [
    ['Gannet & Line', 900, 'Order date;Order ID;Sub ID;Order value;Commission;Currency;Status', 'comma'],
    ['Bothy Beds', 1_400, 'date,reference,sub id,sale amount,commission,currency,status', 'point'],
    ['Contour Kiosk', 150, 'date,order,click ref,order value,provision,currency,status', 'point'],
  ] as const) {
    const partner = partners.find((each) => each.name === name)
    if (partner === undefined) continue
    const delimiter = decimals === 'comma' ? ';' : ','
    const say = (minor: number): string => (minor / 100).toFixed(2).replace('.', decimals === 'comma' ? ',' : '.')
    const home = `http://${partner.sites[0]}/`
    const places: SubRow[] = [
      ...pages.flatMap(({ id }, i) =>
        i % 3 === 0 ? [{ sub: subIdOf(id, name, 0), partnerId: partner.id, pageId: id, shortLinkId: null, destination: home }] : [],
      ),
      ...links
        .slice(0, 4)
        .map(({ id, destination }) => ({ sub: subIdOf(id, name, 0), partnerId: partner.id, pageId: null, shortLinkId: id, destination })),
    ]
    await keepSubs(context.db, owner.siteId, places)
    const subs = places.map(({ sub }) => sub)
    const lines: string[] = []
    for (let order = 0; order < 46; order++) {
      const days = Math.floor(random() * 90)
      const sale = Math.round(most * (2 + random() * 10))
      const commission = name === 'Contour Kiosk' ? 150 : Math.round(sale * 0.08)
      const status = days > 35 ? 'paid' : days > 18 ? 'approved' : random() < 0.1 ? 'declined' : 'pending'
      const sub = random() < 0.12 ? '' : (subs[Math.floor(random() ** 2 * subs.length)] ?? '')
      lines.push(
        [dayBack(days), `${name.slice(0, 2).toUpperCase()}-${1_000 + order}`, sub, say(sale), say(commission), 'EUR', status].join(
          delimiter,
        ),
      )
    }
    const bytes = new TextEncoder().encode(`${head}\n${lines.join('\n')}\nTotal${delimiter.repeat(6)}\n`)
    const guess = must(await services.earnings.guess(owner, partner.id, bytes))
    const layout = {
      columns: guess.columns,
      decimals: guess.decimals ?? decimals,
      dates: guess.dates ?? 'year first',
      currency: guess.currency ?? 'EUR',
    } as const
    must(
      await services.earnings.take(
        owner,
        { partnerId: partner.id, name: `${name.toLowerCase().replace(/\W+/g, '-')}.csv`, layout, dryRun: false },
        bytes,
      ),
    )
  }
}
