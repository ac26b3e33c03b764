import { Readable } from 'node:stream'
import { promisify } from 'node:util'
import { gunzip } from 'node:zlib'
import yauzl from 'yauzl'
import { ENTRIES_MAX, FILE_MAX_BYTES, UNPACKED_MAX_BYTES } from '../contract/imports.ts'
import { parseUrl } from '../core/address/index.ts'
import { PAGE_MAX_BYTES } from '../core/content/index.ts'
import { readFeed } from '../core/exchange/index.ts'
import { decodeSource, sniffEncoding } from '../core/markup/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { hyphenated, SLUG_MAX_CHARS } from '../core/slugs/index.ts'
import type { KeptUpload } from '../data/uploads.ts'
import { type Said, type Told, tell } from '../words/index.ts'

const MB = 1024 * 1024

/** One file of an upload. `read` unpacks it, or says in plain words why it cannot be had. */
export interface ArchiveEntry {
  readonly name: string
  /** As the archive says; reading stops when there turns out to be more. */
  readonly bytes: number
  /** Why it is left out, known before it is read. */
  readonly refused: Said | null
  /** It is a page, whatever its name, and answers at this path. */
  readonly path?: string | undefined
  /** It is a picture, style or font, and answers at `path`. */
  readonly isFile?: boolean | undefined
  /** Its title, where it is known. */
  readonly title?: string | undefined
  /** It is an article that is put into a page of the site's own look. */
  readonly isArticle?: boolean | undefined
  read(): Promise<Result<Buffer, 'unreadable'>>
}

/** Opens an upload: a zip, of which only what is asked for is read, or one file by its name. The refusal's `why` is in plain words. */
export async function openArchive(name: string, upload: KeptUpload): Promise<Result<readonly ArchiveEntry[], 'archive-unreadable'>> {
  const [p = 0, k = 0, kind = 0] = await upload.read(0, Math.min(4, upload.bytes))
  const isZip = upload.bytes > 3 && p === 0x50 && k === 0x4b && (kind === 3 || kind === 5)
  if (!isZip) {
    if (/\.zip$/i.test(name)) return fail('archive-unreadable', { why: tell('zip.none') })
    const bytes = await upload.read(0, upload.bytes)
    const feed = /\.(?:xml|rss|atom)$/i.test(name) ? feedEntries(bytes) : null
    if (feed !== null) return ok(feed)
    return ok([{ name: name.replace(/^.*[\\/]/, ''), bytes: bytes.length, refused: null, read: async () => ok(bytes) }])
  }
  try {
    return await openZip(upload)
  } catch {
    return fail('archive-unreadable', { why: tell('zip.damaged') })
  }
}

/** Entries of a feed as articles; null when it is none. */
export function feedEntries(bytes: Buffer): readonly ArchiveEntry[] | null {
  const entries = readFeed(decodeSource(bytes, sniffEncoding(bytes).encoding))
  return (
    entries?.map(({ title, link, html }, i) => {
      const name = title === '' ? `entry ${i + 1}` : title
      const address = link === null ? null : parseUrl(link)
      const isBroken = link !== null && address === null
      const path = address === null ? `/feed/${slugOf(name) || `entry-${i + 1}`}.html` : address.pathname
      const content = Buffer.from(html)
      return {
        name: link ?? name,
        bytes: content.length,
        refused: isBroken
          ? tell('import.feed-address')
          : path === '/'
            ? tell('import.front-page-of-feed')
            : sizeFault('page.html', content.length),
        path,
        title: name,
        isArticle: true,
        read: async () => ok(content),
      }
    }) ?? null
  )
}

const slugOf = (title: string): string => hyphenated(title, 'latin').slice(0, SLUG_MAX_CHARS)

/** Read of an upload at once: entries lie one behind the other, and their heads are small. */
const WINDOW_BYTES = 256 * 1024

/** Reads a zip from where uploads are kept, a window of it at a time. */
class UploadReader extends yauzl.RandomAccessReader {
  readonly #upload: KeptUpload
  #window: { readonly from: number; readonly bytes: Buffer } = { from: 0, bytes: Buffer.alloc(0) }

  constructor(upload: KeptUpload) {
    super()
    this.#upload = upload
  }

  override _readStreamForRange(start: number, end: number): Readable {
    return Readable.from(this.#pieces(start, end), { objectMode: false })
  }

  override read(into: Buffer, offset: number, length: number, position: number, done: (error: Error | null) => void): void {
    this.#copy(into, offset, length, position).then(
      () => done(null),
      (error: unknown) => done(error instanceof Error ? error : new Error('An upload cannot be read')),
    )
  }

  async #copy(into: Buffer, offset: number, length: number, position: number): Promise<void> {
    let at = offset
    for await (const piece of this.#pieces(position, position + length)) at += piece.copy(into, at)
    if (at < offset + length) throw new Error('A zip ends before it says')
  }

  async *#pieces(start: number, end: number): AsyncGenerator<Buffer> {
    for (let at = start; at < end; ) {
      if (at < this.#window.from || at >= this.#window.from + this.#window.bytes.length) {
        const to = Math.min(at + WINDOW_BYTES, this.#upload.bytes)
        if (at >= to) return
        this.#window = { from: at, bytes: await this.#upload.read(at, to) }
      }
      const { from, bytes } = this.#window
      const piece = bytes.subarray(at - from, end - from)
      at += piece.length
      yield piece
    }
  }
}

async function openZip(upload: KeptUpload): Promise<Result<readonly ArchiveEntry[], 'archive-unreadable'>> {
  const zip = await promisify<yauzl.RandomAccessReader, number, yauzl.Options, yauzl.ZipFile>(yauzl.fromRandomAccessReader)(
    new UploadReader(upload),
    upload.bytes,
    { lazyEntries: true, decodeStrings: false, validateEntrySizes: true, autoClose: false },
  )
  if (zip.entryCount > ENTRIES_MAX)
    return fail('archive-unreadable', {
      why: tell('zip.too-many', { files: zip.entryCount, most: ENTRIES_MAX }),
    })
  const entries: ArchiveEntry[] = []
  let unpacked = 0
  await new Promise<void>((resolve, reject) => {
    zip.on('error', reject)
    zip.on('end', resolve)
    zip.on('entry', (entry: yauzl.Entry) => {
      unpacked += entry.uncompressedSize
      const name = decodeName(entry)
      if (!name.endsWith('/'))
        entries.push({ name, bytes: entry.uncompressedSize, refused: whyRefused(name, entry), read: () => readEntry(zip, entry) })
      zip.readEntry()
    })
    zip.readEntry()
  })
  if (unpacked > UNPACKED_MAX_BYTES) {
    return fail('archive-unreadable', {
      why: tell('zip.too-large', { mb: Math.ceil(unpacked / MB), most: UNPACKED_MAX_BYTES / MB }),
    })
  }
  return ok(entries)
}

/** Zip names are UTF-8 where the entry says so, else code page 437 or, as most tools write, UTF-8 all the same. */
function decodeName(entry: yauzl.Entry): string {
  const raw = entry.fileName as unknown as Buffer
  const text = raw.toString('utf8')
  return text.includes('\uFFFD') ? yauzl.getFileNameLowLevel(entry.generalPurposeBitFlag, raw, entry.extraFields, false) : text
}

function whyRefused(name: string, entry: yauzl.Entry): Told | null {
  const parts = name.split(/[\\/]/)
  if (parts.includes('..') || /^[\\/]|^[a-z]:/i.test(name)) return tell('zip.outside')
  if (name.includes('\0') || parts.some((part) => part === '' || part === '.')) return tell('zip.no-address')
  if (name.includes('\\')) return tell('zip.backslash')
  if (parts.some((part) => part === '__MACOSX' || part === '.DS_Store' || part === 'Thumbs.db')) return tell('zip.operating-system')
  if (parts.some((part) => part.startsWith('.') && part !== '.well-known')) return tell('zip.hidden')
  if (entry.isEncrypted()) return tell('zip.locked')
  return sizeFault(name, entry.uncompressedSize)
}

const isPage = (name: string): boolean => /\.(?:html?|xhtml|shtml|md|markdown)(?:\.gz)?$/i.test(name)

/** Too large to be brought in; null when it is not. */
export function sizeFault(name: string, bytes: number): Told | null {
  const limit = isPage(name) ? PAGE_MAX_BYTES : FILE_MAX_BYTES
  if (bytes <= limit) return null
  const sizes = { mb: Math.ceil(bytes / MB), most: limit / MB }
  return isPage(name) ? tell('import.page-too-large', sizes) : tell('import.file-too-large', sizes)
}

async function readEntry(zip: yauzl.ZipFile, entry: yauzl.Entry): Promise<Result<Buffer, 'unreadable'>> {
  try {
    const stream = await promisify(
      zip.openReadStream.bind(zip) as (entry: yauzl.Entry, done: (error: Error | null, stream: NodeJS.ReadableStream) => void) => void,
    )(entry)
    const parts: Buffer[] = []
    for await (const part of stream) parts.push(part as Buffer)
    return ok(Buffer.concat(parts))
  } catch {
    return fail('unreadable', { why: tell('zip.part-damaged') })
  }
}

/** Unpacks a page kept as .gz. */
export async function unpackGzip(bytes: Buffer): Promise<Result<Buffer, 'unreadable'>> {
  try {
    return ok(await promisify(gunzip)(bytes, { maxOutputLength: PAGE_MAX_BYTES }))
  } catch {
    return fail('unreadable', { why: tell('zip.part-not-unpacked', { most: PAGE_MAX_BYTES / MB }) })
  }
}
