import { RE2JS } from 're2js'
import { type Told, tell } from '../../words/index.ts'
import { fail, ok, type Result } from '../result.ts'
import { isNarrow, type NeededText } from './pattern-index.ts'

/** Longest pattern or expression, inclusive. */
export const PATTERN_MAX_CHARS = 1_000
/** Largest program that is kept of one, and so much of it may be gone through anew at every character of a path. */
const STEPS_MAX = 2_000
const STEPS_A_CHAR_MAX = 200

/** A pattern or an expression that is ready to be asked. Matching takes linear time, whatever it says. */
export interface CompiledPattern extends NeededText {
  /** What each group caught, "" where it caught nothing; null where the path does not match. @param path - see `plainPath` */
  match(path: string): readonly string[] | null
  /** Names of groups by their number, from 0 on; a group without a name has "". */
  readonly names: readonly string[]
  /** Most steps that it takes to ask it about a path of so many characters. */
  steps(chars: number): number
  /** As one expression, anchored where the pattern is. */
  readonly source: string
}

export type PatternFault = 'pattern-unreadable' | 'pattern-needs-memory' | 'pattern-too-large'

/** What only an expression that goes back over its steps can say; RE2 takes linear time and cannot (RE2 syntax). */
const BACKTRACKING = /\(\?(?:[=!>]|<[=!])|\\[1-9]|\\k<|[*+?}]\+/

/**
 * Compiles a regular expression (RE2) that is looked for anywhere in a path, as web servers do.
 * @returns 'pattern-needs-memory' for look-around, back-references and possessive repeats; detail `at`: where, `why`
 */
export function compileExpression(source: string, ignoresCase: boolean): Result<CompiledPattern, PatternFault> {
  if (source.length > PATTERN_MAX_CHARS) return fail('pattern-too-large', { most: PATTERN_MAX_CHARS })
  const needs = BACKTRACKING.exec(withoutPlain(source))
  if (needs !== null) return fail('pattern-needs-memory', { at: needs.index, part: needs[0] })
  return compiled(source, ignoresCase, literalsOf(source))
}

/**
 * Compiles a path in the syntax of URL Pattern (WHATWG URL Pattern, "pathname"): ":name", "*", "{…}" with "?", "+" or "*"
 * behind them, "\" before what is meant as it stands. Groups with an expression of their own, as in ":id(\\d+)", are RE2.
 * @param ignoresSlash - slashes at the end of a path make no difference, which the standard does not say
 */
export function compilePathPattern(pattern: string, ignoresCase: boolean, ignoresSlash = false): Result<CompiledPattern, PatternFault> {
  if (pattern.length > PATTERN_MAX_CHARS) return fail('pattern-too-large', { most: PATTERN_MAX_CHARS })
  const read = readPathPattern(pattern, ignoresSlash)
  if (!read.ok) return read
  const { source, literals } = read.value
  return compiled(source, ignoresCase, literals)
}

/**
 * By what text of a path a pattern is found, as one: those of which it is the same are asked together. "" for one that fixes too
 * little, so that every path has to be asked of it; null for one that cannot be read.
 */
export function neededText(match: 'pattern' | 'expression', source: string): string | null {
  const read = match === 'expression' ? ok({ source, literals: literalsOf(source) }) : readPathPattern(source, true)
  if (!read.ok) return null
  const literals = foldedLiterals(read.value.literals)
  return isNarrow(literals) ? [headOf(read.value.source), ...literals].join('*') : ''
}

/** As they stand in a folded path; what is not ASCII is folded in ways of its own. */
const foldedLiterals = (literals: readonly string[]): string[] => literals.flatMap((each) => foldedText(each).split(/[^\0-\x7f]+/))

function compiled(source: string, ignoresCase: boolean, literals: readonly string[]): Result<CompiledPattern, PatternFault> {
  let program: RE2JS
  try {
    program = RE2JS.compile(source, ignoresCase ? RE2JS.CASE_INSENSITIVE : 0)
  } catch {
    return fail('pattern-unreadable', { at: 0, why: whyUnreadable(source) })
  }
  const once = program.programSize()
  if (once > STEPS_MAX) return fail('pattern-too-large', { steps: once, most: STEPS_MAX })
  const aChar = stepsAChar(source, once)
  if (aChar > STEPS_A_CHAR_MAX) return fail('pattern-too-large', { steps: aChar, most: STEPS_A_CHAR_MAX })
  const names = Array.from({ length: program.groupCount() }, () => '')
  for (const [name, number] of Object.entries(program.namedGroups())) names[Number(number) - 1] = name
  return ok({
    names,
    source,
    head: headOf(source),
    literals: foldedLiterals(literals),
    steps: (chars) => once + aChar * chars,
    match(path) {
      const matcher = program.matcher(path)
      return matcher.find() ? names.map((_, i) => matcher.group(i + 1) ?? '') : null
    },
  })
}

/**
 * How much of a program is gone through at every character. One that may begin anywhere begins anew at each; of one that is
 * anchored, what stands before its first repeat is gone through once.
 */
function stepsAChar(source: string, once: number): number {
  if (!source.startsWith('^') || withoutPlain(source).includes('|')) return once
  const from = firstRepeat(source)
  if (from === -1) return 0
  try {
    return RE2JS.compile(source.slice(from)).programSize()
  } catch {
    return once // a part that means nothing by itself
  }
}

/** Where the first part of an anchored expression stands that may be left out or repeated; -1 where none does. */
function firstRepeat(source: string): number {
  for (let at = 1; at < source.length; ) {
    const c = source[at]
    const end = c === '(' ? closingOf(source, at) : c === '[' ? classEnd(source, at) : escapeEnd(source, at)
    if (end === -1) return 1
    const inside = c === '(' ? withoutPlain(source.slice(at, end + 1)).replace(/\(\?(?::|P?<\w*>)/g, '') : ''
    if (/[*+?{]/.test(inside) || /^[*+?{]/.test(source.slice(end + 1))) return at
    at = end + 1
  }
  return -1
}
const ESCAPE = /^\\(?:[pPx]\{[^}]*\}|.)/s
/** Where an escape ends. */
const escapeEnd = (source: string, at: number): number => at + (ESCAPE.exec(source.slice(at, at + ESCAPE_MAX_CHARS))?.[0].length ?? 1) - 1
/** Longest name of what an escape stands for, with room. */
const ESCAPE_MAX_CHARS = 60

/** What every path begins with that an expression matches, folded; "" where that is not plain to see. */
export function headOf(source: string): string {
  if (!source.startsWith('^') || source.includes('|')) return ''
  const run = /^[A-Za-z0-9/_-]*/.exec(source.slice(1))?.[0] ?? ''
  const next = source[1 + run.length] ?? ''
  const head = /[?*{+]/.test(next) ? run.slice(0, -1) : run
  return foldedText(head)
}

/** What RE2 says of an expression, which names it as it was written: without the flag that is put before it to ignore case. */
function whyUnreadable(source: string): string {
  try {
    RE2JS.compile(source)
    return ''
  } catch (error) {
    return error instanceof Error ? error.message.replace(/^error parsing regexp: /, '') : ''
  }
}

/**
 * Text in which case does not count, as far as ASCII goes: of what RE2 takes for a letter of ASCII without regard to case, all
 * becomes that letter (Unicode simple case folding has two beside the capitals: the long s and the Kelvin sign).
 */
export const foldedText = (text: string): string => text.toLowerCase().replaceAll('ſ', 's')

/** An expression in which escaped signs and classes are blotted out, at their length: what is left means what it looks like. */
function withoutPlain(source: string): string {
  let out = ''
  for (let i = 0; i < source.length; i++) {
    const end =
      source[i] === '[' ? classEnd(source, i) : source[i] === '\\' && !/[1-9k]/.test(source[i + 1] ?? '') ? escapeEnd(source, i) : i
    if (end === -1) return out // not closed, which is told as such
    out += end === i ? source[i] : '_'.repeat(end - i + 1)
    i = end
  }
  return out
}

interface ReadPattern {
  readonly source: string
  readonly literals: readonly string[]
}
type Modifier = '' | '?' | '*' | '+'

const escaped = (text: string): string => text.replace(/[\\^$.*+?()[\]{}|/-]/g, '\\$&').replace(/\\([/-])/g, '$1')

/** Reads a pathname pattern by the standard's "parse a pattern string", and writes it as one expression. */
function readPathPattern(pattern: string, ignoresSlash: boolean): Result<ReadPattern, PatternFault> {
  let source = ''
  const literals: string[] = []
  /** Text that has been read and may be a group's prefix yet. */
  let text = ''
  let at = 0
  const unreadable = (why: Told) => fail('pattern-unreadable', { at, why })
  const flush = (): void => {
    if (text === '') return
    source += escaped(text)
    literals.push(text)
    text = ''
  }
  const modifier = (): Modifier => {
    const next = pattern[at]
    if (next !== '?' && next !== '*' && next !== '+') return ''
    at++
    return next
  }
  /** "(…)": the expression between its brackets. */
  const inBrackets = (): string | null => {
    if (pattern[at] !== '(') return null
    let depth = 0
    for (let i = at; i < pattern.length; i++) {
      const c = pattern[i]
      if (c === '\\') i++
      else if (c === '(') {
        depth++
        if (depth > 1 && pattern[i + 1] !== '?') return null
      } else if (c === ')' && --depth === 0) {
        const inside = pattern.slice(at + 1, i)
        at = i + 1
        return inside
      }
    }
    return null
  }
  /** A group with what stands before and behind it inside the same repeat. */
  const group = (before: string, caught: string, behind: string, how: Modifier, name: string): void => {
    const open = name === '' ? '(' : `(?P<${name}>`
    const [head, tail] = [escaped(before), escaped(behind)]
    if (how === '' || how === '?') {
      source += how === '?' ? `(?:${head}${open}${caught})${tail})?` : `${head}${open}${caught})${tail}`
      if (how === '') literals.push(before, behind)
    } else {
      const again = head + tail === '' ? `(?:${caught})+` : `(?:${caught})(?:${tail}${head}(?:${caught}))*`
      source += `${how === '*' ? '(?:' : ''}${head}${open}${again})${tail}${how === '*' ? ')?' : ''}`
    }
  }
  const names = new Set<string>()
  /** ":name", "*" or "(…)" with what it catches; null where none begins here. */
  const matched = (): Result<{ name: string; caught: string } | null, PatternFault> => {
    if (pattern[at] === '*') {
      at++
      return ok({ name: '', caught: '.*' })
    }
    let name = ''
    if (pattern[at] === ':') {
      name = /^:([\p{ID_Start}$_][\p{ID_Continue}$]*)/u.exec(pattern.slice(at))?.[1] ?? ''
      if (name === '') return unreadable(tell('pattern.no-name'))
      if (names.has(name)) return unreadable(tell('pattern.name-twice', { name }))
      names.add(name)
      at += 1 + name.length
    }
    if (pattern[at] === '(') {
      const inside = inBrackets()
      if (inside === null || inside === '') return unreadable(tell('pattern.bracket'))
      if (BACKTRACKING.test(withoutPlain(inside))) return fail('pattern-needs-memory', { at, part: inside })
      return ok({ name, caught: `(?:${inside})` })
    }
    return ok(name === '' ? null : { name, caught: '[^/]+?' })
  }
  while (at < pattern.length) {
    const c = pattern[at] ?? ''
    if (c === '\\') {
      if (at + 1 >= pattern.length) return unreadable(tell('pattern.backslash'))
      text += pattern[at + 1]
      at += 2
      continue
    }
    if (c === '{') {
      flush()
      at++
      const inner = { before: '', behind: '' }
      const plain = (): string => {
        let read = ''
        while (at < pattern.length && !/[{}:*(]/.test(pattern[at] ?? '')) {
          if (pattern[at] === '\\') at++
          read += pattern[at++] ?? ''
        }
        return read
      }
      inner.before = plain()
      const found = matched()
      if (!found.ok) return found
      inner.behind = found.value === null ? '' : plain()
      if (pattern[at] !== '}') return unreadable(tell('pattern.brace'))
      at++
      const how = modifier()
      if (found.value !== null) group(inner.before, found.value.caught, inner.behind, how, found.value.name)
      else if (how === '') text += inner.before
      else source += `(?:${escaped(inner.before)})${how}`
      continue
    }
    if (c === '}' || c === ')') return unreadable(tell('pattern.closes-nothing', { sign: c }))
    if (c === '?' || c === '+') return unreadable(tell('pattern.repeats-nothing', { sign: c }))
    const found = matched()
    if (!found.ok) return found
    if (found.value === null) {
      text += c
      at++
      continue
    }
    // A slash right before a group goes with it when it is left out or repeated (the standard's implicit prefix).
    const how = modifier()
    const takesSlash = text.endsWith('/')
    if (takesSlash) text = text.slice(0, -1)
    flush()
    group(takesSlash ? '/' : '', found.value.caught, '', how, found.value.name)
  }
  const isRoot = source === '' && /^\/+$/.test(text)
  if (ignoresSlash && !isRoot) while (text.endsWith('/')) text = text.slice(0, -1)
  flush()
  return ok({ source: `^${source}${ignoresSlash && !isRoot ? '/*' : ''}$`, literals: literals.filter((each) => each !== '') })
}

/** Letters that stand for themselves in an expression, up to the next sign that means something. */
const META = new Set('\\^$.|?*+()[]{}')

/**
 * Stretches of text that whatever an expression matches has to hold. Where that is not plain to see, fewer, or none: it is
 * for finding an expression among many, and never decides.
 */
export function literalsOf(source: string): readonly string[] {
  const runs: string[] = []
  let run = ''
  const end = (): void => {
    if (run !== '') runs.push(run)
    run = ''
  }
  for (let i = 0; i < source.length; i++) {
    const c = source[i] ?? ''
    if (c === '|') return [] // either side of it may be meant
    if (c === '(') {
      if (/^\(\?(?!:|P?<)/.test(source.slice(i))) return [] // flags change what letters mean
      const close = closingOf(source, i)
      if (close === -1) return []
      end()
      i = close
    } else if (c === '[') {
      end()
      i = classEnd(source, i)
      if (i === -1) return []
    } else if (c === '\\') {
      const next = source[++i] ?? ''
      if (/[A-Za-z0-9]/.test(next)) {
        end()
        if (!/[dDwWsSbBAz]/.test(next)) return []
      } else run += next
    } else if (META.has(c)) end()
    else run += c
    // What is repeated, or may be left out, is no part of the text; of "ab?" only the "a" is.
    const behind = source[i + 1]
    if (behind === '?' || behind === '*' || behind === '+' || behind === '{') {
      run = run.replace(/.$/su, '') // a whole character, of however many units
      end()
      if (behind === '{') {
        i = source.indexOf('}', i)
        if (i === -1) return []
      } else i++
    }
  }
  end()
  return runs
}

function closingOf(source: string, open: number): number {
  let depth = 0
  for (let i = open; i < source.length; i++) {
    const c = source[i]
    if (c === '\\') i++
    else if (c === '[') {
      i = classEnd(source, i)
      if (i === -1) return -1
    } else if (c === '(') depth++
    else if (c === ')' && --depth === 0) return i
  }
  return -1
}

function classEnd(source: string, open: number): number {
  let i = open + 1
  if (source[i] === '^') i++
  if (source[i] === ']') i++
  for (; i < source.length; i++) {
    if (source[i] === '\\') i++
    else if (source[i] === '[' && source[i + 1] === ':') {
      i = source.indexOf(':]', i) + 1
      if (i === 0) return -1
    } else if (source[i] === ']') return i
  }
  return -1
}
