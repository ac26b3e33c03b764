/** Code points as ranges, both ends inclusive, ascending and apart. */
export type CodeSet = readonly (readonly [from: number, to: number])[]

export const LAST_CODE = 0x10ffff
export const EVERY_CODE: CodeSet = [[0, LAST_CODE]]

/** @param ranges - in any order; they may overlap */
export function setOf(ranges: Iterable<readonly [number, number]>): CodeSet {
  const out: [number, number][] = []
  for (const [from, to] of [...ranges].sort((a, b) => a[0] - b[0])) {
    const last = out[out.length - 1]
    if (last !== undefined && from <= last[1] + 1) last[1] = Math.max(last[1], to)
    else out.push([from, to])
  }
  return out
}

export const setOfText = (text: string): CodeSet => setOf([...text].map((char) => [codeOf(char), codeOf(char)] as const))
export const codeOf = (char: string): number => char.codePointAt(0) ?? 0

export function complementOf(set: CodeSet): CodeSet {
  const out: [number, number][] = []
  let next = 0
  for (const [from, to] of set) {
    if (from > next) out.push([next, from - 1])
    next = to + 1
  }
  if (next <= LAST_CODE) out.push([next, LAST_CODE])
  return out
}

export function commonOf(a: CodeSet, b: CodeSet): CodeSet {
  const out: [number, number][] = []
  for (let i = 0, k = 0; ; ) {
    const [one, other] = [a[i], b[k]]
    if (one === undefined || other === undefined) return out
    const [from, to] = [Math.max(one[0], other[0]), Math.min(one[1], other[1])]
    if (from <= to) out.push([from, to])
    if (one[1] < other[1]) i++
    else k++
  }
}

export const hasCode = (set: CodeSet, code: number): boolean => set.some(([from, to]) => from <= code && code <= to)
export const areApart = (a: CodeSet, b: CodeSet): boolean => commonOf(a, b).length === 0
export const isWithin = (a: CodeSet, b: CodeSet): boolean => areApart(a, complementOf(b))

/** Letters past this have no case (Unicode 15). */
const CASED_END = 0x1e944
let folds: readonly (readonly number[])[] | null = null

/** Code points that may have a case, with the letter. */
function* casedCodes(): Generator<readonly [code: number, char: string]> {
  for (let code = 0x41; code < CASED_END; code++) if (code < 0xd800 || code >= 0xe000) yield [code, String.fromCodePoint(code)]
}

/** Code points that are one where case does not count (Unicode simple case folding), as RE2 and PCRE have it. */
function foldsOf(): readonly (readonly number[])[] {
  if (folds !== null) return folds
  const byFold = new Map<string, number[]>()
  for (const [code, char] of casedCodes()) {
    if (code === 0x130 || code === 0x131) continue // the two i of Turkish fold with nothing
    const [upper, lower] = [char.toUpperCase(), char.toLowerCase()]
    if (upper === char && lower === char) continue
    // What becomes several letters folds by the other case alone.
    const high = upper.length === char.length ? upper : char
    const fold = high.toLowerCase()
    const key = fold.length === high.length ? fold : high
    byFold.set(key, [...(byFold.get(key) ?? []), code])
  }
  folds = [...byFold.values()].filter((codes) => codes.length > 1)
  return folds
}

let foldByCode: ReadonlyMap<number, readonly number[]> | null = null

/** A set with whatever is one of its letters in another case. */
export function foldedSet(set: CodeSet): CodeSet {
  foldByCode ??= new Map(foldsOf().flatMap((codes) => codes.map((code) => [code, codes] as const)))
  const size = set.reduce((sum, [from, to]) => sum + to - from + 1, 0)
  const more: number[] = []
  if (size < foldByCode.size) {
    for (const [from, to] of set) for (let code = from; code <= to; code++) more.push(...(foldByCode.get(code) ?? []))
  } else for (const codes of foldsOf()) if (codes.some((code) => hasCode(set, code))) more.push(...codes)
  return more.length === 0 ? set : setOf([...set, ...more.map((code) => [code, code] as const)])
}

const named = new Map<string, CodeSet | null>()

/** A class by its name in Unicode: a general category ("L", "Nd") or a script ("Greek"); null for a name that is none. */
export function namedSet(name: string): CodeSet | null {
  const known = named.get(name)
  if (known !== undefined) return known
  const test = testOf(name) ?? testOf(`Script=${name}`)
  const ranges: [number, number][] = []
  if (test !== null)
    for (let code = 0; code <= LAST_CODE; code++) {
      const last = ranges[ranges.length - 1]
      if ((code >= 0xd800 && code < 0xe000) || !test.test(String.fromCodePoint(code))) continue
      if (last?.[1] === code - 1) last[1] = code
      else ranges.push([code, code])
    }
  const set = test === null ? null : ranges
  named.set(name, set)
  return set
}

function testOf(name: string): RegExp | null {
  if (!/^\w+(?:=\w+)?$/.test(name)) return null
  try {
    return new RegExp(`^\\p{${name}}$`, 'u')
  } catch {
    return null
  }
}

let lowered: ReadonlyMap<string, readonly number[]> | null = null

/** Letters that paths of sites without case are filed under as one (`pathKey`). */
export function sameLower(code: number): CodeSet {
  if (lowered === null) {
    const byLower = new Map<string, number[]>()
    for (const [each, char] of casedCodes()) {
      const lower = char.toLowerCase()
      if (lower === char || [...lower].length > 1) continue
      const among = byLower.get(lower) ?? [codeOf(lower)]
      byLower.set(lower, [...among, each])
    }
    byLower.set('ς', [0x3c2, 0x3a3]) // the capital at the end of a word
    lowered = byLower
  }
  const all = lowered.get(String.fromCodePoint(code).toLowerCase()) ?? [code]
  return setOf(all.map((each) => [each, each] as const))
}
