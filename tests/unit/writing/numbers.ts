/** Numbers from a seed (mulberry32): the same seed, the same numbers. */
export function numbersFrom(seed: number): (below: number) => number {
  let state = seed >>> 0
  return (below) => {
    state = (state + 0x6d2b79f5) >>> 0
    let mixed = Math.imul(state ^ (state >>> 15), 1 | state)
    mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed
    return ((mixed ^ (mixed >>> 14)) >>> 0) % below
  }
}
