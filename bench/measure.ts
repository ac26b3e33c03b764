/** One measured row: ours against its peer, in the same run. */
export interface Row {
  readonly name: string
  readonly ours: number
  readonly peer: number
  readonly unit: string
  /** How `ratio` must stand to `goal`: at least it, or at most. */
  readonly goal: number
  readonly isAtMost?: boolean
  /** What else was seen on the way. */
  readonly note?: string
}

/** What is measured of the whole: all of it, or a small share where a test only asks whether every row still runs. */
const SHARE = Number(process.env.MAPROPE_BENCH_SHARE ?? 1)

/** A size, or that share of it. */
export const sized = (whole: number, least = 1): number => Math.max(least, Math.round(whole * SHARE))

export const median = (values: readonly number[]): number => {
  const sorted = [...values].sort((a, b) => a - b)
  const middle = Math.floor(sorted.length / 2)
  return sorted.length % 2 === 1 ? (sorted[middle] ?? 0) : ((sorted[middle - 1] ?? 0) + (sorted[middle] ?? 0)) / 2
}

/**
 * Runs two pieces of work by turns, so that a noisy machine is noisy for both.
 * @returns median of the work done a second, each in the unit that the works return
 */
export async function byTurns(
  rounds: number,
  ours: () => Promise<number> | number,
  peer: () => Promise<number> | number,
): Promise<{ ours: number; peer: number }> {
  const mine: number[] = []
  const theirs: number[] = []
  for (let round = 0; round <= sized(rounds); round++) {
    const rates = [await ours(), await peer()] as const
    if (round === 0) continue // the first warms up
    mine.push(rates[0])
    theirs.push(rates[1])
  }
  return { ours: median(mine), peer: median(theirs) }
}

/** Runs `work` over again for about `ms` and answers what it did a second, where one run does `amount`. */
export async function rateOf(amount: number, ms: number, work: () => unknown): Promise<number> {
  let runs = 0
  const startedAt = performance.now()
  while (performance.now() - startedAt < sized(ms)) {
    await work()
    runs++
  }
  return (amount * runs) / ((performance.now() - startedAt) / 1000)
}
