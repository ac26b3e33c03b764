import { type ApartFault, apart } from '../apart/index.ts'
import type { ImportInput, ImportItem } from '../contract/imports.ts'
import { titleOf } from '../contract/problems.ts'
import { isPageName, nameForPath, type PageNotes, pathForName, readPage, tooMuchOf, whyNotServed } from '../core/content/index.ts'
import { pageWithArticle, readMarkdown, tagsOfMarkdown, titleOfMarkdown } from '../core/exchange/index.ts'
import { decodeSource, looksLikeHtml, patchBytes, sniffEncoding } from '../core/markup/index.ts'
import { countChanged } from '../core/placements/index.ts'
import { ok, type Result } from '../core/result.ts'
import { readTags, type SiteGround, setAside } from '../core/rules/index.ts'
import { contentHash } from '../data/content-hash.ts'
import type { NewContent } from '../data/contents.ts'
import type { SiteViews } from '../services/context.ts'
import { contentOf, hashOf } from '../services/pages/index.ts'
import { type Said, type Told, tell } from '../words/index.ts'
import { type ArchiveEntry, sizeFault, unpackGzip } from './archive.ts'
import { whyIn } from './carry-out.ts'

/** One Markdown file has this long: the largest that people write takes a few hundredths of it. */
const MARKDOWN_MS = 10_000

/** What is kept of the site under each path, to tell new from changed. */
export interface Kept {
  readonly pages: ReadonlyMap<
    string,
    { readonly hash: string; readonly importHash: string | null; readonly originHash: string | null } & PageNotes
  >
  readonly files: ReadonlyMap<string, string>
  /** What this import has brought already: a process ended in the middle of it. */
  readonly brought: ReadonlyMap<string, 'new' | 'changed'>
}

/** An entry that was read and judged. */
export interface Judged {
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

/** The page whose look articles take over; null where the site has none. */
export interface Model {
  readonly source: string | null
  readonly path: string
}

/** Magic numbers of what is most often misnamed as a page. */
const NOT_HTML: readonly (readonly [string, Told])[] = [
  ['\x89PNG', tell('kind.png')],
  ['\xff\xd8\xff', tell('kind.jpeg')],
  ['GIF8', tell('kind.gif')],
  ['%PDF-', tell('kind.pdf')],
  ['PK\x03\x04', tell('kind.zip')],
  ['\xd0\xcf\x11\xe0', tell('kind.office')],
  ['\x1f\x8b', tell('kind.gzip')],
  ['MZ', tell('kind.program')],
  ['\x7fELF', tell('kind.program')],
]

/** What entries are judged by. */
export interface Ground {
  readonly views: SiteViews
  readonly site: SiteGround
  readonly input: ImportInput
  readonly kept: Kept
  readonly model: Model
  /** Names of the entries so far, by the addresses they get. */
  readonly taken: Map<string, string>
}

export async function judgeEntry(entry: ArchiveEntry, { views, site, input, kept, model, taken }: Ground): Promise<Judged> {
  const { leaveOff } = input
  const refuse = (reason: Said): Judged => ({
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
  if (!unpacked.ok) return refuse(whyIn(unpacked.detail))
  const late = sizeFault(name, unpacked.value.length)
  if (late !== null) return refuse(late)
  const article = await asPage(entry, name, unpacked.value, model)
  if (article?.ok === false) return refuse(titleOf(article.fault))
  const made = article?.value ?? null
  let bytes = made?.bytes ?? unpacked.value
  const isPage =
    made !== null ||
    (entry.path !== undefined && entry.isFile !== true) ||
    isPageName(name) ||
    (!/\.[a-z0-9]{1,5}$/i.test(name) && /^\s*(?:<!doctype html|<html[\s>])/i.test(bytes.toString('latin1', 0, 256)))
  const path = underFolder(input.under, made?.path ?? entry.path ?? (isPage ? pathForName(name) : filePath(name)))
  const twin = taken.get(path)
  if (twin !== undefined) return refuse(tell('import.same-address-as', { twin }))
  const hash = hashOf(bytes)
  if (!isPage) {
    taken.set(path, entry.name)
    if (kept.pages.has(path)) return refuse(tell('import.page-there'))
    const before = kept.files.get(path)
    const isIn = kept.brought.get(path)
    const outcome = isIn ?? (before === undefined ? 'new' : before === hash ? 'same' : 'changed')
    return {
      content: isIn === undefined ? { kind: 'file', name, path, bytes, hash, page: null } : null,
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
  if (misnamed !== undefined) return refuse(tell('import.no-page-but', { what: misnamed[1] }))
  let page = readPage(bytes, undefined, path)
  const aside = setAside(page.text)
  if (aside.length > 0) {
    const patched = patchBytes(bytes, page.encoding, page.text, aside)
    if (!patched.ok) return refuse(titleOf('encoding-unpatchable'))
    bytes = Buffer.from(patched.value)
    page = readPage(bytes, undefined, path)
  }
  const tooMuch = tooMuchOf({ ...page, bytes: bytes.length, links: page.placements.length })
  if (tooMuch !== null) return refuse(titleOf(tooMuch))
  if (!looksLikeHtml(page.text)) return refuse(tell('import.no-text'))
  taken.set(path, entry.name)
  const before = kept.pages.get(path)
  // What somebody said of the page stays; what a Markdown file says of itself comes with it.
  const notes: PageNotes = { tags: made?.tags ?? before?.tags ?? [], writtenFor: before?.writtenFor ?? null }
  const pageHash = contentHash(bytes, notes)
  // A page that was made of something else is the same while that is, whatever the site's look has become.
  const isSame = before !== undefined && (made?.origin === undefined ? before.hash === pageHash : before.originHash === hashOf(made.origin))
  const isIn = kept.brought.get(path)
  const outcome = isIn ?? (before === undefined ? 'new' : isSame ? 'same' : 'changed')
  const isEdited = outcome === 'changed' && before?.importHash !== before?.hash
  if (path === '/' && outcome === 'changed' && isIn === undefined && !input.replacesFront && (isEdited || input.address !== undefined))
    return refuse(REPLACES_FRONT)
  const { placements } = page
  const changes = await views.knowing(site, (known) => countChanged(placements, { path, ...notes }, known))
  return {
    content:
      isIn === undefined
        ? {
            kind: 'page',
            name,
            path,
            bytes,
            hash: pageHash,
            page: contentOf(bytes, sourceNameOf(name, path), 'page', notes, page),
            origin: made?.origin,
          }
        : null,
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
      reason: isEdited ? tell('import.edited-since') : null,
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
export const REPLACES_FRONT = tell('import.front-page')

function underFolder(folder: string, path: string): string {
  const clean = folder.replace(/^\/+|\/+$/g, '')
  return clean === '' ? path : pathForName(`${clean}/`) + path.replace(/^\//, '')
}

const filePath = (name: string): string => pathForName(name).replace(/\/$/, '/index.html')

/** Under which name it is exported again. */
export const sourceNameOf = (name: string, path: string): string => (/^https?:/.test(name) ? nameForPath(path) : name)
