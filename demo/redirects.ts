import { randomUUID } from 'node:crypto'
import type { RedirectNew } from '../src/contract/redirects.ts'
import { draftOf } from '../src/core/exchange/index.ts'
import { loadClicks } from '../src/data/clicks.ts'
import { inTransaction, rows } from '../src/data/database.ts'
import { insertRedirects } from '../src/data/redirect-steps.ts'
import { listRedirects } from '../src/data/redirects.ts'
import type { Actor, Context, Services } from '../src/services/index.ts'
import { must } from './must.ts'

/** Rows of the demo in all. */
const ROWS = 220
const DAY_MS = 86_400_000

/** Rows that have something of their own; those before "…" have believable faults. */
function written(shops: number): RedirectNew[] {
  const shop = (host: string, path: string): string => `http://${host}.localhost:${shops}${path}`
  return [
    { from: '/ferries', to: '/timetables.html', match: 'under', note: 'The old timetables had a page for each boat' },
    { from: '/ferries/timetable', to: '/timetables.html' },
    { from: '/old-shop', to: '/shop' },
    { from: '/shop', to: shop('gannet-line', '/shop'), status: 302 },
    { from: '/tides', to: shop('kelp-lane-books', '/'), match: 'under', status: 308, note: 'Tide tables are printed by Kelp Lane now' },
    { from: '/map14', to: shop('contour-kiosk', '/sheets/14'), status: 302 },
    { from: '/skarrow/:walk', to: '/walks/$walk.html', match: 'pattern' },
    { from: '/great-mew/:page.htm', to: '/islands/great-mew.html', match: 'pattern' },
    { from: '/agm-2019.pdf', to: '', status: 410, note: 'Asked to be taken down by the society' },
    { from: '^/photo(\\d+)\\.html$', to: shop('loft-prints', '/crossing?no=$1'), match: 'expression', status: 302 },
    { from: '/index.php', to: '/islands/tern-holm.html', when: { query: [{ name: 'page', value: 'tern' }] } },
    { from: '/index.php', to: '/islands/hollin.html', when: { query: [{ name: 'page', value: 'hollin' }] } },
    { from: '/index.php', to: '/' },
    { from: '/willkommen', to: '/about.html', when: { languages: ['de'] }, note: 'Until there is a German page' },
    {
      from: '/regatta',
      to: '/harbour-notes/spring.html',
      when: { from: '2026-04-01T00:00:00.000Z', until: '2026-06-01T00:00:00.000Z' },
      status: 302,
    },
    { from: '/rooms/quay', to: '/rooms-on-the-quay.html', note: 'Renamed in spring' },
    { from: '/what-to-pack.html', to: '/packing.html', note: 'Meant to be moved, and never was' },
    { from: '/press', to: '/press-pack.html', isOn: false },
    { from: '/ferries/timetable', to: '/timetables.html', hosts: ['logbook.localhost'] },
    { from: '/causeway-walk', to: '/walks/causeway.html' },
    { from: '/walks/the-causeway', to: '/causeway-walk' },
  ]
}

const ISLANDS = ['skarrow', 'great-mew', 'tern-holm', 'hollin'] as const
const THINGS = ['walk', 'birds', 'boats', 'lighthouse', 'weather', 'map', 'rooms', 'tides', 'seals', 'history', 'soup', 'pier'] as const

/** What every old magazine has: a page an issue, an island and a thing, at addresses of a program that is long gone. */
function archive(count: number): RedirectNew[] {
  const found: RedirectNew[] = []
  for (let year = 2012; found.length < count; year++)
    for (const island of ISLANDS)
      for (const thing of THINGS.slice(0, 5 + (year % 4))) {
        if (found.length >= count) break
        found.push({
          from: `/archive/${year}/${island}-${thing}.htm`,
          to:
            thing === 'tides' || thing === 'boats'
              ? '/timetables.html'
              : thing === 'rooms'
                ? '/rooms-by-the-quay.html'
                : `/islands/${island}.html`,
          note: year % 3 === 0 ? `Issue of ${year}` : '',
        })
      }
  return found
}

/** Addresses that visitors ask for in vain: how often, and who led them there. */
const MISSED = [
  ['/rooms-by-quay', 84, 12, 'ferry-society.localhost'],
  ['/timetabels', 57, 41, ''],
  ['/islands/great-mew/hut', 31, 30, 'islands-by-foot.example'],
  ['/walks/causway', 18, 19, ''],
  ['/shop/smocks', 9, 7, 'warm-and-dry.example'],
  ['/harbour-notes/autumn', 6, 2, ''],
] as const

/** Fills the demo's table of redirects, with some hits, some faults, and some addresses that nobody answers. */
export async function makeRedirects({ db, settings }: Context, services: Services, owner: Actor, random: () => number): Promise<void> {
  const own = written(settings.standInsPort)
  const all = [...own, ...archive(ROWS - own.length - 2)]
  const done = must(
    await services.redirectSteps.create(owner, { what: 'Brought along from the old site', items: all.map((row) => ({ do: 'make', row })) }),
  )
  if (done.refused.length > 0) throw new Error(`A row of the demo is refused: ${JSON.stringify(done.refused[0])}`)
  // A circle cannot be made here; this one came about before anybody looked.
  const { siteId, personId } = owner
  await inTransaction(db, (transaction) =>
    insertRedirects(
      db,
      { siteId, personId, stepId: null },
      [
        { id: randomUUID(), row: { ...draftOf({ from: '/winter', to: '/winter-2' }), key: '/winter' } },
        { id: randomUUID(), row: { ...draftOf({ from: '/winter-2', to: '/winter' }), key: '/winter-2' } },
      ],
      transaction,
    ),
  )
  const { items } = await listRedirects(db, { siteId, limit: ROWS })
  const today = Math.floor(Date.now() / DAY_MS) * DAY_MS
  const days = Array.from({ length: 30 }, (_, i) => new Date(today - (30 - i) * DAY_MS).toISOString().slice(0, 10))
  const rollups = items.flatMap(({ id, from }, i) =>
    days.flatMap((day) => {
      const clicks = from.startsWith('/winter') ? 0 : Math.floor((random() * 28) / (1 + i / 2) + (random() < 0.06 ? 1 : 0))
      return clicks === 0 ? [] : [{ shortLinkId: id, day, visit: 'person', clicks }]
    }),
  )
  const paths = MISSED.flatMap(([path, week, before, referrer]) =>
    [...spread(week, 0), ...spread(before, 7)].map(({ ago, people }) => {
      const day = new Date(today - ago * DAY_MS).toISOString()
      return {
        siteId,
        host: 'slow-ferry.localhost',
        path,
        day: day.slice(0, 10),
        people,
        others: ago % 3 === 0 ? 1 : 0,
        firstAt: day,
        lastAt: day,
        referrers: new Map(referrer === '' ? [] : [[referrer, people]]),
      }
    }),
  )
  const noise = [
    { siteId, day: days[29] ?? '', kind: 'scanner', visits: 268 },
    { siteId, day: days[29] ?? '', kind: 'icon', visits: 44 },
  ]
  await loadClicks(db, {
    node: 'demo',
    segment: 'redirects',
    from: 0,
    to: 1,
    clicks: 0,
    copied: [],
    days: [],
    rollups,
    hours: [],
    sources: [],
    missed: { paths, noise },
    seen: { pages: [], links: [], visitors: [] },
  })
  // One row led elsewhere until last week: the bench can ask how it was answered then.
  const changed = items.find(({ from }) => from === '/causeway-walk')
  if (changed !== undefined) {
    must(
      await services.redirects.change(owner, changed.id, {
        version: changed.version,
        to: '/walks/causeway.html',
        note: 'Led to the front page until last week',
      }),
    )
    await inTransaction(db, async (transaction) => {
      await rows(db, `UPDATE redirect_revisions SET at = at - interval '120 days' WHERE version = 1`, [], transaction)
      await rows(
        db,
        `UPDATE redirect_revisions SET state = state || '{"to": "/"}' WHERE redirect_id = $1 AND version = 1`,
        [changed.id],
        transaction,
      )
      await rows(
        db,
        `UPDATE redirect_revisions SET at = at - interval '6 days' WHERE redirect_id = $1 AND version = 2`,
        [changed.id],
        transaction,
      )
      await rows(db, `UPDATE redirects SET created_at = created_at - interval '120 days'`, [], transaction)
    })
  }
}

/** Some visits over the days of a week. @param before - how many days ago it ended */
function spread(visits: number, before: number): { ago: number; people: number }[] {
  return Array.from({ length: 7 }, (_, i) => ({ ago: before + i, people: Math.floor(visits / 7) + (i < visits % 7 ? 1 : 0) })).filter(
    ({ people }) => people > 0,
  )
}
