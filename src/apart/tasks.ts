import { drawingFault, htmlOfMarkdown } from '../core/exchange/index.ts'
import { linkText } from '../core/markup/index.ts'
import { becauseOf, compileSite, deliverPage, type SiteSetup } from '../core/rules/index.ts'

/** Rules to put on HTML that somebody gave: of a site, as it is set up. */
export interface RewriteOrder {
  readonly setup: SiteSetup
  readonly port: number
  readonly html: string
  readonly path: string
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

  /** Rules on HTML, with what was decided of each link, and why. */
  rewrite({ setup, port, html, path }: RewriteOrder) {
    const site = compileSite(setup, port)
    const page = deliverPage(html, site.rules, site.around(path), site.findShortLink)
    return {
      html: page.html,
      links: page.delivered.map(({ link, facts, decision }) => ({
        text: linkText(html, link),
        href: link.href,
        kind: facts.kind,
        before: { rel: link.rel, target: link.target },
        after: { rel: decision.rel, target: decision.target },
        because: becauseOf(decision),
      })),
    }
  },
}
export type Tasks = typeof TASKS
