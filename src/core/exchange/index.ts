export { articleOf, pageWithArticle } from './article.ts'
export { DRAWING_MAX_CHARS, drawingFault } from './drawing.ts'
export { type FeedEntry, readFeed, readSitemap } from './feed.ts'
export { htmlOfMarkdown, type MarkdownFile, markdownOfHtml, readMarkdown, tagsOfMarkdown, titleOfMarkdown } from './markdown.ts'
