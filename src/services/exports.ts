import { Zip, ZipDeflate, ZipPassThrough } from 'fflate'
import { type ApartFault, apart } from '../apart/index.ts'
import { siteExports as calls } from '../contract/exports.ts'
import { mayAsk } from '../contract/operation.ts'
import { deliverBytes, nameForPath, type PagePlace } from '../core/content/index.ts'
import { articleOf, readMarkdown, redirectPage, staticNameOf } from '../core/exchange/index.ts'
import { decodeSource, sniffEncoding } from '../core/markup/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { foresee, type SiteGround } from '../core/rules/index.ts'
import { getBlob, getContent } from '../data/contents.ts'
import { listFiles } from '../data/files.ts'
import { type ListedPage, listPages } from '../data/pages.ts'
import { listRedirects } from '../data/redirects.ts'
import { waitingByPage } from '../data/waiting.ts'
import type { Actor, Context, SiteViews } from './context.ts'
import { HERE_MAX_BYTES, PAGE_WORK_MS } from './pages/index.ts'

/** Files that are packed already; pressing them again only takes time. */
const PACKED = /\.(?:png|jpe?g|gif|webp|avif|woff2?|mp4|webm|mp3|ogg|zip|gz|br|pdf)$/i
/** Fastest level: the wait is what people notice, not the last tenth of the size. */
const ZIP_LEVEL = 1
const PAGES_AT_ONCE = 100
const REDIRECTS_AT_ONCE = 1_000

export function exportsService({ db, log }: Context, views: SiteViews) {
  /** A page as visitors get it; a large one is made apart, so that nobody else waits. */
  const deliveredPage = async (
    bytes: Uint8Array,
    encoding: string,
    view: SiteGround,
    place: Omit<PagePlace, 'findPart'>,
    parts: Readonly<Record<string, string>>,
  ): Promise<Result<Uint8Array, 'encoding-unpatchable' | ApartFault>> => {
    if (bytes.length <= HERE_MAX_BYTES)
      return views.knowing(view, (site) =>
        deliverBytes(bytes, encoding, site, { ...place, findPart: (kind, name) => parts[`${kind} ${name}`] ?? null }),
      )
    const done = await views.knowingApart(view, (site) =>
      apart('deliver', { site, bytes, encoding, place, parts }, { deadlineMs: PAGE_WORK_MS }),
    )
    return done.ok ? done.value : done
  }
  /** A page that came as Markdown, as Markdown again: what nobody changed byte for byte. Null where the original is gone, or it cannot be written in time. */
  const asMarkdown = async (page: ListedPage, html: string): Promise<Uint8Array | null> => {
    const origin = page.originHash === null ? null : await getBlob(db, page.originHash)
    if (origin === null) return null
    const { front, body } = readMarkdown(decodeSource(origin, sniffEncoding(origin).encoding))
    const article = articleOf(html, /^\s*(?:# |[^\n]+\n=+\s*\n)/.test(body) ? null : page.title)
    const again = await apart('markdownAgain', { html: article, original: body }, { deadlineMs: PAGE_WORK_MS })
    return again.ok ? new TextEncoder().encode(front + again.value) : null
  }

  /** Pages that send on, for hosts that cannot answer with a redirect: one for each row that such a page can stand for. */
  async function* redirectPages(siteId: string, view: SiteGround, taken: Set<string>): AsyncGenerator<{ name: string; bytes: Uint8Array }> {
    const { setup, origin } = view
    const main = setup.hosts.find(({ kind }) => kind === 'site')?.host ?? ''
    for (let after: { value: number | string; id: string } | undefined, more = true; more; ) {
      const { items } = await listRedirects(db, { siteId, after, limit: REDIRECTS_AT_ONCE })
      const rels = await views.knowing(view, (site) => items.map(({ to }) => (to === '' ? null : foresee(site, to, '/').rel)))
      for (const [i, row] of items.entries()) {
        const name = row.hosts.length === 0 || row.hosts.includes(main) ? staticNameOf(row) : null
        if (name === null || taken.has(name)) continue
        taken.add(name)
        const to = row.to.startsWith(`${origin}/`) ? row.to.slice(origin.length) : row.to
        yield { name, bytes: new TextEncoder().encode(redirectPage(to, setup.language ?? 'en', rels[i] ?? null)) }
      }
      const last = items[items.length - 1]
      after = last === undefined ? undefined : { value: last.value, id: last.id }
      more = items.length === REDIRECTS_AT_ONCE
    }
  }

  return {
    /**
     * The site as static files: pages with the rules applied, every file as it came in, and pages in place of redirects.
     * @param of - "draft" for the site as it stands in the studio, "live" for what visitors see
     */
    async siteZip(actor: Actor, of: 'draft' | 'live'): Promise<Result<ReadableStream<Uint8Array>, 'forbidden'>> {
      if (!mayAsk(actor, calls.siteZip)) return fail('forbidden')
      const view = await views.of(actor)
      const parts = await views.allParts(actor, of)
      const waiting = await waitingByPage(db, actor.siteId)
      const taken = new Set<string>()
      async function* contents(): AsyncGenerator<{ name: string; bytes: Uint8Array }> {
        for (let after: string | undefined, more = true; more; ) {
          const { items } = await listPages(db, { siteId: actor.siteId, after, limit: PAGES_AT_ONCE })
          for (const page of items) {
            const hash = of === 'draft' ? page.draftHash : page.liveHash
            const encoding = of === 'draft' ? page.encoding : (page.liveEncoding ?? page.encoding)
            const content = hash === null ? null : await getContent(db, hash)
            if (content === null) continue
            const { bytes: stored, tags, writtenFor } = content
            const place = { path: page.path, tags, writtenFor, waiting: waiting.get(page.id) ?? waiting.get('shared') }
            const delivered = await deliveredPage(stored, encoding, view, place, parts)
            if (!delivered.ok) log.warn({ page: page.path, encoding }, 'rules cannot be written into this page; exported as stored')
            const bytes = delivered.ok ? delivered.value : stored
            const markdown = page.originKind === 'markdown' ? await asMarkdown(page, decodeSource(bytes, encoding)) : null
            const name = page.sourceName === '' ? nameForPath(page.path) : page.sourceName
            taken.add(name)
            yield { name, bytes: markdown ?? bytes }
          }
          after = items[items.length - 1]?.path
          more = items.length === PAGES_AT_ONCE
        }
        for (const file of await listFiles(db, actor.siteId)) {
          const hash = of === 'draft' ? file.draftHash : file.liveHash
          const bytes = hash === null ? null : await getBlob(db, hash)
          if (bytes !== null) yield { name: decodeName(file.path.slice(1)), bytes }
          taken.add(decodeName(file.path.slice(1)))
        }
        if (actor.can('redirects:read')) yield* redirectPages(actor.siteId, view, taken)
      }
      return ok(zipStream(contents()))
    },
  }
}

function decodeName(path: string): string {
  try {
    return decodeURIComponent(path)
  } catch {
    return path
  }
}

/** Packs files one at a time as the reader takes them. */
function zipStream(contents: AsyncGenerator<{ name: string; bytes: Uint8Array }>): ReadableStream<Uint8Array> {
  const ready: Uint8Array[] = []
  let failure: Error | null = null
  const zip = new Zip((error, chunk) => {
    if (error !== null) failure = error
    else ready.push(chunk)
  })
  let isOver = false
  return new ReadableStream<Uint8Array>({
    async pull(controller) {
      while (ready.length === 0 && !isOver) {
        const next = await contents.next()
        if (next.done === true) {
          isOver = true
          zip.end()
        } else {
          const { name, bytes } = next.value
          const entry = PACKED.test(name) ? new ZipPassThrough(name) : new ZipDeflate(name, { level: ZIP_LEVEL })
          zip.add(entry)
          entry.push(bytes, true)
        }
        if (failure !== null) throw failure
      }
      for (const chunk of ready.splice(0)) controller.enqueue(chunk)
      if (isOver) controller.close()
    },
    async cancel() {
      zip.terminate()
      await contents.return(undefined)
    },
  })
}
