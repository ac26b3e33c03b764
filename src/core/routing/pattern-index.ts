/** Letters of a stretch of text by which a pattern is found. */
const GRAM = 4
/** Stretches of a pattern that are tried for the rarest. */
const TRIED_MAX = 200

const gramAt = (text: string, at: number): number =>
  ((text.charCodeAt(at) & 0xff) << 24) |
  ((text.charCodeAt(at + 1) & 0xff) << 16) |
  ((text.charCodeAt(at + 2) & 0xff) << 8) |
  (text.charCodeAt(at + 3) & 0xff)

/** What every path has that a pattern matches, once it is folded. */
export interface NeededText {
  /** What it begins with; "" where that is not fixed. */
  readonly head: string
  /** Stretches that follow on one another, with anything between them. */
  readonly literals: readonly string[]
}

/** Whether a path has the stretches that a pattern needs: told at once, so that few patterns have to be run. */
function hasLiterals(literals: readonly string[], text: string): boolean {
  let from = 0
  for (const literal of literals) {
    const at = text.indexOf(literal, from)
    if (at === -1) return false
    from = at + literal.length
  }
  return true
}

/** What looking at how a pattern begins costs, in characters that are looked through. */
const HEAD_CHARS = 8

/** Whether a pattern has so much text that it is asked only about paths that have some of it. */
export const isNarrow = (literals: readonly string[]): boolean => literals.some(({ length }) => length >= GRAM)

/**
 * Finds among many patterns those that may match a path, by four letters of text that each of them needs to be there: of the
 * stretches that a pattern has, the one that fewest others are found by. Adding and removing cost what the pattern has.
 */
export class PatternIndex<P extends NeededText & { readonly id: string }> {
  readonly #byGram = new Map<number, P[]>()
  /** Those without so much text. */
  readonly #others: P[] = []
  readonly #bucketOf = new Map<string, P[]>()

  get size(): number {
    return this.#bucketOf.size
  }

  /** Takes a pattern in, in place of the one of its id. */
  add(pattern: P): void {
    this.remove(pattern.id)
    let best: { gram: number; size: number } | null = null
    let tried = 0
    for (const literal of pattern.literals)
      for (let at = 0; at + GRAM <= literal.length && tried < TRIED_MAX; at++, tried++) {
        const gram = gramAt(literal, at)
        const size = this.#byGram.get(gram)?.length ?? 0
        if (best === null || size < best.size) best = { gram, size }
      }
    let bucket = this.#others
    if (best !== null) {
      bucket = this.#byGram.get(best.gram) ?? []
      this.#byGram.set(best.gram, bucket)
    }
    bucket.push(pattern)
    this.#bucketOf.set(pattern.id, bucket)
  }

  remove(id: string): void {
    const bucket = this.#bucketOf.get(id)
    if (bucket === undefined) return
    bucket.splice(
      bucket.findIndex((each) => each.id === id),
      1,
    )
    this.#bucketOf.delete(id)
  }

  /** All of them, in no order. */
  *all(): Generator<P> {
    for (const bucket of new Set(this.#bucketOf.values())) yield* bucket
  }

  /**
   * Patterns that may match, in no order; some of them do not.
   * @param text - folded where patterns are
   * @param room - characters that are looked through, at most
   */
  candidates(text: string, room = Number.POSITIVE_INFINITY): P[] {
    const found: P[] = []
    let left = room
    const look = (bucket: readonly P[]): void => {
      for (const pattern of bucket) {
        left -= HEAD_CHARS
        if (left < 0) return
        if (!text.startsWith(pattern.head)) continue
        left -= text.length
        if (hasLiterals(pattern.literals, text)) found.push(pattern)
      }
    }
    look(this.#others)
    if (this.#byGram.size === 0) return found
    const taken = new Set<P[]>()
    for (let at = 0; at + GRAM <= text.length && left > 0; at++) {
      const bucket = this.#byGram.get(gramAt(text, at))
      if (bucket === undefined || taken.has(bucket)) continue
      taken.add(bucket)
      look(bucket)
    }
    return found
  }
}
