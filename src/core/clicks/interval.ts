/** Between which two shares the true one lies, of a hundred such statements in ninety-five. From 0 to 1, both inclusive. */
export interface Interval {
  readonly share: number
  readonly low: number
  readonly high: number
}

/** 95 in a hundred, two-sided, of the normal distribution. */
const Z = 1.959_964

/**
 * How sure a share is that was counted: Wilson's score interval, which is honest also where little was counted.
 * @param hits - of `all`, from 0
 * @see E. B. Wilson, "Probable Inference, the Law of Succession, and Statistical Inference" (1927)
 */
export function shareOf(hits: number, all: number): Interval {
  if (all <= 0) return { share: 0, low: 0, high: 1 }
  const share = hits / all
  const z2 = Z * Z
  const middle = (share + z2 / (2 * all)) / (1 + z2 / all)
  const half = (Z / (1 + z2 / all)) * Math.sqrt((share * (1 - share)) / all + z2 / (4 * all * all))
  return { share, low: Math.max(0, middle - half), high: Math.min(1, middle + half) }
}

/** Of several shares, the place of the one that is surely the greatest: its interval lies above all others. Null where none is. */
export function surelyBest(shares: readonly Interval[]): number | null {
  const best = shares.reduce((a, each, i) => (each.low > (shares[a]?.low ?? -1) ? i : a), 0)
  const isAbove = shares.every((each, i) => i === best || each.high < (shares[best]?.low ?? 0))
  return shares.length > 1 && isAbove ? best : null
}
