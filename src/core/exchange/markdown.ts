import { marked } from 'marked'
import TurndownService from 'turndown'
import { parse } from 'yaml'
import { escapeAttribute } from '../markup/index.ts'
import { treeOf } from './tree.ts'

/** A Markdown file taken apart. `front + body` is the file. */
export interface MarkdownFile {
  /** Front matter with its fences and the line end behind them; "" where there is none. */
  readonly front: string
  readonly body: string
  /** What the front matter says; empty where there is none, or it cannot be read. */
  readonly facts: Readonly<Record<string, unknown>>
}

const FRONT = /^---[ \t]*\r?\n([\s\S]*?)\r?\n---[ \t]*(?:\r?\n|$)/

/** Reads front matter (YAML between two lines of three hyphens) and the text behind it. Never throws. */
export function readMarkdown(text: string): MarkdownFile {
  const bare = text.replace(/^\uFEFF/, '')
  const found = FRONT.exec(bare)
  if (found === null) return { front: '', body: bare, facts: {} }
  return { front: found[0], body: bare.slice(found[0].length), facts: yamlFacts(found[1] ?? '') }
}

function yamlFacts(yaml: string): Readonly<Record<string, unknown>> {
  try {
    const read: unknown = parse(yaml)
    return typeof read === 'object' && read !== null && !Array.isArray(read) ? Object.fromEntries(Object.entries(read)) : {}
  } catch {
    return {}
  }
}

/** Title of a file: of its front matter, else of its first heading, else null. */
export function titleOfMarkdown({ facts, body }: MarkdownFile): string | null {
  if (typeof facts.title === 'string' && facts.title.trim() !== '') return facts.title.trim()
  const heading = /^#[ \t]+(.+?)[ \t#]*$/m.exec(body)?.[1]
  return heading === undefined ? null : heading.replace(/[*_`]/g, '').trim()
}

/** Tags of its front matter: a list, or words with commas between them. */
export function tagsOfMarkdown({ facts }: MarkdownFile): readonly string[] {
  const { tags } = facts
  if (Array.isArray(tags)) return tags.map(String)
  return typeof tags === 'string' ? tags.split(',').map((tag) => tag.trim()) : []
}

/** A block of a Markdown text, and what it becomes (CommonMark with tables and strikethrough). */
interface Block {
  readonly raw: string
  readonly html: string
}

function blocksOf(body: string): readonly Block[] {
  const tokens = marked.lexer(body)
  return tokens.map((token) => ({ raw: token.raw, html: marked.parser([token]) }))
}

/** A Markdown text as HTML, block by block. */
export const htmlOfMarkdown = (body: string): string =>
  blocksOf(body)
    .map(({ html }) => html)
    .join('')

const turndown = (): TurndownService => {
  const service = new TurndownService({ headingStyle: 'atx', codeBlockStyle: 'fenced', bulletListMarker: '-', emDelimiter: '*' })
  // Markdown has no words for what search engines are told and how a link opens: such a link stays HTML.
  service.addRule('marked link', {
    filter: (node) => node.nodeName === 'A' && [...node.attributes].some(({ name }) => name !== 'href' && name !== 'title'),
    replacement: (content, node) => {
      const attributes = 'attributes' in node ? [...(node as HTMLElement).attributes] : []
      return `<a${attributes.map(({ name, value }) => ` ${name}="${escapeAttribute(value)}"`).join('')}>${content}</a>`
    },
  })
  service.keep(['table', 'iframe', 'video', 'audio', 'details', 'figure'])
  return service
}

/**
 * An article's HTML back as Markdown. Blocks that are still what the original made of them keep their text byte for
 * byte; others are written anew.
 * @param html - the article as it is now
 * @param original - the body it came in as
 */
export function markdownOfHtml(html: string, original: string): string {
  const service = turndown()
  const written = (part: string): string => (part.trim() === '' ? '' : `${service.turndown(treeOf(part))}\n\n`)
  let out = ''
  let at = 0
  let isGone = false
  for (const { raw, html: made } of blocksOf(original)) {
    if (made.trim() === '') {
      if (!isGone) out += raw // the space behind a block goes with it
      continue
    }
    const found = html.indexOf(made.trimEnd(), at)
    isGone = found === -1
    if (isGone) continue // it was changed or taken out: what stands there now is written with the next one
    out += written(html.slice(at, found)) + raw
    at = found + made.trimEnd().length
  }
  const rest = written(html.slice(at))
  if (rest === '') return out
  return `${out.replace(/\s*$/, '')}\n\n${rest.trimEnd()}\n`.replace(/^\n+/, '')
}
