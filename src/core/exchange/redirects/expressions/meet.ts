import { type CodeSet, commonOf, EVERY_CODE } from './code-set.ts'
import type { Part } from './expression.ts'

/** Steps of one expression, and pairs of steps that are looked at for two: a few milliseconds. */
const STATES_MAX = 2_000
const PAIRS_MAX = 20_000

/** A step: one letter of a set, then on; or on to several without a letter. The last one has neither. */
interface State {
  set: CodeSet | null
  readonly next: number[]
}

/** An expression as it is walked through, made once for all that it is held against. */
export interface PathSteps {
  readonly head: readonly CodeSet[]
  readonly states: readonly State[] | null
}

export const pathSteps = (part: Part): PathSteps => ({ head: headOf(part), states: statesOf(part) })

/** Pairs of steps that are left to be looked at. */
export interface MeetingWork {
  left: number
}

/** Letters of a path that is no more the shortest of all. */
const LETTERS_LONG = 3

/** A step of each, and how many letters have been read, up to as many as matter. */
interface Pair {
  readonly x: number
  readonly y: number
  readonly read: number
}

const ANYTHING: Part = { kind: 'repeat', part: { kind: 'set', set: EVERY_CODE }, least: 0, most: Number.POSITIVE_INFINITY, isLazy: false }

/**
 * A path that two expressions match both; null where there is none, and "unknown" where that takes too long to find out. An expression
 * that is not bound to the beginning or the end of a path is looked for in it.
 * @param prefers - "letters" for one of the shortest; "digits" for another, of a few letters at least, which a third expression that
 * matches the first seldom matches as well
 * @param work - that many may take together; what is looked at is taken off
 */
export function meetingPath(
  a: PathSteps,
  b: PathSteps,
  prefers: 'letters' | 'digits' = 'letters',
  work: MeetingWork = { left: PAIRS_MAX },
): string | null | 'unknown' {
  if (areApartAtHead(a.head, b.head)) return null
  const [one, other] = [a.states, b.states]
  if (one === null || other === null) return 'unknown'
  // Breadth first over pairs of steps; each remembers how it was come to.
  const from = new Map<number, { before: number; letter: string } | null>()
  const keyOf = ({ x, y, read }: Pair): number => (x * STATES_MAX + y) * (LETTERS_LONG + 1) + read
  const queue: Pair[] = []
  const reach = (pair: Pair, how: { before: number; letter: string } | null): void => {
    if (from.has(keyOf(pair))) return
    from.set(keyOf(pair), how)
    queue.push(pair)
  }
  const least = prefers === 'digits' ? LETTERS_LONG : 1
  reach({ x: 0, y: 0, read: 0 }, null)
  for (const pair of queue) {
    if (queue.length > PAIRS_MAX || work.left-- <= 0) return 'unknown'
    const [left, right] = [one[pair.x], other[pair.y]]
    if (left === undefined || right === undefined) continue
    const before = keyOf(pair)
    if (left.set === null && left.next.length > 0) for (const x of left.next) reach({ ...pair, x }, { before, letter: '' })
    else if (right.set === null && right.next.length > 0) for (const y of right.next) reach({ ...pair, y }, { before, letter: '' })
    else if (left.set === null && right.set === null) {
      if (pair.read >= least) return pathTo(before, from)
    } else if (left.set !== null && right.set !== null) {
      const both = commonOf(left.set, right.set)
      // The first letter of a path is a slash.
      const letter = letterIn(pair.read > 0 ? both : commonOf(both, [[0x2f, 0x2f]]), prefers)
      if (letter !== null)
        for (const x of left.next)
          for (const y of right.next) reach({ x, y, read: Math.min(pair.read + 1, LETTERS_LONG) }, { before, letter })
    }
  }
  return null
}

function pathTo(key: number, from: ReadonlyMap<number, { before: number; letter: string } | null>): string {
  const letters: string[] = []
  for (let how = from.get(key); how !== null && how !== undefined; how = from.get(how.before)) letters.push(how.letter)
  return letters.reverse().join('')
}

/** A letter that reads well, of those that paths have. */
function letterIn(set: CodeSet, prefers: 'letters' | 'digits'): string | null {
  for (const [from, to] of [
    ...(prefers === 'digits' ? [[0x30, 0x39] as const] : []),
    [0x61, 0x7a],
    [0x30, 0x39],
    [0x41, 0x5a],
    [0x2d, 0x2f],
    [0x5f, 0x5f],
    [0x21, 0x22],
    [0x24, 0x24],
    [0x26, 0x2c],
    [0x3a, 0x3e],
    [0x40, 0x40],
    [0x5b, 0x5b],
    [0x5d, 0x7e],
    [0xa1, 0x10ffff],
    [0x20, 0x20],
  ] as const) {
    const [first] = commonOf(set, [[from, to]])
    if (first !== undefined) return String.fromCodePoint(first[0])
  }
  return null
}

/** The letters that every match of a bound expression begins with, one by one. */
function headOf(part: Part): readonly CodeSet[] {
  const parts = part.kind === 'all' ? part.parts : [part]
  if (parts[0]?.kind !== 'begin') return []
  const out: CodeSet[] = []
  for (const each of parts.slice(1)) {
    if (each.kind !== 'set') break
    out.push(each.set)
  }
  return out
}

function areApartAtHead(one: readonly CodeSet[], other: readonly CodeSet[]): boolean {
  return one.some((set, i) => {
    const beside = other[i]
    return beside !== undefined && commonOf(set, beside).length === 0
  })
}

class TooMany extends Error {}

/** The steps of an expression, over whole paths, which begin with a slash; null where they are too many, or it is bound in its middle. */
function statesOf(part: Part): readonly State[] | null {
  const parts = part.kind === 'all' ? part.parts : [part]
  const [isBegun, isEnded] = [parts[0]?.kind === 'begin', parts[parts.length - 1]?.kind === 'end']
  const inside = parts.slice(isBegun ? 1 : 0, isEnded ? -1 : undefined)
  const whole: Part = { kind: 'all', parts: [...(isBegun ? [] : [ANYTHING]), ...inside, ...(isEnded ? [] : [ANYTHING])] }
  const states: State[] = []
  const add = (set: CodeSet | null, next: number[]): number => {
    if (states.length >= STATES_MAX) throw new TooMany()
    states.push({ set, next })
    return states.length - 1
  }
  /** Written from its end: where a part leads is known when it is added. */
  const written = (each: Part, then: number): number => {
    switch (each.kind) {
      case 'set':
        return add(each.set, [then])
      case 'group':
        return written(each.part, then)
      case 'all':
        return each.parts.reduceRight((next, inner) => written(inner, next), then)
      case 'either':
        return add(
          null,
          each.parts.map((inner) => written(inner, then)),
        )
      case 'repeat': {
        let next = then
        if (each.most === Number.POSITIVE_INFINITY) {
          const loop = add(null, [then])
          states[loop]?.next.push(written(each.part, loop))
          next = loop
        } else for (let i = each.least; i < each.most; i++) next = add(null, [then, written(each.part, next)])
        for (let i = 0; i < each.least; i++) next = written(each.part, next)
        return next
      }
      default:
        throw new TooMany() // a bound in its middle
    }
  }
  try {
    const end = add(null, [])
    const start = written(whole, end)
    const first = add(null, [start])
    // The first one is what is begun with.
    const order = [first, ...states.keys()].filter((state, i) => i === 0 || state !== first)
    const at = new Map(order.map((state, i) => [state, i]))
    return order.map((state) => ({ set: states[state]?.set ?? null, next: (states[state]?.next ?? []).map((next) => at.get(next) ?? 0) }))
  } catch (error) {
    if (error instanceof TooMany) return null
    throw error
  }
}
