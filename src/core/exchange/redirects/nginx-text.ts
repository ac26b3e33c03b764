import { fail, ok, type Result } from '../../result.ts'
import { filesOf } from './files.ts'

/** A directive: its words, and what stands in its braces. */
export interface Directive {
  readonly line: number
  readonly words: readonly string[]
  readonly inside: Directive[] | null
}

/** Deepest that blocks stand in one another, inclusive. */
const DEPTH_MAX = 20

/** Reads directives, blocks and comments. @param firstLine - the number of its first line */
function treeOf(text: string, firstLine = 1): Result<Directive[], 'unreadable'> {
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
    if (stray !== undefined) return fail('unreadable', { line: start, reason: `“${stray}” has no end, or no beginning.` })
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
      if (stack.length > DEPTH_MAX)
        return fail('unreadable', { line: start, reason: `Blocks stand in one another more than ${DEPTH_MAX} deep.` })
    } else if (sign === '}') {
      if (stack.length === 1 || words.length > 0)
        return fail('unreadable', {
          line: start,
          reason: words.length > 0 ? 'A line before this brace does not end with “;”.' : 'This brace closes nothing.',
        })
      stack.pop()
    }
  }
  if (words.length > 0) return fail('unreadable', { line: startedOn, reason: 'This line does not end with “;”.' })
  if (stack.length > 1) return fail('unreadable', { line, reason: 'A block is not closed.' })
  return ok(root)
}

/** Reads a configuration, with the files that it includes in their places, as far as they stand behind it. */
export function directivesOf(text: string): Result<Directive[], 'unreadable'> {
  const { main, take } = filesOf(text)
  const put = (tree: readonly Directive[]): Result<Directive[], 'unreadable'> => {
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
