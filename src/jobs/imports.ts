import { lookup } from 'mrmime'
import type { Logger } from 'pino'
import { type ApartFault, apart } from '../apart/index.ts'
import { ImportInput, type ImportItem, type ImportReport } from '../contract/imports.ts'
import { PROBLEMS } from '../contract/problems.ts'
import { isPageName, nameForPath, type PageNotes, pathForName, readPage, tooMuchOf, whyNotServed } from '../core/content/index.ts'
import { pageWithArticle, readMarkdown, tagsOfMarkdown, titleOfMarkdown } from '../core/exchange/index.ts'
import { decodeSource, looksLikeHtml, patchBytes, sniffEncoding } from '../core/markup/index.ts'
import { countChanged } from '../core/placements/index.ts'
import { ok, type Result } from '../core/result.ts'
import { readTags, type SiteGround, setAside } from '../core/rules/index.ts'
import { Changes } from '../data/changes.ts'
import { contentHash } from '../data/content-hash.ts'
import { getBlob, type NewContent } from '../data/contents.ts'
import { dropCrawl } from '../data/crawled.ts'
import { type Database, inTransaction, type Transaction } from '../data/database.ts'
import { fileHashes, upsertFile } from '../data/files.ts'
import { broughtPages, frontPageOf, type ImportedPage, upsertImported } from '../data/imported-pages.ts'
import { claimJob, closeJob } from '../data/jobs.ts'
import { mayVisitPrivate } from '../data/sites.ts'
import { dropUpload, getUpload } from '../data/uploads.ts'
import { contentOf, hashOf } from '../services/content.ts'
import type { SiteViews } from '../services/context.ts'
import { type ArchiveEntry, openArchive, sizeFault, unpackGzip } from './archive.ts'
import { crawl } from './crawl.ts'
import { Cancelled, type Progress, progressWriter } from './progress.ts'

/** One Markdown file has this long: the largest that people write takes a few hundredths of it. */
const MARKDOWN_MS = 10_000

/** What is kept of the site under each path, to tell new from changed. */
interface Kept {
  readonly pages: ReadonlyMap<
    string,
    { readonly hash: string; readonly importHash: string | null; readonly originHash: string | null } & PageNotes
  >
  readonly files: ReadonlyMap<string, string>
}

/** An entry that was read and judged. */
interface Judged {
  readonly item: ImportItem
  readonly content: {
    readonly kind: 'page' | 'file'
    readonly name: string
    readonly path: string
    readonly bytes: Buffer
    readonly hash: string
    /** Of a page: what was read of it, so that it is not read again to be stored. */
    readonly page: NewContent | null
    /** The Markdown file that the page was made of. */
    readonly origin?: Buffer | undefined
  } | null
}

/** Carries an import out, or its dry run. Everything it stores, it stores in one transaction: cancelled or broken, nothing is half-done. */
export async function runImport(db: Database, views: SiteViews, jobId: string, log: Logger, join?: JoinMenus): Promise<void> {
  const claimed = await claimJob(db, jobId)
  if (claimed === null) return
  const input = ImportInput.parse(claimed.input)
  try {
    const site = await views.of(claimed)
    const report = await importUpload(db, { jobId, views, site, personId: claimed.personId, input })
    await closeJob(db, jobId, { state: 'done', report })
    if (!input.dryRun && input.joinsMenus && join !== undefined) await join(claimed.siteId, claimed.personId, newPages(report))
    if (!input.dryRun) await (input.address === undefined ? dropUpload(db, input.upload) : dropCrawl(db, input.upload))
  } catch (error) {
    if (error instanceof Cancelled) {
      const message =
        input.address === undefined ? 'Stopped before anything was changed.' : 'Stopped. What was fetched is kept; it can go on from there.'
      return closeJob(db, jobId, { state: 'cancelled', message })
    }
    const told = error instanceof ImportFailure ? error.message : 'Something went wrong on our side. Nothing was changed.'
    if (!(error instanceof ImportFailure)) log.error({ err: error, job: jobId }, 'an import broke off')
    await closeJob(db, jobId, { state: 'failed', message: told })
  }
}

/** A page that was not there before. */
export interface NewPage {
  readonly path: string
  readonly title: string
}
/** Puts new pages into the menus that new pages join. */
export type JoinMenus = (siteId: string, personId: string | null, made: readonly NewPage[]) => Promise<void>

const newPages = ({ items }: ImportReport): NewPage[] =>
  items.flatMap(({ what, outcome, path, title }) =>
    what === 'page' && outcome === 'new' && path !== null ? [{ path, title: title ?? path }] : [],
  )

/** A reason that people can do something about. */
class ImportFailure extends Error {}

async function importUpload(
  db: Database,
  {
    jobId,
    views,
    site,
    personId,
    input,
  }: { jobId: string; views: SiteViews; site: SiteGround; personId: string | null; input: ImportInput },
): Promise<ImportReport> {
  const { siteId } = site.setup
  const progress = progressWriter(db, jobId)
  const entries = await entriesOf(db, siteId, input, progress)
  const ground: Ground = { views, site, input, kept: await readKept(db, siteId), model: await frontPage(db, siteId), taken: new Map() }
  const items: ImportItem[] = []

  const each = async (take: ((judged: Judged) => Promise<void>) | null): Promise<void> => {
    for (const entry of entries) {
      await progress(items.length, entries.length)
      const judged = await judgeEntry(entry, ground)
      items.push(judged.item)
      if (take !== null) await take(judged)
    }
    await progress(items.length, entries.length, true)
  }
  if (input.dryRun) await each(null)
  else
    await inTransaction(db, async (transaction) => {
      const changes = new Changes()
      const storing = new Storing((batch) => storeJudged(db, siteId, personId, batch, transaction, changes))
      try {
        await each((judged) => storing.take(judged))
        await storing.end()
      } finally {
        await storing.settled() // nothing may be written any more once the transaction is over
      }
      await changes.write(db, transaction)
    })

  const count = (outcome: ImportItem['outcome']): number => items.filter((item) => item.outcome === outcome).length
  return {
    isDryRun: input.dryRun,
    new: count('new'),
    changed: count('changed'),
    same: count('same'),
    refused: count('refused'),
    asksFront: items.some(({ reason }) => reason === REPLACES_FRONT),
    folder: commonFolder(entries, input.leaveOff),
    items,
  }
}

/** What there is to bring in: of an upload, or fetched from where it stands. */
async function entriesOf(db: Database, siteId: string, input: ImportInput, progress: Progress): Promise<readonly ArchiveEntry[]> {
  if (input.address !== undefined) {
    const fetched = await crawl(db, {
      crawl: input.upload,
      address: input.address,
      mayVisitPrivate: await mayVisitPrivate(db, siteId),
      progress,
    })
    if (!fetched.ok) throw new ImportFailure(String(fetched.detail.why))
    return fetched.value
  }
  const upload = await getUpload(db, input.upload)
  if (upload === null) throw new ImportFailure('The upload is no longer here. Please choose the file again.')
  const opened = await openArchive(input.name, upload)
  if (!opened.ok) throw new ImportFailure(String(opened.detail.why))
  return opened.value
}

/** The page whose look articles take over; null where the site has none. */
interface Model {
  readonly source: string | null
  readonly path: string
}
async function frontPage(db: Database, siteId: string): Promise<Model> {
  const page = await frontPageOf(db, siteId)
  const bytes = page === null ? null : await getBlob(db, page.hash)
  return page === null || bytes === null ? { source: null, path: '/' } : { source: decodeSource(bytes, page.encoding), path: page.path }
}

async function readKept(db: Database, siteId: string): Promise<Kept> {
  return {
    pages: new Map((await broughtPages(db, siteId)).map((page) => [page.path, page])),
    files: new Map((await fileHashes(db, siteId)).map(({ path, hash }) => [path, hash])),
  }
}

/** Magic numbers of what is most often misnamed as a page. */
const NOT_HTML: readonly (readonly [string, string])[] = [
  ['\x89PNG', 'a PNG picture'],
  ['\xff\xd8\xff', 'a JPEG picture'],
  ['GIF8', 'a GIF picture'],
  ['%PDF-', 'a PDF document'],
  ['PK\x03\x04', 'a zip or office document'],
  ['\xd0\xcf\x11\xe0', 'an office document'],
  ['\x1f\x8b', 'a gzip archive'],
  ['MZ', 'a program'],
  ['\x7fELF', 'a program'],
]

/** What entries are judged by. */
interface Ground {
  readonly views: SiteViews
  readonly site: SiteGround
  readonly input: ImportInput
  readonly kept: Kept
  readonly model: Model
  /** Names of the entries so far, by the addresses they get. */
  readonly taken: Map<string, string>
}

async function judgeEntry(entry: ArchiveEntry, { views, site, input, kept, model, taken }: Ground): Promise<Judged> {
  const { leaveOff } = input
  const refuse = (reason: string): Judged => ({
    content: null,
    item: {
      name: entry.name,
      path: null,
      what: null,
      outcome: 'refused',
      reason,
      title: null,
      encoding: null,
      links: null,
      changes: null,
      bytes: entry.bytes,
    },
  })
  const early = entry.refused ?? whyNotServed(entry.name) ?? sizeFault(entry.name, entry.bytes)
  if (early !== null) return refuse(early)
  const isInside = leaveOff !== '' && entry.name.startsWith(`${leaveOff}/`)
  const inSite = isInside ? entry.name.slice(leaveOff.length + 1) : entry.name
  const isPacked = /\.(?:html?|xhtml|shtml)\.gz$/i.test(inSite)
  const name = isPacked ? inSite.replace(/\.gz$/i, '') : inSite
  const read = await entry.read()
  const unpacked = read.ok && isPacked ? await unpackGzip(read.value) : read
  if (!unpacked.ok) return refuse(String(unpacked.detail.why))
  const late = sizeFault(name, unpacked.value.length)
  if (late !== null) return refuse(late)
  const article = await asPage(entry, name, unpacked.value, model)
  if (article?.ok === false) return refuse(PROBLEMS[article.fault][1])
  const made = article?.value ?? null
  let bytes = made?.bytes ?? unpacked.value
  const isPage =
    made !== null ||
    (entry.path !== undefined && entry.isFile !== true) ||
    isPageName(name) ||
    (!/\.[a-z0-9]{1,5}$/i.test(name) && /^\s*(?:<!doctype html|<html[\s>])/i.test(bytes.toString('latin1', 0, 256)))
  const path = underFolder(input.under, made?.path ?? entry.path ?? (isPage ? pathForName(name) : filePath(name)))
  const twin = taken.get(path)
  if (twin !== undefined) return refuse(`It would have the same address as ${twin}.`)
  const hash = hashOf(bytes)
  if (!isPage) {
    taken.set(path, entry.name)
    if (kept.pages.has(path)) return refuse('A page of the site has this address.')
    const before = kept.files.get(path)
    const outcome = before === undefined ? 'new' : before === hash ? 'same' : 'changed'
    return {
      content: { kind: 'file', name, path, bytes, hash, page: null },
      item: {
        name: entry.name,
        path,
        what: 'file',
        outcome,
        reason: null,
        title: null,
        encoding: null,
        links: null,
        changes: null,
        bytes: bytes.length,
      },
    }
  }
  const head = bytes.toString('latin1', 0, 8)
  const misnamed = NOT_HTML.find(([magic]) => head.startsWith(magic))
  if (misnamed !== undefined) return refuse(`It is named like a page, but it is ${misnamed[1]}.`)
  let page = readPage(bytes, undefined, path)
  const aside = setAside(page.text)
  if (aside.length > 0) {
    const patched = patchBytes(bytes, page.encoding, page.text, aside)
    if (!patched.ok) return refuse(PROBLEMS['encoding-unpatchable'][1])
    bytes = Buffer.from(patched.value)
    page = readPage(bytes, undefined, path)
  }
  const tooMuch = tooMuchOf({ ...page, bytes: bytes.length, links: page.placements.length })
  if (tooMuch !== null) return refuse(PROBLEMS[tooMuch][1])
  if (!looksLikeHtml(page.text)) return refuse('It is named like a page, but it holds no text that a browser could show.')
  taken.set(path, entry.name)
  const before = kept.pages.get(path)
  // What somebody said of the page stays; what a Markdown file says of itself comes with it.
  const notes: PageNotes = { tags: made?.tags ?? before?.tags ?? [], writtenFor: before?.writtenFor ?? null }
  const pageHash = contentHash(bytes, notes)
  // A page that was made of something else is the same while that is, whatever the site's look has become.
  const isSame = before !== undefined && (made?.origin === undefined ? before.hash === pageHash : before.originHash === hashOf(made.origin))
  const outcome = before === undefined ? 'new' : isSame ? 'same' : 'changed'
  const isEdited = outcome === 'changed' && before?.importHash !== before?.hash
  if (path === '/' && outcome === 'changed' && !input.replacesFront && (isEdited || input.address !== undefined))
    return refuse(REPLACES_FRONT)
  const { placements } = page
  const changes = await views.knowing(site, (known) => countChanged(placements, { path, ...notes }, known))
  return {
    content: {
      kind: 'page',
      name,
      path,
      bytes,
      hash: pageHash,
      page: contentOf(bytes, sourceNameOf(name, path), 'page', notes, page),
      origin: made?.origin,
    },
    item: {
      name: entry.name,
      path,
      what: 'page',
      outcome,
      title: page.title ?? name,
      encoding: page.encoding,
      links: page.placements.length,
      changes,
      bytes: bytes.length,
      reason: isEdited ? 'It was edited here since it was last brought in; that version stays in its history.' : null,
    },
  }
}

/** A page made of something that is no HTML page: Markdown, or an article of a feed. Null for what is one itself. */
async function asPage(
  entry: ArchiveEntry,
  name: string,
  bytes: Buffer,
  model: Model,
): Promise<Result<{ bytes: Buffer; path: string; origin?: Buffer; tags?: readonly string[] }, ApartFault> | null> {
  if (entry.isArticle === true && entry.path !== undefined)
    return ok({
      bytes: Buffer.from(pageWithArticle(model.source, model.path, entry.title ?? name, decodeSource(bytes, 'utf-8'))),
      path: entry.path,
    })
  if (!/\.(?:md|markdown)$/i.test(name)) return null
  const file = readMarkdown(decodeSource(bytes, sniffEncoding(bytes).encoding))
  const title = titleOfMarkdown(file) ?? name.replace(/^.*\//, '').replace(/\.[^.]*$/, '')
  const article = await apart('markdown', file.body, { deadlineMs: MARKDOWN_MS })
  if (!article.ok) return article
  const html = pageWithArticle(model.source, model.path, title, article.value)
  const said = file.facts.permalink ?? file.facts.path
  const path =
    typeof said === 'string' && /^\/[^?#]*$/.test(said) ? pathForName(said.slice(1)) : pathForName(name.replace(/\.[^.]*$/, '.html'))
  return ok({ bytes: Buffer.from(html), path, origin: bytes, tags: readTags(tagsOfMarkdown(file).join(',')) })
}

/** Why a front page waits for somebody's word. */
const REPLACES_FRONT = 'It would replace the front page of the site. It stays out unless you say so.'

function underFolder(folder: string, path: string): string {
  const clean = folder.replace(/^\/+|\/+$/g, '')
  return clean === '' ? path : pathForName(`${clean}/`) + path.replace(/^\//, '')
}

const filePath = (name: string): string => pathForName(name).replace(/\/$/, '/index.html')

/** Under which name it is exported again. */
const sourceNameOf = (name: string, path: string): string => (/^https?:/.test(name) ? nameForPath(path) : name)

/** Stored together at most: a statement costs more than what it carries, and what waits is held in memory. */
const TOGETHER = 50
const TOGETHER_BYTES = 8 * 1024 * 1024

/** Stores what was judged, many at a time, while more is being judged. */
class Storing {
  readonly #store: (batch: readonly Judged[]) => Promise<void>
  #batch: Judged[] = []
  #bytes = 0
  #underWay: Promise<void> = Promise.resolve()

  constructor(store: (batch: readonly Judged[]) => Promise<void>) {
    this.#store = store
  }

  async take(judged: Judged): Promise<void> {
    this.#batch.push(judged)
    this.#bytes += judged.content?.bytes.length ?? 0
    if (this.#batch.length >= TOGETHER || this.#bytes >= TOGETHER_BYTES) await this.#begin()
  }

  /** Stores the rest. @throws what went wrong with any of it */
  async end(): Promise<void> {
    await this.#begin()
    await this.#underWay
  }

  /** Waits until nothing is under way any more, whatever became of it. */
  async settled(): Promise<void> {
    await this.#underWay.catch(() => {})
  }

  async #begin(): Promise<void> {
    const batch = this.#batch
    this.#batch = []
    this.#bytes = 0
    await this.#underWay
    this.#underWay = this.#store(batch)
    this.#underWay.catch(() => {}) // whoever waits for it next is told
  }
}

async function storeJudged(
  db: Database,
  siteId: string,
  personId: string | null,
  batch: readonly Judged[],
  transaction: Transaction,
  changes: Changes,
): Promise<void> {
  const pages: (ImportedPage & { readonly isNew: boolean })[] = []
  for (const { item, content } of batch) {
    if (content === null || (item.outcome !== 'new' && item.outcome !== 'changed')) continue
    const { name, path, bytes, hash, page, origin } = content
    if (page === null) {
      const mediaType = lookup(path) ?? 'application/octet-stream'
      changes.add(siteId, 'files', await upsertFile(db, { siteId, path, mediaType, hash, bytes, personId }, transaction), 'changed')
    } else
      pages.push({
        path,
        sourceName: sourceNameOf(name, path),
        content: page,
        origin: origin === undefined ? null : { hash: hashOf(origin), bytes: origin },
        isNew: item.outcome === 'new',
      })
  }
  if (pages.length === 0) return
  const ids = await upsertImported(db, { siteId, personId, pages }, transaction)
  for (const [i, id] of ids.entries()) changes.add(siteId, 'pages', id, pages[i]?.isNew === true ? 'made' : 'changed')
}

/** The one folder that everything lies in, when there is one: people often pack the folder instead of what is in it. */
function commonFolder(entries: readonly ArchiveEntry[], leaveOff: string): string | null {
  if (leaveOff !== '') return leaveOff
  const names = entries.filter(({ refused }) => refused === null).map(({ name }) => name)
  const [first = ''] = names
  const folder = first.split('/')[0] ?? ''
  return folder !== '' && folder !== first && names.every((name) => name.startsWith(`${folder}/`)) ? folder : null
}
