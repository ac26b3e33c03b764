import type { Logger } from 'pino'
import type { ImportInput, ImportItem, ImportReport } from '../contract/imports.ts'
import { decodeSource } from '../core/markup/index.ts'
import type { SiteGround } from '../core/rules/index.ts'
import { Changes } from '../data/changes.ts'
import { getBlob } from '../data/contents.ts'
import { dropCrawl } from '../data/crawled.ts'
import { type Database, inTransaction } from '../data/database.ts'
import { fileHashes } from '../data/files.ts'
import { broughtPages, broughtSoFar, frontPageOf, hasBrought } from '../data/imported-pages.ts'
import { insideAllowed } from '../data/sites.ts'
import { openUpload } from '../data/uploads.ts'
import type { SiteViews } from '../services/context.ts'
import { isTold, type Told, tell } from '../words/index.ts'
import { type ArchiveEntry, openArchive } from './archive.ts'
import { type Claimed, carryOut, JobFailure, whyIn } from './carry-out.ts'
import { crawl } from './crawl.ts'
import { type Ground, judgeEntry, type Kept, type Model, REPLACES_FRONT } from './import-judging.ts'
import { Storing, storeJudged } from './import-storing.ts'
import type { Progress } from './progress.ts'

/**
 * Carries an import out, or its dry run. What it brings is there part by part, and can be worked on while the rest comes. Cancelled or
 * broken, all of it is taken back; one whose process ended goes on where it was.
 */
export async function runImport(db: Database, views: SiteViews, jobId: string, log: Logger, join?: JoinMenus): Promise<void> {
  const done = await carryOut({ db, log }, 'import', jobId, {
    work: async (job, progress) => importUpload(db, { ...job, views, site: await views.of(job) }, progress),
    left: ({ input }, isCancelled) => leftOf(db, jobId, isCancelled && input.address !== undefined),
  })
  if (done === null || done.job.input.dryRun) return
  const { siteId, personId, input } = done.job
  if (input.joinsMenus && join !== undefined) await join(siteId, personId, newPages(done.report))
  if (input.address !== undefined) await dropCrawl(db, input.upload)
}

/** Says of an import that came to no end what is left of it. */
export async function leftOf(db: Database, jobId: string, isFetchKept = false): Promise<readonly Told[]> {
  const isIn = await hasBrought(db, jobId)
  const kept = isFetchKept ? [tell('import.fetched-kept')] : []
  return [...(isIn ? [tell('import.taken-back')] : isFetchKept ? [] : [tell('job.nothing-changed')]), ...kept]
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

async function importUpload(
  db: Database,
  { id: jobId, views, site, personId, input }: Claimed<'import'> & { readonly views: SiteViews; readonly site: SiteGround },
  progress: Progress,
): Promise<ImportReport> {
  const { siteId } = site.setup
  const entries = await entriesOf(db, siteId, input, progress)
  const kept = await readKept(db, siteId, jobId)
  const ground: Ground = { views, site, input, kept, model: await frontPage(db, siteId), taken: new Map() }
  const items: ImportItem[] = []
  const storing = new Storing((batch) =>
    inTransaction(db, async (transaction) => {
      const changes = new Changes()
      await storeJudged(db, { siteId, personId, step: jobId }, batch, transaction, changes)
      await changes.write(db, transaction)
    }),
  )
  try {
    for (const entry of entries) {
      // What is told to be in is in.
      await progress(items.length - storing.waiting, entries.length)
      const judged = await judgeEntry(entry, ground)
      items.push(judged.item)
      if (!input.dryRun) await storing.take(judged)
    }
    await storing.end()
  } finally {
    await storing.settled() // nothing may come in any more once it is over
  }
  await progress(items.length, entries.length, true)

  const count = (outcome: ImportItem['outcome']): number => items.filter((item) => item.outcome === outcome).length
  return {
    isDryRun: input.dryRun,
    new: count('new'),
    changed: count('changed'),
    same: count('same'),
    refused: count('refused'),
    asksFront: items.some(({ reason }) => isTold(reason) && reason.tell === REPLACES_FRONT.tell),
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
      insideAllowed: await insideAllowed(db, siteId),
      progress,
    })
    if (!fetched.ok) throw new JobFailure(whyIn(fetched.detail))
    return fetched.value
  }
  const upload = await openUpload(db, input.upload)
  if (upload === null) throw new JobFailure(tell('import.upload-gone'))
  const opened = await openArchive(input.name, upload)
  if (!opened.ok) throw new JobFailure(whyIn(opened.detail))
  return opened.value
}

async function frontPage(db: Database, siteId: string): Promise<Model> {
  const page = await frontPageOf(db, siteId)
  const bytes = page === null ? null : await getBlob(db, page.hash)
  return page === null || bytes === null ? { source: null, path: '/' } : { source: decodeSource(bytes, page.encoding), path: page.path }
}

async function readKept(db: Database, siteId: string, jobId: string): Promise<Kept> {
  return {
    brought: await broughtSoFar(db, jobId),
    pages: new Map((await broughtPages(db, siteId)).map((page) => [page.path, page])),
    files: new Map((await fileHashes(db, siteId)).map(({ path, hash }) => [path, hash])),
  }
}

/** The one folder that everything lies in, when there is one: people often pack the folder instead of what is in it. */
function commonFolder(entries: readonly ArchiveEntry[], leaveOff: string): string | null {
  if (leaveOff !== '') return leaveOff
  const names = entries.filter(({ refused }) => refused === null).map(({ name }) => name)
  const [first = ''] = names
  const folder = first.split('/')[0] ?? ''
  return folder !== '' && folder !== first && names.every((name) => name.startsWith(`${folder}/`)) ? folder : null
}
