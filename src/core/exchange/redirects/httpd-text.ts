import { filesOf } from './files.ts'
import { ownRowAt } from './httpd-out.ts'
import type { ReadingSite, RedirectDraft } from './row.ts'

/** A directive with its arguments, and the line it begins on. */
export interface Directive {
  readonly line: number
  readonly name: string
  readonly args: readonly string[]
  readonly text: string
  /** Of lines that were written for a row of ours: that row. */
  readonly own?: RedirectDraft
}

/** Longest line that is taken apart, with those that it goes on in. */
const DIRECTIVE_MAX_CHARS = 20_000

/** Lines as httpd reads them: ended by "\" they go on, quotes keep blanks together. */
function linesOf(text: string, site: ReadingSite, firstLine = 1): Directive[] {
  const out: Directive[] = []
  const lines = text.split(/\r?\n/)
  for (let i = 0; i < lines.length; i++) {
    const line = i + firstLine
    const own = lines[i]?.startsWith('# {') === true ? ownRowAt(lines, i, site) : null
    if (own !== null) {
      out.push({ line, name: 'RewriteRule', args: [], text: lines[i] ?? '', own: own.draft })
      i += own.lines - 1
      continue
    }
    const parts: string[] = []
    for (; ; i++) {
      const part = (lines[i] ?? '').trimEnd()
      const goesOn = part.endsWith('\\') && i + 1 < lines.length
      parts.push(goesOn ? part.slice(0, -1) : part)
      if (!goesOn) break
    }
    const trimmed = parts.join(' ').trim()
    if (trimmed === '' || trimmed.startsWith('#')) continue
    // No redirect is so long; a quote without an end would be looked for over and over again.
    if (trimmed.length > DIRECTIVE_MAX_CHARS) {
      out.push({ line, name: 'RewriteMap', args: [], text: trimmed })
      continue
    }
    const words = wordsOf(trimmed.startsWith('<') ? trimmed.replace(/>\s*$/, '') : trimmed)
    out.push({ line, name: words[0] ?? '', args: words.slice(1), text: trimmed })
  }
  return out
}

function wordsOf(line: string): string[] {
  const words: string[] = []
  for (const [, double, single, bare] of line.matchAll(/"((?:[^"\\]|\\.)*)"|'((?:[^'\\]|\\.)*)'|(\S+)/g))
    words.push(double?.replace(/\\"/g, '"') ?? single?.replace(/\\'/g, "'") ?? bare ?? '')
  return words
}

/** Reads a configuration, with the files that it includes in their places, as far as they stand behind it. */
export function directivesOf(text: string, site: ReadingSite): Directive[] {
  const { main, take } = filesOf(text)
  const put = (lines: readonly Directive[]): Directive[] =>
    lines.flatMap((each) => {
      const found = /^Include(?:Optional)?$/i.test(each.name) ? take(each.args[0] ?? '') : []
      return found.length === 0 ? [each] : found.flatMap((file) => put(linesOf(file.text, site, file.line)))
    })
  return put(linesOf(main, site))
}
