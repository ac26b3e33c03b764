import MiniSearch from 'minisearch'
import { destinations as calls, type Destination, type DestinationQuery } from '../contract/destinations.ts'
import { mayAsk } from '../contract/operation.ts'
import { scanHeadings } from '../core/content/index.ts'
import { decodeSource } from '../core/markup/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { originOf } from '../core/rules/index.ts'
import { foldedWords } from '../core/slugs/index.ts'
import { DAY_MS } from '../core/time.ts'
import { changesAfter, logEnds } from '../data/changes.ts'
import { getBlob } from '../data/contents.ts'
import { addressesOn, listDestinations } from '../data/destinations.ts'
import { draftName, pageIdAt } from '../data/pages.ts'
import { shownRedirects } from '../data/redirects.ts'
import { searchShortLinks } from '../data/short-links.ts'
import { tell } from '../words/index.ts'
import type { Actor, Context, SiteViews } from './context.ts'
import { linkForPlace } from './partners/index.ts'

/** A page or file as it is looked for. */
interface Entry {
  readonly id: string
  readonly kind: 'inside page' | 'file'
  readonly path: string
  readonly title: string
  readonly at: number
}

/** The pages and files of one site, ready to be searched; brought up to date before each answer. */
interface Shelf {
  readonly index: MiniSearch<Entry>
  readonly entries: Map<string, Entry>
  /** How far it has followed the log; null before its first reading. */
  number: number | null
}

/** Short links offered among other destinations. */
const SHORT_LINKS_SHOWN = 3
/** A page edited today counts this much more than one that nobody has touched for long. */
const RECENT_BOOST = 1
/** After more changes than these a shelf is filled anew. */
const FOLLOWED_MAX = 5_000
/** Sites whose shelves are kept in memory. */
const SHELVES_MAX = 20

export function destinationsService({ db, settings }: Context, views: SiteViews) {
  const shelves = new Map<string, Promise<Shelf>>()

  const shelfOf = async (siteId: string): Promise<Shelf> => {
    let made = shelves.get(siteId)
    if (made === undefined) {
      if (shelves.size >= SHELVES_MAX) shelves.clear()
      made = Promise.resolve({
        index: new MiniSearch<Entry>({
          fields: ['title', 'path'],
          tokenize: foldedWords,
          processTerm: (term) => term,
          searchOptions: { prefix: true, fuzzy: (term) => (term.length > 3 ? 0.25 : 0), boost: { title: 2 }, combineWith: 'AND' },
        }),
        entries: new Map(),
        number: null,
      })
      shelves.set(siteId, made)
    }
    const shelf = await made
    await bringUpToDate(siteId, shelf)
    return shelf
  }

  /** Reads what changed since the last time, by the log: nothing else is looked at. */
  const bringUpToDate = async (siteId: string, shelf: Shelf): Promise<void> => {
    const [end] = await logEnds(db, siteId)
    const number = end?.number ?? 0
    if (shelf.number === number) return
    const changes = shelf.number === null ? null : await changesAfter(db, { siteId, after: shelf.number, limit: FOLLOWED_MAX })
    const isWhole = changes === null || changes.length === FOLLOWED_MAX
    const ids = isWhole ? null : changes.flatMap(({ capability, key }) => (capability === 'pages' || capability === 'files' ? [key] : []))
    shelf.number = isWhole ? number : (changes[changes.length - 1]?.number ?? number)
    if (ids?.length === 0) return
    const changed = await listDestinations(db, siteId, ids)
    // A page that was never live is gone altogether when it is removed.
    const found = new Set(changed.map(({ id }) => id))
    for (const id of ids ?? shelf.entries.keys()) {
      if (found.has(id) || !shelf.entries.has(id)) continue
      shelf.index.discard(id)
      shelf.entries.delete(id)
    }
    for (const { id, kind, path, title, at, isGone } of changed) {
      const before = shelf.entries.get(id)
      const entry: Entry = { id, kind, path, title: kind === 'file' ? decodeName(path) : title, at: new Date(at).getTime() }
      if (before !== undefined && !isGone && before.path === entry.path && before.title === entry.title) {
        shelf.entries.set(id, entry)
        continue
      }
      if (before !== undefined) shelf.index.discard(id)
      shelf.entries.delete(id)
      if (isGone) continue
      shelf.entries.set(id, entry)
      shelf.index.add(entry)
    }
  }

  return {
    /**
     * What words may mean as a destination: inside pages by title and path (spelling forgiven, recent ones first), files,
     * short links, partners with the link to them built; "page # words" looks for headings, "# words" for those of `page`. Best first.
     */
    async find(actor: Actor, { text, page, limit }: DestinationQuery): Promise<Result<{ items: Destination[] }, 'forbidden'>> {
      if (!mayAsk(actor, calls.find)) return fail('forbidden')
      const view = await views.of(actor)
      const shelf = await shelfOf(actor.siteId)
      const [wanted = '', sectionWords] = text.split('#')
      const now = Date.now()
      const ranked = search(shelf, wanted, now)
      if (sectionWords !== undefined) {
        const isHere = wanted.trim() === '' || wanted.trim() === page
        const pages = isHere
          ? [...shelf.entries.values()].filter(({ kind, path }) => kind === 'inside page' && path === page)
          : ranked.filter(({ kind }) => kind === 'inside page').slice(0, 3)
        return ok({ items: await sectionsOf(pages, sectionWords, limit, page) })
      }
      const query = foldedWords(wanted)
      const hasAll = (words: string): boolean => {
        const there = foldedWords(words)
        return query.length > 0 && query.every((word) => there.some((each) => each.startsWith(word)))
      }
      const shortLinks = (await searchShortLinks(db, actor.siteId, query, SHORT_LINKS_SHOWN)).map(
        ({ host, prefix, slug, destination, title }): Destination => {
          const address = `${originOf(host, settings.port)}/${prefix === '' ? '' : `${prefix}/`}${slug}`
          return {
            kind: 'short link',
            address,
            title: title === '' ? slug : title,
            note: `${address.replace(/^https?:\/\//, '')} → ${new URL(destination).hostname}`,
            pageId: null,
            start: null,
          }
        },
      )
      const redirects = (
        query.length === 0 || !actor.can('redirects:read') ? [] : await shownRedirects(db, actor.siteId, query, SHORT_LINKS_SHOWN)
      ).map(
        ({ from, to, note }): Destination => ({
          kind: 'redirect',
          address: from,
          title: note === '' ? from : note,
          note: `${from} → ${to.replace(/^https?:\/\//, '')}`,
          pageId: null,
          start: null,
        }),
      )
      const partners: Destination[] = []
      const pageId = page === undefined ? null : await pageIdAt(db, actor.siteId, page)
      for (const partner of view.setup.partners) {
        if (!hasAll(`${partner.name} ${partner.sites.join(' ')}`)) continue
        for (const destination of await placesOf(actor.siteId, partner.sites)) {
          const built = linkForPlace(view, destination, { pageId, shortLinkId: null, nth: 0 })
          if (built.ok)
            partners.push({
              kind: 'partner',
              address: built.value.link.address,
              title: `${partner.name}: ${new URL(destination).pathname}`,
              note:
                partner.template === '' ? tell('destination.plain-address') : tell('destination.with-number', { account: partner.account }),
              pageId: null,
              start: null,
            })
        }
      }
      const own = ranked.map(
        (entry): Destination => ({
          kind: entry.kind,
          address: entry.path,
          title: entry.title,
          note: entry.path,
          pageId: entry.kind === 'file' ? null : entry.id,
          start: null,
        }),
      )
      const exact = own.filter(({ title }) => hasAll(title))
      return ok({
        items: [
          ...exact.slice(0, Math.max(4, limit - 6)),
          ...shortLinks,
          ...redirects,
          ...partners.slice(0, 3),
          ...own.filter((each) => !exact.includes(each)),
        ].slice(0, limit),
      })
    },
  }

  async function sectionsOf(pages: readonly Entry[], words: string, limit: number, from: string | undefined): Promise<Destination[]> {
    const query = foldedWords(words)
    const found: Destination[] = []
    for (const { id, path, title } of pages) {
      const row = await draftName(db, id)
      const bytes = row === null ? null : await getBlob(db, row.hash)
      if (row === null || bytes === null) continue
      for (const heading of scanHeadings(decodeSource(bytes, row.encoding))) {
        const there = foldedWords(heading.text)
        if (!query.every((word) => there.some((each) => each.startsWith(word)))) continue
        const name = heading.id === null ? '' : `#${encodeURIComponent(heading.id)}`
        found.push({
          kind: 'section',
          address: (path === from ? '' : path) + name,
          title: heading.text,
          note: heading.id === null ? tell('destination.gets-a-name', { title }) : title,
          pageId: id,
          start: heading.id === null ? heading.start : null,
        })
      }
    }
    return found.slice(0, limit)
  }

  /** The pages of a partner that the site links to most, or their front page. */
  async function placesOf(siteId: string, sites: readonly string[]): Promise<string[]> {
    const found: string[] = []
    for (const site of sites.slice(0, 3)) {
      const used = await addressesOn(db, siteId, site, 3)
      const plain = used.map(bareOf).filter((each) => each !== null)
      found.push(...(plain.length > 0 ? plain : [`https://${site}/`]))
    }
    return [...new Set(found)]
  }
}

/** A partner's page without what was put behind it for somebody's account. */
function bareOf(href: string): string | null {
  if (!URL.canParse(href)) return null
  const url = new URL(href)
  return url.origin + url.pathname
}

function search(shelf: Shelf, text: string, now: number): Entry[] {
  const entryOf = (id: string): Entry | undefined => shelf.entries.get(id)
  if (foldedWords(text).length === 0)
    return [...shelf.entries.values()]
      .filter(({ kind }) => kind === 'inside page')
      .sort((a, b) => b.at - a.at)
      .slice(0, 20)
  const isPath = text.trim().startsWith('/')
  const found = shelf.index.search(text, {
    boostDocument: (id: string) => {
      const entry = entryOf(id)
      const age = entry === undefined ? 1_000 : Math.max(0, (now - entry.at) / DAY_MS)
      return (1 + RECENT_BOOST / (1 + age)) * (isPath && entry?.path.startsWith(text.trim()) === true ? 4 : 1)
    },
  })
  return found.slice(0, 20).flatMap(({ id }) => entryOf(String(id)) ?? [])
}

function decodeName(path: string): string {
  try {
    return decodeURIComponent(path.replace(/^.*\//, ''))
  } catch {
    return path
  }
}
