import { pageLike } from '../writing/index.ts'

/** A page with the look of another and an article put in. An article with a heading of its own keeps that one. */
export function pageWithArticle(model: string | null, from: string, title: string, article: string): string {
  const page = pageLike(model, from, title)
  const heading = /<h1[^>]*>[^<]*<\/h1>/i.exec(page)
  const empty = page.indexOf('<p></p>', heading?.index ?? 0)
  if (heading === null || empty === -1) return page.replace('<p></p>', () => article)
  const start = /^\s*<h1[\s>]/i.test(article) ? heading.index : empty
  return page.slice(0, start) + article.trimEnd() + page.slice(empty + '<p></p>'.length)
}

/**
 * The article of a page: what stands in its `main` (else `article`, else `body`, else behind its head), without a heading
 * that only repeats the title.
 * @param title - null where a heading stays whatever it says
 */
export function articleOf(html: string, title: string | null): string {
  const found =
    ['main', 'article', 'body']
      .map((name) => new RegExp(`<${name}(?:\\s[^>]*)?>([\\s\\S]*)</${name}\\s*>`, 'i').exec(html)?.[1])
      .find((each) => each !== undefined) ?? html.replace(/^[\s\S]*<\/(?:head|title)\s*>/i, '')
  const heading = /^\s*<h1[^>]*>([^<]*)<\/h1>/i.exec(found)
  return title !== null && heading !== null && heading[1]?.trim() === title.replaceAll('&', '&amp;').replaceAll('<', '&lt;')
    ? found.slice(heading[0].length)
    : found
}
