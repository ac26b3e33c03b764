import { zipSync } from 'fflate'
import { MenuBody } from '../src/contract/menus.ts'
import { setFieldValues } from '../src/core/blocks/index.ts'
import { wrapLink } from '../src/core/markup/index.ts'
import type { MenuEntry } from '../src/core/menus/index.ts'
import { BY_HAND, type Rule } from '../src/core/rules/index.ts'
import { insertPerson } from '../src/data/people.ts'
import { insert } from '../src/data/plain.ts'
import { hosts, type Role, sites } from '../src/data/tables/index.ts'
import { judgeClicks } from '../src/jobs/counting.ts'
import { runImport } from '../src/jobs/imports.ts'
import type { Actor, Context, Services } from '../src/services/index.ts'
import { actorFor } from '../src/services/people/index.ts'
import { hashPassword } from '../src/services/secrets.ts'
import { crossings } from './crossings.ts'
import { must } from './must.ts'
import { makePageViews } from './page-views.ts'
import { DEMO_FILES, DEMO_PAGES, destinations, FOOTER, NAVIGATION, renderPage } from './pages.ts'
import { makeEarnings, makePartners } from './partners.ts'
import { seeded } from './random.ts'
import { makeRedirects } from './redirects.ts'
import { makeShortLinks } from './short-links.ts'

const SEED = 4471
/** The demo runs on loopback only, and the start command prints this. */
export const DEMO_PASSWORD = 'ten-past-seven'
export const DEMO_PEOPLE: readonly { readonly email: string; readonly name: string; readonly role: Role }[] = [
  { email: 'mara@slow-ferry.example', name: 'Mara Quill', role: 'owner' },
  { email: 'tobin@slow-ferry.example', name: 'Tobin Reeve', role: 'editor' },
  { email: 'deckhand@slow-ferry.example', name: 'Ish Calder', role: 'contributor' },
]

const RULES: readonly Rule[] = [
  {
    id: 'own-words',
    name: 'Books on old pages are our own advice',
    isOn: true,
    isBinding: false,
    when: {
      all: [
        { is: 'site', of: ['kelp-lane-books.localhost'] },
        { is: 'origin', of: 'imported' },
      ],
    },
    what: { hints: [] },
  },
  {
    id: 'outside',
    name: 'Outside links open a new tab',
    isOn: true,
    isBinding: false,
    when: { is: 'kind', of: ['outside'] },
    what: { opens: 'new tab' },
  },
  {
    id: 'inside',
    name: 'Inside links stay in the tab',
    isOn: true,
    isBinding: false,
    when: { is: 'kind', of: ['inside page', 'section'] },
    what: { opens: 'same tab' },
  },
]

/** Fills an empty database with The Slow Ferry, the same every time. @returns an API token with all scopes */
export async function seedDemo(context: Context, services: Services): Promise<{ token: string }> {
  const { db, settings } = context
  const own = { name: 'The Slow Ferry', timeZone: 'Europe/London', insideAllowed: ['0.0.0.0/0', '::/0'], isDemo: true }
  const site = await insert(db, sites, own)
  await insert(db, hosts, { siteId: site.id, host: 'slow-ferry.localhost', kind: 'site', isMain: true })
  await insert(db, hosts, { siteId: site.id, host: 'sferry.localhost', kind: 'short', prefix: 'go', isMain: true })
  const origin = `http://logbook.localhost:${settings.standInsPort}`
  await insert(db, hosts, { siteId: site.id, host: 'logbook.localhost', kind: 'door', origin })
  const passwordHash = await hashPassword(DEMO_PASSWORD)
  const people = await Promise.all(DEMO_PEOPLE.map((person) => insertPerson(db, { ...person, siteId: site.id, passwordHash })))
  const [owner, editor, contributor] = people.map((person) => (person === null ? null : actorFor(person)))
  if (owner == null || editor == null || contributor == null) throw new Error('The demo has no people')
  await makePartners(context, services, owner)
  const where = destinations(settings.standInsPort, settings.port)
  await bringIn(context, services, owner, where)
  await shareParts(services, owner, where)
  must(await services.rules.save(owner, { version: 0, rules: [...RULES] }))
  await makeShortLinks(context, services, owner, where)
  await makePageViews(context, services, owner)
  await judgeClicks(context.db)
  must(await services.publications.create(owner, { all: true }))
  await makeRedirects(context, services, owner, seeded(SEED + 1))
  await makeEarnings(context, services, owner, seeded(SEED + 2))
  await leaveDrafts(services, editor, contributor, where)
  return must(await services.tokens.make(owner, { name: 'The demo’s own token', scopes: ['*'] }))
}

async function bringIn(context: Context, services: Services, owner: Actor, where: Readonly<Record<string, string>>): Promise<void> {
  const text = new TextEncoder()
  const entries: Record<string, Uint8Array> = {}
  for (const page of [...DEMO_PAGES, ...crossings()]) entries[page.name] = text.encode(renderPage(page, where))
  for (const [name, content] of Object.entries(DEMO_FILES)) entries[name] = text.encode(content)
  const job = must(await services.imports.start(owner, { name: 'slow-ferry.zip', bytes: zipSync(entries) }, () => ({ dryRun: false })))
  await runImport(context.db, services.views, job, context.log)
  const done = must(await services.jobs.get(owner, job))
  if (done.state !== 'done') throw new Error(`The demo could not be brought in: ${JSON.stringify(done.message ?? done.state)}`)
}

/** The main menu and the footer, which every page puts in; and the one page that is written for a partner. */
async function shareParts(services: Services, owner: Actor, where: Readonly<Record<string, string>>): Promise<void> {
  const leads = (name: string): string => `/${where[name] ?? ''}`.replace('/index.html', '/')
  const entry = (label: string, name: string | null): MenuEntry => ({
    id: label,
    kind: name === null ? 'title' : 'page',
    label,
    href: name === null ? '' : leads(name),
    children: [],
  })
  const entries = NAVIGATION.map(([label, name, children]) => ({
    ...entry(label, name),
    children: (children ?? []).map(([words, to]) => entry(words, to)),
  }))
  const menu = must(await services.menus.create(owner, { name: 'main', title: 'Main menu' }))
  must(
    await services.menus.change(owner, menu.id, {
      version: menu.version,
      menu: MenuBody.parse({ entries, left: ['/harbour-notes/winter.html'], joins: 'last' }),
    }),
  )
  const { block } = must(await services.blocks.create(owner, { name: 'footer', title: 'Footer', source: FOOTER, replaceSame: false }))
  const values = setFieldValues(FOOTER, { motto: 'Printed on the quay. Slow on purpose.', post: 'deckhand@slow-ferry.example' })
  must(await services.pages.change(owner, block.id, { version: block.version, patchSets: [[...values]] }))
  const [page] = must(await services.pages.list(owner, { path: '/harbour-notes/spring.html', limit: 1 })).items
  const [partner] = must(await services.partners.list(owner)).items.filter(({ name }) => name === 'Gannet & Line')
  if (page === undefined || partner === undefined) throw new Error('The demo lacks its sponsored page')
  const { version } = must(await services.pages.source(owner, page.id))
  must(await services.pages.change(owner, page.id, { version, patchSets: [], writtenFor: partner.id }))
}

/** Two pages are being worked on, so that the ledge has something to say. */
async function leaveDrafts(services: Services, editor: Actor, contributor: Actor, where: Readonly<Record<string, string>>): Promise<void> {
  for (const [path, words, to, hand] of [
    ['/islands/skarrow.html', 'twenty minutes', 'chart', ''],
    ['/about.html', 'one deckhand', 'prints', 'hints'],
    ['/harbour-notes/winter.html', 'Three weeks', 'society', ''],
  ] as const) {
    const [page] = must(await services.pages.list(editor, { path, limit: 1 })).items
    if (page === undefined) throw new Error(`The demo has no ${path}`)
    const { source, version } = must(await services.pages.source(editor, page.id))
    // The deckhand is a contributor: what the deckhand links outside waits for an editor.
    const actor = path.startsWith('/harbour-notes') ? contributor : editor
    const at = source.indexOf(words)
    const href = to === 'chart' ? '../files/chart.svg' : (where[to] ?? '')
    const patches = must(wrapLink(source, at, at + words.length, { href, [BY_HAND]: hand, rel: hand === 'hints' ? 'nofollow' : null }))
    must(await services.pages.change(actor, page.id, { version, patchSets: [[...patches]] }))
  }
}
