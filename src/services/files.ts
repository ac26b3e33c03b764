import { fileTypeFromBuffer } from 'file-type'
import { lookup } from 'mrmime'
import { type ApartFault, apart } from '../apart/index.ts'
import { files as calls, type FileHabit, type FileQuery, type FileRemoval, ONE_FILE_MAX_BYTES, type SiteFile } from '../contract/files.ts'
import { mayAsk } from '../contract/operation.ts'
import { isPageName, pathForName } from '../core/content/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { hyphenated } from '../core/slugs/index.ts'
import { hashAt, type ListedFile, markFileRemoved, searchFiles, upsertFile, usesOfFile } from '../data/files.ts'
import { pageIdAt } from '../data/pages.ts'
import { putFileHabit } from '../data/sites.ts'
import { inWords, tell } from '../words/index.ts'
import { type Actor, type Context, cursorOf, PathCursor, readCursor, type SiteViews, write, writeAudit } from './context.ts'
import { hashOf } from './pages/index.ts'
import { leadOldAddress, mayLead, type RedirectFieldFault } from './redirects/index.ts'

/** Kinds that are taken, by ending; and what their bytes must be. An empty list: nothing can be told from the bytes. */
const KINDS = new Map<string, readonly string[]>(
  Object.entries({
    png: ['image/png', 'image/apng'],
    jpg: ['image/jpeg'],
    jpeg: ['image/jpeg'],
    gif: ['image/gif'],
    webp: ['image/webp'],
    avif: ['image/avif'],
    svg: [],
    ico: ['image/x-icon'],
    pdf: ['application/pdf'],
    txt: [],
    csv: [],
    md: [],
    ics: [],
    gpx: [],
    mp3: ['audio/mpeg'],
    ogg: ['audio/ogg', 'application/ogg'],
    mp4: ['video/mp4'],
    webm: ['video/webm'],
    zip: ['application/zip'],
    epub: ['application/epub+zip'],
    docx: ['application/vnd.openxmlformats-officedocument.wordprocessingml.document'],
    xlsx: ['application/vnd.openxmlformats-officedocument.spreadsheetml.sheet'],
    pptx: ['application/vnd.openxmlformats-officedocument.presentationml.presentation'],
    odt: ['application/vnd.oasis.opendocument.text'],
    css: [],
    woff2: ['font/woff2'],
  }),
)

/** A drawing has this long to be read; the largest that is taken needs a fraction of it. */
const DRAWING_MS = 10_000

export type FileFault =
  | ApartFault
  | 'forbidden'
  | 'not-found'
  | 'moved-on'
  | 'file-too-large'
  | 'file-kind-refused'
  | 'file-not-what-it-says'
  | 'path-taken'
  | 'file-in-use'
  | RedirectFieldFault
  | 'upload-missing'

/** Places named when a file is in use. */
const USES_NAMED = 50

/** Pages that a file is named on, of those that are told. */
const NAMED_MAX = 3

export function filesService({ db }: Context, views: SiteViews) {
  const shown = (file: ListedFile, origin: string): SiteFile => ({
    id: file.id,
    path: file.path,
    address: origin + file.path,
    mediaType: file.mediaType,
    bytes: file.bytes,
    version: file.version,
    state: stateOf(file),
    usedOn: file.usedOn,
  })
  const hostsOf = async (actor: Actor): Promise<string[]> =>
    (await views.of(actor)).setup.hosts.filter(({ kind }) => kind === 'site').map(({ host }) => host)
  const one = async (actor: Actor, id: string): Promise<ListedFile | null> =>
    (await searchFiles(db, { siteId: actor.siteId, hosts: await hostsOf(actor), id, limit: 1 })).items[0] ?? null
  const spellings = async (actor: Actor, path: string): Promise<string[]> => [
    path,
    ...(await hostsOf(actor)).map((host) => `//${host}${path}`),
  ]

  const put = async (actor: Actor, path: string, bytes: Uint8Array, detail: object): Promise<Result<SiteFile, FileFault>> => {
    const fault = await contentFault(path, bytes)
    if (fault !== null) return fault
    const saved = await write(db, async (transaction, changes) => {
      if ((await pageIdAt(db, actor.siteId, path, transaction)) !== null) return fail('path-taken', { path })
      const mediaType = lookup(path) ?? 'application/octet-stream'
      const id = await upsertFile(
        db,
        { siteId: actor.siteId, path, mediaType, hash: hashOf(bytes), bytes, personId: actor.personId },
        transaction,
      )
      changes.add(actor.siteId, 'files', id, 'changed')
      await writeAudit(db, actor, 'files:upload', id, { path, bytes: bytes.length, ...detail }, transaction)
      return ok(id)
    })
    if (!saved.ok) return saved
    const file = await one(actor, saved.value)
    const { origin } = await views.of(actor)
    return file === null ? fail('not-found') : ok(shown(file, origin))
  }

  return {
    async list(actor: Actor, query: FileQuery): Promise<Result<{ items: SiteFile[]; next: string | null; total: number }, 'forbidden'>> {
      if (!mayAsk(actor, calls.list)) return fail('forbidden')
      const { origin } = await views.of(actor)
      const after = readCursor(query.cursor, PathCursor)
      const { items, total } = await searchFiles(db, {
        siteId: actor.siteId,
        hosts: await hostsOf(actor),
        search: query.search,
        after,
        limit: query.limit,
      })
      const last = items[items.length - 1]
      return ok({
        items: items.map((file) => shown(file, origin)),
        next: items.length === query.limit && last !== undefined ? cursorOf(last.path) : null,
        total,
      })
    },

    /**
     * Keeps an uploaded file under /files/. A name that is taken gets a number, unless the bytes are the same.
     * The kind is told from the bytes, not from the name alone.
     */
    async upload(actor: Actor, { name, bytes }: { name: string; bytes: Uint8Array }): Promise<Result<SiteFile, FileFault>> {
      if (!mayAsk(actor, calls.upload)) return fail('forbidden')
      const clean = fileName(name)
      const [stem, ending] = [clean.replace(/\.[^.]*$/, ''), /\.[^.]*$/.exec(clean)?.[0] ?? '']
      for (let n = 1; ; n++) {
        const path = pathForName(`files/${n === 1 ? clean : `${stem}-${n}${ending}`}`)
        const taken = await hashAt(db, actor.siteId, path)
        if (taken === null || taken === hashOf(bytes)) return put(actor, path, bytes, {})
      }
    },

    /** Puts other bytes behind a file's address; they are live with the next publication. */
    async replace(actor: Actor, id: string, { name, bytes }: { name: string; bytes: Uint8Array }): Promise<Result<SiteFile, FileFault>> {
      if (!mayAsk(actor, calls.replace)) return fail('forbidden')
      const file = await one(actor, id)
      if (file === null) return fail('not-found')
      const [before, after] = [endingOf(file.path), endingOf(name)]
      if (lookup(`x.${before}`) !== lookup(`x.${after}`))
        return fail('file-not-what-it-says', { why: tell('file.other-ending', { before, after }) })
      return put(actor, file.path, bytes, { replaced: true })
    },

    /** Sets what new links to files do. Links that are there stay as they are. */
    async setHabit(actor: Actor, habit: FileHabit): Promise<Result<FileHabit, 'forbidden'>> {
      if (!mayAsk(actor, calls.setHabit)) return fail('forbidden')
      return write(db, async (transaction, changes) => {
        await putFileHabit(db, actor.siteId, habit.downloads, transaction)
        changes.add(actor.siteId, 'sites', actor.siteId, 'changed')
        await writeAudit(db, actor, 'files:habit', null, habit, transaction)
        return ok(habit)
      })
    },

    async uses(actor: Actor, id: string): Promise<Result<{ items: Awaited<ReturnType<typeof usesOfFile>> }, 'forbidden' | 'not-found'>> {
      if (!mayAsk(actor, calls.uses)) return fail('forbidden')
      const file = await one(actor, id)
      return file === null ? fail('not-found') : ok({ items: await usesOfFile(db, actor.siteId, await spellings(actor, file.path), 500) })
    },

    /** Takes a file away with the next publication, or takes that back. One that is named somewhere only when that is said. */
    async remove(
      actor: Actor,
      id: string,
      { version, isRemoved, evenIfUsed, leadTo }: FileRemoval,
    ): Promise<Result<SiteFile | null, FileFault>> {
      if (!actor.can('pages:publish') || !mayLead(actor, leadTo).ok) return fail('forbidden')
      const file = await one(actor, id)
      if (file === null) return fail('not-found')
      const view = await views.of(actor)
      const uses = isRemoved && !evenIfUsed ? await usesOfFile(db, actor.siteId, await spellings(actor, file.path), USES_NAMED) : []
      if (uses.length > 0)
        return fail('file-in-use', {
          uses,
          why: tell('file.named-on', {
            pages: uses.slice(0, NAMED_MAX).map(({ title }) => title),
            more: Math.max(0, uses.length - NAMED_MAX),
          }),
        })
      const saved = await write(db, async (transaction, changes) => {
        if (isRemoved && leadTo !== undefined) {
          const led = await leadOldAddress(
            db,
            actor,
            view,
            { from: file.path, to: leadTo, note: inWords(tell('file.taken-away')) },
            { transaction, changes },
          )
          if (!led.ok) return led
        }
        if (!(await markFileRemoved(db, { id, version, isRemoved }, transaction))) return fail('moved-on')
        changes.add(actor.siteId, 'files', id, isRemoved ? 'removed' : 'made')
        await writeAudit(db, actor, isRemoved ? 'files:delete' : 'files:undelete', id, { path: file.path, evenIfUsed }, transaction)
        return ok(null)
      })
      if (!saved.ok) return saved
      const now = await one(actor, id)
      const { origin } = await views.of(actor)
      return ok(now === null ? null : shown(now, origin))
    },
  }
}

function stateOf({ removedAt, liveHash, draftHash }: ListedFile): SiteFile['state'] {
  if (removedAt !== null) return 'removed'
  if (liveHash === null) return 'new'
  return liveHash === draftHash ? 'live' : 'changed'
}

const endingOf = (name: string): string => (/\.([a-z0-9]+)$/i.exec(name)?.[1] ?? '').toLowerCase()

/** A name as it is put into an address: small letters, digits, hyphens. */
function fileName(name: string): string {
  const bare = name.replace(/^.*[\\/]/, '')
  const stem = hyphenated(bare.replace(/\.[^.]*$/, ''), 'any')
  return `${stem === '' ? 'file' : stem.slice(0, 80)}.${endingOf(bare)}`
}

async function contentFault(path: string, bytes: Uint8Array) {
  if (bytes.length === 0) return fail('upload-missing')
  if (bytes.length > ONE_FILE_MAX_BYTES) return fail('file-too-large', { bytes: bytes.length })
  const ending = endingOf(path)
  const allowed = KINDS.get(ending)
  if (allowed === undefined || isPageName(path))
    return fail('file-kind-refused', {
      why: ending === '' ? tell('file.no-ending') : tell('file.ending', { ending }),
    })
  const found = await fileTypeFromBuffer(bytes)
  if (allowed.length > 0 && !allowed.some((type) => type === found?.mime))
    return fail('file-not-what-it-says', { why: tell('file.other-content', { ending, mime: found?.mime ?? tell('file.something-else') }) })
  if (allowed.length === 0) {
    const isText =
      found === undefined || found.mime === 'application/xml' || found.mime.startsWith('text/') || found.mime === 'image/svg+xml'
    if (!isText || bytes.subarray(0, 4096).includes(0))
      return fail('file-not-what-it-says', { why: tell('file.other-content', { ending, mime: found?.mime ?? tell('file.no-text') }) })
    if (ending !== 'svg') return null
    const read = await apart('drawing', new TextDecoder().decode(bytes), { deadlineMs: DRAWING_MS })
    if (!read.ok) return read
    if (read.value !== null) return fail('file-not-what-it-says', { why: tell('file.drawing', { why: read.value }) })
  }
  return null
}
