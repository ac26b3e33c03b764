import { loadClicks } from '../src/data/clicks.ts'
import type { SeenLink, SeenPage } from '../src/data/counted-pages.ts'
import type { Actor, Context, Services } from '../src/services/index.ts'
import { must } from './must.ts'
import { seeded } from './random.ts'

const SEED = 4473
const DAYS = 90
const DAY_MS = 86_400_000
/** When a day's readers of one page are noted: a page has one busy hour, which is enough for a chart by days. */
const HOURS = ['07', '12', '20'] as const
const PAGES = 400

/**
 * Three months of readers, of pages and of some links on them. That it is counted is left turned off, as every site begins: what is
 * delivered is then what the pages hold, and whoever looks around turns it on in Settings.
 */
export async function makePageViews({ db }: Context, services: Services, owner: Actor): Promise<void> {
  const random = seeded(SEED)
  const host = must(await services.hosts.list(owner)).items.find(({ kind }) => kind === 'site')?.host ?? ''
  const pages: SeenPage[] = []
  const links: SeenLink[] = []
  const { siteId } = owner
  const listed = must(await services.pages.list(owner, { limit: PAGES }))
  const placements = must(await services.placements.list(owner, { limit: 500 })).items
  for (const [rank, page] of listed.items.entries()) {
    const daily = 40 / (1 + (rank % 17)) + random() * 6
    const out = placements.filter((each) => each.pageId === page.id && /^https?:/.test(each.href)).slice(0, 4)
    for (let day = 0; day < DAYS; day++) {
      const on = new Date(Date.now() - day * DAY_MS).toISOString().slice(0, 10)
      const people = Math.round(daily * (0.4 + random()))
      if (people === 0) continue
      const hour = `${on}T${HOURS[Math.floor(random() * HOURS.length)]}`
      pages.push({ siteId, host, path: page.path, hour, people, others: Math.round(people * random() * 0.4) })
      for (const link of out) {
        const followed = Math.round(people * random() * 0.08)
        if (followed > 0) links.push({ siteId, host, path: page.path, hour, address: link.href, nth: 0, people: followed, others: 0 })
      }
    }
  }
  await loadClicks(db, {
    ...{ node: 'demo', segment: 'pages', from: 0, to: 1, clicks: 0, copied: [], days: [], rollups: [], hours: [], sources: [] },
    ...{ missed: { paths: [], noise: [] }, seen: { pages, links, visitors: [] } },
  })
}
