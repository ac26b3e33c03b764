/** Letters of a stretch of text by which a pattern is found. */
const GRAM = 4
/** Stretches of a pattern that are tried for the rarest. */
const TRIED_MAX = 200

const gramAt = (text: string, at: number): number =>
  ((text.charCodeAt(at) & 0xff) << 24) |
  ((text.charCodeAt(at + 1) & 0xff) << 16) |
  ((text.charCodeAt(at + 2) & 0xff) << 8) |
  (text.charCodeAt(at + 3) & 0xff)

/** Whether a pattern has so much text that it is asked only about paths that have some of it. */
export const isNarrow = (literals: readonly string[]): boolean => literals.some(({ length }) => length >= GRAM)

/**
 * Finds among many patterns those that may match a path, by four letters of text that each of them needs to be there: of the
 * stretches that a pattern has, the one that fewest others are found by. Adding and removing cost what the pattern has.
 */
export class PatternIndex<P extends { readonly id: string; readonly literals: readonly string[] }> {
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

  /** Patterns that may match, in no order; some of them do not. @param text - folded where patterns are */
  candidates(text: string): P[] {
    const found = [...this.#others]
    if (this.#byGram.size === 0) return found
    const taken = new Set<P[]>()
    for (let at = 0; at + GRAM <= text.length; at++) {
      const bucket = this.#byGram.get(gramAt(text, at))
      if (bucket === undefined || taken.has(bucket)) continue
      taken.add(bucket)
      for (const pattern of bucket) found.push(pattern)
    }
    return found
  }
}
