import { deliverBytes, measureOf, type PageContent, type PagePlace, readPage, tooMuchOf } from '../core/content/index.ts'
import { drawingFault, htmlOfMarkdown } from '../core/exchange/index.ts'
import { linkText, type PatchOrder, patchSource } from '../core/markup/index.ts'
import { fail, ok } from '../core/result.ts'
import { becauseOf, compileSite, deliverPage, type SiteSetup } from '../core/rules/index.ts'

/** Rules to put on HTML that somebody gave: of a site, as it is set up. */
export interface RewriteOrder {
  readonly setup: SiteSetup
  readonly port: number
  readonly html: string
  readonly path: string
}

/** A stored page to be made as visitors get it. */
export interface DeliverOrder {
  readonly setup: SiteSetup
  readonly port: number
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
  /** A Markdown text as HTML. The library's time can grow much faster than its input. */
  markdown: (body: string): string => htmlOfMarkdown(body),

  /** Why a drawing is not taken; null for one that only draws. */
  drawing: (text: string): string | null => drawingFault(text),

  /** What a page's bytes say, without the text itself. */
  read({ bytes, encoding, path }: { bytes: Uint8Array; encoding: string | undefined; path: string }): Omit<PageContent, 'text'> {
    const { text: _, ...read } = readPage(bytes, encoding, path)
    return read
  },

  /** Patch sets on stored bytes. */
  patch: (order: PatchOrder) => patchSource(order),

  /** A page with shared parts in and rules on. */
  deliver({ setup, port, bytes, encoding, place, parts }: DeliverOrder) {
    const findPart = (kind: string, name: string): string | null => parts[`${kind} ${name}`] ?? null
    return deliverBytes(bytes, encoding, compileSite(setup, port), { ...place, findPart })
  },

  /** Rules on HTML, with what was decided of each link, and why. */
  rewrite({ setup, port, html, path }: RewriteOrder) {
    const tooMuch = tooMuchOf(measureOf(html))
    if (tooMuch !== null) return fail(tooMuch)
    const site = compileSite(setup, port)
    const page = deliverPage(html, site.rules, site.around(path, { isTheirs: true }), site.findShortLink)
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
  },
}
export type Tasks = typeof TASKS
