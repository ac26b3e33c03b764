import { type Told, tell } from '../../../words/index.ts'
import { ok } from '../../result.ts'
import { filesOf } from './files.ts'

/** A directive: its words, and what stands in its braces. */
export interface Directive {
  readonly line: number
  readonly words: readonly string[]
  readonly inside: Directive[] | null
}

/** What was read; or where it cannot be, and why. */
type Read = { readonly ok: true; readonly value: Directive[] } | { readonly ok: false; readonly line: number; readonly reason: Told }

const unreadable = (line: number, reason: Told) => ({ ok: false, line, reason }) as const

/** Deepest that blocks stand in one another, inclusive. */
const DEPTH_MAX = 20

/** Reads directives, blocks and comments. @param firstLine - the number of its first line */
function treeOf(text: string, firstLine = 1): Read {
  const root: Directive[] = []
  const stack: Directive[][] = [root]
  let words: string[] = []
  let [line, startedOn] = [firstLine, firstLine]
  // A brace that is meant as it stands is in quotes, or belongs to a variable; "#" begins a comment only where a word could.
  const TOKEN =
    /[ \t\r]+|\n|#[^\n]*|"((?:[^"\\]|\\.)*)"|'((?:[^'\\]|\\.)*)'|([{};])|((?:\\.|\$\{|[^\s;{}"'\\])(?:\\.|\$\{\w+\}|[^\s;{}\\])*)|(.)/gs
  for (const [token, double, single, sign, bare, stray] of text.matchAll(TOKEN)) {
    const start = line
    for (let i = token.indexOf('\n'); i !== -1; i = token.indexOf('\n', i + 1)) line++
    if (stray !== undefined) return unreadable(start, tell('config.stray', { stray }))
    const word = double?.replace(/\\(["\\])/g, '$1') ?? single?.replace(/\\(['\\])/g, '$1') ?? bare
    if (word !== undefined) {
      if (words.length === 0) startedOn = start
      words.push(word)
    } else if (sign === ';') {
      if (words.length > 0) stack[stack.length - 1]?.push({ line: startedOn, words, inside: null })
      words = []
    } else if (sign === '{') {
      const inside: Directive[] = []
      stack[stack.length - 1]?.push({ line: startedOn, words, inside })
      words = []
      stack.push(inside)
      if (stack.length > DEPTH_MAX) return unreadable(start, tell('config.too-deep', { most: DEPTH_MAX }))
    } else if (sign === '}') {
      if (stack.length === 1 || words.length > 0)
        return unreadable(start, tell(words.length > 0 ? 'config.line-open-before-brace' : 'config.brace-closes-nothing'))
      stack.pop()
    }
  }
  if (words.length > 0) return unreadable(startedOn, tell('config.line-open'))
  if (stack.length > 1) return unreadable(line, tell('config.block-open'))
  return ok(root)
}

/** Reads a configuration, with the files that it includes in their places, as far as they stand behind it. */
export function directivesOf(text: string): Read {
  const { main, take } = filesOf(text)
  const put = (tree: readonly Directive[]): Read => {
    const out: Directive[] = []
    for (const each of tree) {
      const [name, of = ''] = each.words
      const found = name === 'include' && each.inside === null ? take(of) : []
      if (found.length === 0) {
        const inside = each.inside === null ? null : put(each.inside)
        if (inside?.ok === false) return inside
        out.push({ ...each, inside: inside?.value ?? null })
      }
      for (const file of found) {
        const read = treeOf(file.text, file.line)
        const whole = read.ok ? put(read.value) : read
        if (!whole.ok) return whole
        for (const inner of whole.value) out.push(inner)
      }
    }
    return ok(out)
  }
  const tree = treeOf(main)
  return tree.ok ? put(tree.value) : tree
}
