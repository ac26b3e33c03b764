import qrcode, { type QRCodeToBufferOptions } from 'qrcode'
import type { RewriteAnswer } from '../contract/rules.ts'
import { deliverBytes, measureOf, type PageContent, type PageFault, type PagePlace, readPage, tooMuchOf } from '../core/content/index.ts'
import { drawingFault, htmlOfMarkdown, markdownOfHtml, readSitemap } from '../core/exchange/index.ts'
import { decodeSource, linkText, type PatchOrder, patchSource } from '../core/markup/index.ts'
import { fail, ok, type Result } from '../core/result.ts'
import { becauseOf, type CompiledSite, compileSite, deliverPage, type SiteSetup, withShortLinks } from '../core/rules/index.ts'
import type { Told } from '../words/index.ts'

/** A site as threads are told of it, with where those of its short links lead that have been asked for so far. */
export interface SentSite {
  readonly setup: SiteSetup
  readonly port: number
  readonly shortLinks: readonly { readonly host: string; readonly slug: string; readonly destination: string }[]
}

/** What was done, and the short links that were asked for in vain: where there are any, it is done again with them. */
export interface DoneWith<T> {
  readonly done: T
  readonly unknown: readonly { readonly host: string; readonly slug: string }[]
}

function doneWith<T>({ setup, port, shortLinks }: SentSite, work: (site: CompiledSite) => T): DoneWith<T> {
  const known = new Map(shortLinks.map(({ host, slug, destination }) => [`${host} ${slug}`, destination]))
  const unknown = new Map<string, { host: string; slug: string }>()
  const done = work(
    withShortLinks(compileSite(setup, port), (host, slug) => {
      const name = `${host} ${slug}`
      if (!known.has(name)) unknown.set(name, { host, slug })
      return known.get(name) ?? null
    }),
  )
  return { done, unknown: [...unknown.values()] }
}

/** Rules to put on HTML that somebody gave. */
export interface RewriteOrder {
  readonly site: SentSite
  readonly html: string
  readonly path: string
}

/** A stored page to be made as visitors get it. */
export interface DeliverOrder {
  readonly site: SentSite
  readonly bytes: Uint8Array
  readonly encoding: string
  readonly place: Omit<PagePlace, 'findPart'>
  /** Shared parts by "block name" or "menu name". */
  readonly parts: Readonly<Record<string, string>>
}

/**
 * Work whose length is up to whoever gave its input, by name: what goes in and comes out can be copied from thread to
 * thread, and nothing is kept between two calls.
 */
export const TASKS = {
  /** The addresses in a sitemap, and of the sitemaps that it names; null where it is none. */
  sitemap: (bytes: Uint8Array): { readonly pages: readonly string[]; readonly sitemaps: readonly string[] } | null =>
    readSitemap(decodeSource(bytes, 'utf-8')),

  /** A Markdown text as HTML. The library's time can grow much faster than its input. */
  markdown: (body: string): string => htmlOfMarkdown(body),

  /** An article's HTML as Markdown again, see {@link markdownOfHtml}. */
  markdownAgain: ({ html, original }: { html: string; original: string }): string => markdownOfHtml(html, original),

  /** A QR code as a picture of points. Its time and memory grow with the square of its size. */
  async qrPicture({ text, options }: { text: string; options: QRCodeToBufferOptions }): Promise<Uint8Array> {
    return new Uint8Array(await qrcode.toBuffer(text, options))
  },

  /** Why a drawing is not taken; null for one that only draws. */
  drawing: (text: string): Told | null => drawingFault(text),

  /** What a page's bytes say, without the text itself. */
  read({ bytes, encoding, path }: { bytes: Uint8Array; encoding: string | undefined; path: string }): Omit<PageContent, 'text'> {
    const { text: _, ...read } = readPage(bytes, encoding, path)
    return read
  },

  /** Patch sets on stored bytes. */
  patch: (order: PatchOrder) => patchSource(order),

  /** A page with shared parts in and rules on. */
  deliver({ site, bytes, encoding, place, parts }: DeliverOrder) {
    const findPart = (kind: string, name: string): string | null => parts[`${kind} ${name}`] ?? null
    return doneWith(site, (whole) => deliverBytes(bytes, encoding, whole, { ...place, findPart }))
  },

  /** Rules on HTML, with what was decided of each link, and why. */
  rewrite({ site, html, path }: RewriteOrder): DoneWith<Result<RewriteAnswer, PageFault>> {
    const tooMuch = tooMuchOf(measureOf(html))
    if (tooMuch !== null) return { done: fail(tooMuch), unknown: [] }
    return doneWith(site, (whole) => {
      const page = deliverPage(html, whole.rules, whole.around(path, { isTheirs: true }), whole.findShortLink)
      return ok({
        html: page.html,
        links: page.delivered.map(({ link, facts, decision }) => ({
          text: linkText(html, link),
          href: link.href,
          kind: facts.kind,
          before: { rel: link.rel, target: link.target },
          after: { rel: decision.rel, target: decision.target },
          because: becauseOf(decision),
        })),
      })
    })
  },
}
export type Tasks = typeof TASKS
