import { type ElementSpan, escapeText, firstElement } from '../markup/index.ts'
import { pageLike } from '../writing/index.ts'

/** A page with the look of another and an article put in. An article with a heading of its own keeps that one. */
export function pageWithArticle(model: string | null, from: string, title: string, article: string): string {
  const page = pageLike(model, from, title)
  const heading = firstElement(page, 'h1')
  const empty = page.indexOf('<p></p>', heading?.start ?? 0)
  if (heading === null || empty === -1) return page.replace('<p></p>', () => article)
  const start = beginsWith(article, 'h1') === null ? empty : heading.start
  return page.slice(0, start) + article.trimEnd() + page.slice(empty + '<p></p>'.length)
}

/** The element that a text begins with; null where it begins otherwise. */
function beginsWith(html: string, name: string): ElementSpan | null {
  const found = firstElement(html, name)
  return found !== null && html.slice(0, found.start).trim() === '' ? found : null
}

/**
 * The article of a page: what stands in its `main` (else `article`, else `body`, else behind its head), without a heading
 * that only repeats the title.
 * @param title - null where a heading stays whatever it says
 */
export function articleOf(html: string, title: string | null): string {
  const box = ['main', 'article', 'body'].map((name) => firstElement(html, name, 'last')).find((each) => each !== null)
  const head = firstElement(html, 'head', 'last') ?? firstElement(html, 'title', 'last')
  const found = box == null ? html.slice(head?.end ?? 0) : html.slice(box.contentStart, box.contentEnd)
  const heading = beginsWith(found, 'h1')
  const words = heading === null ? null : found.slice(heading.contentStart, heading.contentEnd).trim()
  return title !== null && heading !== null && words === escapeText(title) ? found.slice(heading.end) : found
}
