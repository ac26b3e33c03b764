/**
 * Letters left out, put in, changed or swapped with the next one between two texts (optimal string alignment).
 * @param most - from there on it is not counted; more than `most` is `most` + 1
 */
export function slipsBetween(a: string, b: string, most: number): number {
  if (Math.abs(a.length - b.length) > most) return most + 1
  let [older, old, now] = [
    new Array<number>(b.length + 1).fill(0),
    Array.from({ length: b.length + 1 }, (_, j) => j),
    new Array<number>(b.length + 1).fill(0),
  ]
  for (let i = 1; i <= a.length; i++) {
    now[0] = i
    let least = i
    for (let j = 1; j <= b.length; j++) {
      const same = a[i - 1] === b[j - 1]
      let slips = Math.min((old[j] ?? 0) + 1, (now[j - 1] ?? 0) + 1, (old[j - 1] ?? 0) + (same ? 0 : 1))
      if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1]) slips = Math.min(slips, (older[j - 2] ?? 0) + 1)
      now[j] = slips
      if (slips < least) least = slips
    }
    if (least > most) return most + 1
    ;[older, old, now] = [old, now, older]
  }
  return Math.min(old[b.length] ?? 0, most + 1)
}
